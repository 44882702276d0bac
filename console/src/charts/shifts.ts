/** What a proposal would change, as a map: who stands on the left, accounts on the right, a ribbon for each change. */
import { tone, type Tone } from "./reach";

export interface Change {
  who: string;
  outside: boolean;
  account: string;
  gained: readonly string[];
  lost: readonly string[];
}

export interface Line {
  key: string;
  who: string;
  account: string;
  path: string;
  width: number;
  tone: Tone;
  gains: boolean;
  text: string;
}

export interface Place {
  key: string;
  name: string;
  sub: string;
  y: number;
}

export interface ShiftMap {
  height: number;
  left: Place[];
  right: Place[];
  lines: Line[];
  more: number;
}

export const AT = { who: 300, account: 640, width: 940 } as const;
const ROW = 46;
const TOP = 18;
/** So many are drawn; the sentences beside the map tell of all. */
export const MOST = 14;

/** Lay the map out: those from outside first, a gain and a loss of the same on the same account side by side. */
export function layout(changes: readonly Change[]): ShiftMap {
  const people = unique(changes.map((one) => one.who));
  const drawn = new Set(people.slice(0, MOST));
  const shown = changes.filter((one) => drawn.has(one.who));
  const accounts = unique(shown.map((one) => one.account));
  const rows = Math.max(drawn.size, accounts.length, 1);
  const at = (names: string[]) =>
    new Map(
      names.map((name, place) => [name, TOP + ROW * (place + 0.5) + ((rows - names.length) * ROW) / 2]),
    );
  const [who, where] = [at([...drawn]), at(accounts)];
  const lines = shown.flatMap((one, number) =>
    (
      [
        [true, one.gained],
        [false, one.lost],
      ] as const
    )
      .filter(([, powers]) => powers.length > 0)
      .map(([gains, powers]) => {
        const shift = one.gained.length && one.lost.length ? (gains ? -5 : 5) : 0;
        const [y1, y2] = [(who.get(one.who) ?? 0) + shift, (where.get(one.account) ?? 0) + shift];
        const middle = (AT.who + AT.account) / 2;
        return {
          key: `${number} ${gains}`,
          who: one.who,
          account: one.account,
          path: `M${AT.who} ${y1}C${middle} ${y1} ${middle} ${y2} ${AT.account} ${y2}`,
          width: 2 + powers.length * 1.5,
          tone: tone(powers),
          gains,
          text: `${one.who} ${gains ? "gains" : "loses"} ${powers.join(", ")} on ${one.account}`,
        };
      }),
  );
  const outside = new Set(shown.filter((one) => one.outside).map((one) => one.who));
  return {
    height: rows * ROW + TOP,
    left: [...drawn].map((name) => ({
      key: name,
      name,
      sub: outside.has(name) ? "outside the circle" : "in the circle",
      y: who.get(name) ?? 0,
    })),
    right: accounts.map((name) => ({ key: name, name, sub: "", y: where.get(name) ?? 0 })),
    lines,
    more: people.length - drawn.size,
  };
}

function unique(names: readonly string[]): string[] {
  return [...new Set(names)];
}
