/** What a proposal would change, as a map: who stands on the left, accounts on the right, a ribbon for each change. */
import { tone, type Tone } from "./reach";

export interface Change {
  who: { id: string; name: string };
  outside: boolean;
  account: { id: string; name: string };
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
  outside: boolean;
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
  const people = [...new Set(changes.map((one) => one.who.id))];
  const drawn = people.slice(0, MOST);
  const shown = changes.filter((one) => drawn.includes(one.who.id));
  const accounts = [...new Set(shown.map((one) => one.account.id))];
  const rows = Math.max(drawn.length, accounts.length, 1);
  const at = (ids: string[]) =>
    new Map(ids.map((id, place) => [id, TOP + ROW * (place + 0.5) + ((rows - ids.length) * ROW) / 2]));
  const [who, where] = [at(drawn), at(accounts)];
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
        const [y1, y2] = [(who.get(one.who.id) ?? 0) + shift, (where.get(one.account.id) ?? 0) + shift];
        const middle = (AT.who + AT.account) / 2;
        return {
          key: `${number} ${gains}`,
          who: one.who.id,
          account: one.account.id,
          path: `M${AT.who} ${y1}C${middle} ${y1} ${middle} ${y2} ${AT.account} ${y2}`,
          width: 2 + powers.length * 1.5,
          tone: tone(powers),
          gains,
          text: `${one.who.name} ${gains ? "gains" : "loses"} ${powers.join(", ")} on ${one.account.name}`,
        };
      }),
  );
  const names = new Map(shown.flatMap((one) => [one.who, one.account]).map((one) => [one.id, one.name]));
  const outside = new Set(shown.filter((one) => one.outside).map((one) => one.who.id));
  return {
    height: rows * ROW + TOP,
    left: drawn.map((id) => ({
      key: id,
      name: names.get(id) ?? "",
      outside: outside.has(id),
      y: who.get(id) ?? 0,
    })),
    right: accounts.map((id) => ({
      key: id,
      name: names.get(id) ?? "",
      outside: false,
      y: where.get(id) ?? 0,
    })),
    lines,
    more: people.length - drawn.length,
  };
}
