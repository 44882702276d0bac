export interface RiskPoint {
  at: string;
  risk: number;
}

export interface Steps {
  line: string;
  dots: { x: number; y: number; risk: number; at: string }[];
}

const DAY = 24 * 3_600_000;

/** The span of time that a plot of risk shows: from a little before its first point, a month at least, until now. */
export function span(points: RiskPoint[], now: number): [number, number] {
  const first = points[0] ? Date.parse(points[0].at) : now;
  return [Math.min(first - DAY, now - 30 * DAY), now];
}

/** A risk over time as a line of steps: each value holds from its instant until the next. */
export function steps(points: RiskPoint[], width: number, height: number, from: number, to: number): Steps {
  const x = (at: number): number => Math.round(((at - from) / (to - from)) * width * 10) / 10;
  const y = (risk: number): number => Math.round((1 - risk / 100) * height * 10) / 10;
  const dots = points.map((one) => ({
    x: x(Date.parse(one.at)),
    y: y(one.risk),
    risk: one.risk,
    at: one.at,
  }));
  const first = dots[0];
  if (!first) return { line: "", dots };
  const rest = dots.slice(1).map((dot) => `H${dot.x}V${dot.y}`);
  return { line: `M${first.x} ${first.y}${rest.join("")}H${width}`, dots };
}
