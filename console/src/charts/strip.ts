/** The span strip: one access drawn on a time axis that all entries share. */

import { format } from "@/ui/time";

const DAY = 86_400_000;
const EDGE = 6;

export interface Axis {
  start: number;
  end: number;
  now: number;
  width: number;
}

export interface Span {
  /** when it began, if that is known */
  given: string | null;
  /** when it was first seen, for one whose beginning is not known */
  seen: string | null;
  lastUsed: string | null;
  useKnown: boolean;
  ends: string | null;
  endUnknown: boolean;
  ended: string | null;
  reviewed: readonly string[];
}

export interface Bar {
  x: number;
  width: number;
}

export interface Strip {
  used: Bar | null;
  idle: Bar | null;
  never: Bar | null;
  /** the stretch before it was first seen, about which nothing is known */
  unknown: Bar | null;
  before: boolean;
  today: number;
  rest: { from: number; to: number } | null;
  close: number | null;
  open: boolean;
  reviews: number[];
}

/** The axis around an instant: some sixteen months back, five ahead. */
export function axisAround(now: number, width: number): Axis {
  return { start: now - 500 * DAY, end: now + 160 * DAY, now, width };
}

/** Where an instant lies, kept inside the axis. */
export function place(axis: Axis, instant: number): number {
  const share = (instant - axis.start) / (axis.end - axis.start);
  return Math.round(Math.min(Math.max(share, 0), 1) * (axis.width - 2 * EDGE) * 10) / 10 + EDGE;
}

/** What to draw of an access. A provider that does not tell about use gets no claim about it: all of it is pale. */
export function draw(axis: Axis, span: Span): Strip {
  const now = place(axis, axis.now);
  const began = span.given ?? span.seen;
  const given = began ? Date.parse(began) : axis.start;
  const from = place(axis, given);
  const last = span.lastUsed ? place(axis, Date.parse(span.lastUsed)) : null;
  const over = span.ended ?? (span.ends && Date.parse(span.ends) < axis.now ? span.ends : null);
  const until = over ? place(axis, Date.parse(over)) : now;
  const neverUsed = last === null && span.useKnown;
  const solid = last === null ? from : Math.min(Math.max(last, from), until);
  return {
    used: last !== null && solid > from ? { x: from, width: solid - from } : null,
    idle: !neverUsed && until > solid ? { x: solid, width: until - solid } : null,
    never: neverUsed && until > from ? { x: from, width: until - from } : null,
    unknown: span.given || from <= EDGE ? null : { x: EDGE, width: from - EDGE },
    before: given < axis.start,
    today: now,
    rest: over ? null : { from: now, to: span.ends ? place(axis, Date.parse(span.ends)) : axis.width - EDGE },
    close: over ? until : span.ends ? place(axis, Date.parse(span.ends)) : null,
    open: !over && !span.ends && !span.endUnknown,
    reviews: span.reviewed.map((at) => place(axis, Date.parse(at))).filter((x) => x > EDGE),
  };
}

/** The months that are named under the axis: at thirds of it, and never where they would cover "today". */
export function months(axis: Axis, zone: string): { x: number; text: string }[] {
  const written = format(zone, { month: "short", year: "2-digit" });
  return [-15, -8, 5].map((offset) => {
    const at = new Date(axis.now);
    at.setUTCDate(1);
    at.setUTCHours(12, 0, 0, 0);
    at.setUTCMonth(at.getUTCMonth() + offset);
    return { x: place(axis, at.getTime()), text: written.format(at).replace("Sept", "Sep") };
  });
}
