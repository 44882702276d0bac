import type { components } from "./schema";

type Sent = components["schemas"]["Problem"];

/** An error as the service tells it: what happened, and what to do next. */
export class Problem extends Error {
  readonly status: number;
  readonly title: string;
  readonly next: string;
  readonly code: string;
  readonly errors: Record<string, string>[];

  constructor(sent: Partial<Sent>, status: number) {
    super(sent.detail ?? "The service did not answer as expected.");
    this.status = status;
    this.title = sent.title ?? "Something went wrong";
    this.next = sent.next ?? "Try again in a moment.";
    this.code = sent.code ?? "error";
    this.errors = sent.errors ?? [];
  }

  /** Whether an address comes close to a known one, and it takes a word that it is someone else's. */
  get nearMiss(): boolean {
    return this.errors.some((one) => one.kind === "near-miss");
  }

  /** The service could not be reached at all. */
  static unreachable(): Problem {
    const detail = "Open Latch does not answer. Nothing was changed.";
    return new Problem({ title: "No answer", detail, next: "Check the connection, then try again." }, 503);
  }
}
