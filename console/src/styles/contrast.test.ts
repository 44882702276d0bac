import { readdirSync, readFileSync } from "node:fs";
import { join } from "node:path";
import { describe, expect, it } from "vitest";

/** Contrast as WCAG 2.2 reckons it, of the colours that the tokens are. */
const SOURCE = join(import.meta.dirname, "..");
const css = readFileSync(join(SOURCE, "styles", "main.css"), "utf8");

type Theme = Record<string, [number, number, number]>;

/** The colours of a theme by name: lightness, chroma, hue in degrees. */
function theme(selector: string): Theme {
  const begins = css.indexOf(`${selector} {`);
  const block = css.slice(begins, css.indexOf("}", begins));
  const found = block.matchAll(/--([a-z-]+): oklch\(([\d.]+) ([\d.]+) ([\d.]+)\)/g);
  return Object.fromEntries(
    [...found].map((said) => [said[1], [Number(said[2]), Number(said[3]), Number(said[4])]]),
  );
}

/** The relative luminance of an OKLCH colour, by way of linear sRGB. */
function luminance([lightness, chroma, hue]: [number, number, number]): number {
  const angle = (hue * Math.PI) / 180;
  const [a, b] = [chroma * Math.cos(angle), chroma * Math.sin(angle)];
  const l = (lightness + 0.3963377774 * a + 0.2158037573 * b) ** 3;
  const m = (lightness - 0.1055613458 * a - 0.0638541728 * b) ** 3;
  const s = (lightness - 0.0894841775 * a - 1.291485548 * b) ** 3;
  const clip = (value: number): number => Math.min(1, Math.max(0, value));
  const red = clip(4.0767416621 * l - 3.3077115913 * m + 0.2309699292 * s);
  const green = clip(-1.2684380046 * l + 2.6097574011 * m - 0.3413193965 * s);
  const blue = clip(-0.0041960863 * l - 0.7034186147 * m + 1.707614701 * s);
  return 0.2126 * red + 0.7152 * green + 0.0722 * blue;
}

function contrast(one: [number, number, number], other: [number, number, number]): number {
  const [dark = 0, light = 0] = [luminance(one), luminance(other)].sort((a, b) => a - b);
  return (light + 0.05) / (dark + 0.05);
}

/** Every colour in which something is written somewhere. */
function writtenIn(): string[] {
  const sources = readdirSync(SOURCE, { recursive: true, encoding: "utf8" }).filter((name) =>
    name.endsWith(".vue"),
  );
  const said = sources.flatMap((name) => [
    ...readFileSync(join(SOURCE, name), "utf8").matchAll(/\btext-([a-z]+(?:-[a-z]+)?)\b/g),
  ]);
  const names = new Set(Object.keys(theme(":root")));
  return [...new Set(said.map((found) => found[1] ?? ""))].filter((name) => names.has(name)).sort();
}

describe("what is written can be read", () => {
  const colours = writtenIn().filter((name) => !["paper", "sheet", "on-danger"].includes(name));
  it("is written in more than one colour", () => expect(colours).toContain("medium"));
  for (const selector of [":root", '[data-theme="dark"]'])
    for (const ground of ["paper", "sheet", "wash"])
      it(`on ${ground} of ${selector}`, () => {
        const tokens = theme(selector);
        const weak = colours.filter((name) => {
          const [colour, behind] = [tokens[name], tokens[ground]];
          return !colour || !behind || contrast(colour, behind) < 4.5;
        });
        expect(weak).toEqual([]);
      });
});
