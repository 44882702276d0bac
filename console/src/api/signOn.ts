import { api, take } from "./client";
import { Problem } from "./problem";

/** A single sign-on at which someone may sign in. */
export interface Service {
  id: string;
  name: string;
}

/** What the browser keeps of whoever is on their way to a single sign-on, until they are back. */
export interface Left {
  began: string;
  browser: string;
  workspace: string;
  name: string;
  /** where they were, and go on afterwards */
  back: string;
  /** whether they are to prove again who they are, rather than to sign in */
  again: boolean;
}

const KEPT = "sign-on";

/** Go to a single sign-on; the page is left. */
export async function leaveFor(
  service: Service,
  workspace: string,
  back: string,
  again = false,
): Promise<void> {
  const body = { workspace, sign_on: service.id, fresh: again };
  const { began, browser, url } = await take(api.POST("/session/sign-on/asked", { body }));
  if (!/^https?:\/\//.test(url)) {
    throw new Problem(
      { title: "No address", detail: `${service.name} has no address.`, next: "Tell an owner." },
      400,
    );
  }
  const left: Left = { began, browser, workspace, name: service.name, back, again };
  sessionStorage.setItem(KEPT, JSON.stringify(left));
  window.location.assign(url);
}

/** What is kept of whoever has come back, once. */
export function cameBack(): Left | null {
  const kept = sessionStorage.getItem(KEPT);
  sessionStorage.removeItem(KEPT);
  return kept === null ? null : (JSON.parse(kept) as Left);
}

/** Where a page of this console goes on: never to another site. */
export function within(back: unknown): string {
  return typeof back === "string" && /^\/(?![/\\])/.test(back) ? back : "/";
}
