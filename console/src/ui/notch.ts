import { SEVERITIES } from "@/api/words";

export type Severity = (typeof SEVERITIES)[number];

const WIDTH = 9;
const DEPTH = 4.4;
const HALF = 2.1;

/** The outline of a bar with as many notches cut into its right edge, evenly spread. */
export function notchPath(notches: number, height: number): string {
  const cuts = Array.from({ length: notches }, (_, place) => {
    const middle = (height * (place + 1)) / (notches + 1);
    return `V${round(middle - HALF)}L${WIDTH - DEPTH} ${round(middle)}L${WIDTH} ${round(middle + HALF)}`;
  });
  return `M0 0H${WIDTH}${cuts.join("")}V${height}H0Z`;
}

function round(value: number): number {
  return Math.round(value * 10) / 10;
}
