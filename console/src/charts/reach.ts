/** The reach map: a party, the ways by which it acts, and the accounts it comes to, joined by ribbons. */

/** Something that the map names; two of one name are told apart by their ids. */
export interface Named {
  id: string;
  name: string;
  /** what it is, such as "team in Volunteers" */
  what: string;
}

export interface Step {
  /** the way, such as the last team of a chain; null where it is direct */
  way: Named | null;
  account: Named;
  powers: readonly string[];
}

const DIRECT: Named = { id: "", name: "direct", what: "" };

export type Tone = "money" | "change" | "look";

export interface Knot {
  key: string;
  name: string;
  sub: string;
  y: number;
}

export interface Ribbon {
  key: string;
  way: string;
  account: string;
  path: string;
  width: number;
  tone: Tone;
}

export interface Map {
  height: number;
  start: number;
  ways: Knot[];
  accounts: Knot[];
  left: Ribbon[];
  right: Ribbon[];
}

export const X = { party: 250, wayLeft: 380, wayRight: 560, account: 740 } as const;
const ROW = 78;
const TOP = 30;
const GAP = 3;

/** Of which kind the gravest of some powers is. */
export function tone(powers: readonly string[]): Tone {
  if (powers.some((power) => power === "spend" || power === "withdraw")) return "money";
  return powers.some((power) => power !== "view" && power !== "export") ? "change" : "look";
}

/** Lay the map out: ways and accounts in rows, ribbons as wide as the number of powers they carry. */
export function layout(steps: readonly Step[]): Map {
  const wayOf = new globalThis.Map(steps.map((step) => [step.way?.id ?? "", step.way ?? DIRECT]));
  const accountOf = new globalThis.Map(steps.map((step) => [step.account.id, step.account]));
  const [ways, accounts] = [[...wayOf.keys()], [...accountOf.keys()]];
  const rows = Math.max(ways.length, accounts.length, 1);
  const height = rows * ROW + TOP;
  const y = (place: number, of: number) => TOP + ROW * (place + 0.5) + ((rows - of) * ROW) / 2 - ROW / 4;
  const joined = ways.flatMap((way) =>
    accounts.flatMap((account) => {
      const these = steps.filter((step) => (step.way?.id ?? "") === way && step.account.id === account);
      if (!these.length) return [];
      const powers = [...new Set(these.flatMap((step) => step.powers))];
      return [{ key: `${way}>${account}`, way, account, powers, width: 3 + powers.length * 2.5 }];
    }),
  );
  const wayY = new globalThis.Map(ways.map((way, place) => [way, y(place, ways.length)]));
  const accountY = new globalThis.Map(accounts.map((account, place) => [account, y(place, accounts.length)]));
  const leaving = stacked(joined, (one) => one.way, wayY);
  const arriving = stacked(joined, (one) => one.account, accountY);
  const right = joined.map((one) => ({
    key: one.key,
    way: one.way,
    account: one.account,
    width: one.width,
    tone: tone(one.powers),
    path: curve(X.wayRight, leaving.get(one.key) ?? 0, X.account, arriving.get(one.key) ?? 0),
  }));
  const start = TOP + (rows * ROW) / 2 - ROW / 4;
  const widths = ways.map(
    (way) => sum(joined.filter((one) => one.way === way).map((one) => one.width + GAP)) - GAP,
  );
  const bundle = stacked(
    ways.map((way, place) => ({ key: way, width: widths[place] ?? 0 })),
    () => "",
    new globalThis.Map([["", start]]),
  );
  const left = ways.map((way, place) => ({
    key: way,
    way,
    account: "",
    width: widths[place] ?? 0,
    tone: "look" as Tone,
    path: curve(X.party, bundle.get(way) ?? 0, X.wayLeft, wayY.get(way) ?? 0),
  }));
  return {
    height,
    start,
    ways: ways.map((way) => ({
      key: way,
      name: wayOf.get(way)?.name ?? "",
      sub: wayOf.get(way)?.what ?? "",
      y: wayY.get(way) ?? 0,
    })),
    accounts: accounts.map((account) => ({
      key: account,
      name: accountOf.get(account)?.name ?? "",
      sub: accountOf.get(account)?.what ?? "",
      y: accountY.get(account) ?? 0,
    })),
    left,
    right,
  };
}

function sum(numbers: readonly number[]): number {
  return numbers.reduce((total, number) => total + number, 0);
}

/** Where each ribbon touches its knot: one beside the other, together centred on it. */
function stacked<T extends { key: string; width: number }>(
  ribbons: readonly T[],
  knot: (ribbon: T) => string,
  at: ReadonlyMap<string, number>,
): globalThis.Map<string, number> {
  const places = new globalThis.Map<string, number>();
  for (const [name, middle] of at) {
    const here = ribbons.filter((ribbon) => knot(ribbon) === name);
    let y = middle - (sum(here.map((ribbon) => ribbon.width + GAP)) - GAP) / 2;
    for (const ribbon of here) {
      places.set(ribbon.key, y + ribbon.width / 2);
      y += ribbon.width + GAP;
    }
  }
  return places;
}

function curve(x1: number, y1: number, x2: number, y2: number): string {
  const middle = (x1 + x2) / 2;
  return `M${x1} ${round(y1)}C${middle} ${round(y1)} ${middle} ${round(y2)} ${x2} ${round(y2)}`;
}

function round(value: number): number {
  return Math.round(value * 10) / 10;
}
