import createClient, { type Middleware } from "openapi-fetch";
import { ref } from "vue";
import { askProof } from "./confirmation";
import { Problem } from "./problem";
import type { components, paths } from "./schema";

type Schemas = components["schemas"];
export type Alike = Schemas["Alike"];
export type KnownAs = Schemas["KnownAs"];
export type SamenessDecision = Schemas["SamenessDecision"];
export type ImportForm = Schemas["ImportForm"];
export type ImportOutcome = Schemas["ImportOutcome"];
export type Membership = Schemas["Membership"];
export type Entry = Schemas["Entry"];
export type Activity = Schemas["Activity"];
export type Event = Schemas["Event"];
export type NewProvider = Schemas["NewProvider"];
export type DescriptionTrial = Schemas["DescriptionTrial"];
export type Flag = Schemas["Flag"];
export type View = Schemas["View"];
export type FirstWorkspace = Schemas["FirstWorkspace"];
export type Account = Schemas["Account"];
export type PartyOverview = Schemas["PartyOverview"];
export type App = Schemas["App"];
export type Me = Schemas["Me"];
export type Person = Schemas["Person"];
/** A proof that it is still oneself. */
export type Proof = Partial<Schemas["Confirmation"]>;
export type SignOn = Schemas["SignOn"];
export type SignOnAnswer = Schemas["SignOnAnswer"];
export type SignOnSignIn = Schemas["SignOnSignIn"];
export type CodesBegun = Schemas["CodesBegun"];
export type Session = Schemas["Session"];
export type Token = Schemas["Token"];
export type Batch = Schemas["Batch"];
export type BatchPlan = Schemas["BatchPlan"];
export type Order = Schemas["Order"];
export type Plan = Schemas["Plan"];
export type Provider = Schemas["Provider"];
export type Trial = Schemas["Trial"];
export type Rule = Schemas["Rule"];
export type PolicyLimit = Schemas["PolicyLimit"];
export type PolicyChange = Schemas["PolicyEdit"]["changes"][number];
export type CatalogueField = Schemas["CatalogueField"];
export type Review = Schemas["Review"];
export type Round = Schemas["Round"];
export type RoundItem = Schemas["RoundItem"];
export type Offer = Schemas["Offer"];
export type OfferTerms = Schemas["OfferTerms"];
export type OfferWish = Schemas["OfferWish"];
export type Task = Schemas["Task"];
export type Fit = Schemas["Fit"];
export type AccessRequest = Schemas["Request"];
export type Proposal = Schemas["Proposal"];
export type ProposalOutcome = Schemas["ProposalOutcome"];
export type Shift = Schemas["Shift"];
export type Versions = Schemas["Versions"];
export type Webhook = Schemas["Webhook"];
export type Telling = Schemas["TellingWish"]["telling"];
export type NewReview = Schemas["NewReview"];
export type Reading = Schemas["Reading"];
export type AccountQuery = NonNullable<paths["/accounts"]["get"]["parameters"]["query"]>;
export type PartyQuery = NonNullable<paths["/parties"]["get"]["parameters"]["query"]>;
export type EntryQuery = NonNullable<paths["/entries"]["get"]["parameters"]["query"]>;

let csrf = "";

/** Remember the word that has to go along with every change. */
export function rememberCsrf(word: string | null | undefined): void {
  csrf = word ?? "";
}

const guard: Middleware = {
  onRequest({ request }) {
    if (request.method !== "GET") {
      request.headers.set("X-Latch-CSRF", csrf);
      request.headers.set("Idempotency-Key", crypto.randomUUID());
    }
    return request;
  },
};

/** Why nothing goes on, in the words of the service; empty while something does. */
export const standstill = ref("");
const heeding: Middleware = {
  onResponse({ response }) {
    standstill.value = response.headers.get("Openlatch-No-Worker") ?? "";
    return undefined;
  },
};

/** Copies of changes in progress: what was sent cannot be read, and so not be sent, a second time. */
const copies = new WeakMap<Request, Request>();

/** A dangerous act asks for the password if it was not given lately; then the same is sent once more. */
const confirming: Middleware = {
  onRequest({ request }) {
    if (request.method !== "GET") copies.set(request, request.clone());
    return request;
  },
  async onResponse({ request, response }) {
    const copy = copies.get(request);
    if (response.status !== 403 || !copy || request.url.endsWith("/session/confirmation")) return undefined;
    const problem = (await response.clone().json()) as { code?: string };
    if (problem.code !== "not-confirmed") return undefined;
    for (let wrong = ""; ;) {
      const proof = await askProof(wrong);
      if (proof === null) return undefined;
      const { error } = await api.POST("/session/confirmation", {
        body: { password: null, code: null, passkey: null, sign_on: null, ...proof },
      });
      if (!error) return globalThis.fetch(copy);
      wrong = error.detail;
    }
  },
};

/** So often it is asked again whether there is a place by now; with the pauses, for about fifteen seconds. */
const TRIES = 20;

/** Send a request; where the service finds no place for it, nothing was done, and it is sent again a moment later. */
async function patient(request: Request): Promise<Response> {
  for (let tries = 0; ; tries++) {
    const answer = await globalThis.fetch(request.clone());
    if (answer.status !== 503 || tries >= TRIES) return answer;
    const problem = (await answer
      .clone()
      .json()
      .catch(() => ({}))) as { code?: string };
    if (problem.code !== "busy") return answer;
    // Not all at the same moment, or the same ones would find no place again.
    await new Promise((done) => setTimeout(done, 300 + Math.random() * 900));
  }
}

export const api = createClient<paths>({ baseUrl: "/api/v1", fetch: patient });
api.use(guard, heeding, confirming);

interface Answer<T> {
  data?: T;
  error?: unknown;
  response: Response;
}

/** The data of an answer, or its problem as an error. */
export async function take<T>(asked: Promise<Answer<T>>): Promise<T> {
  let answer: Answer<T>;
  try {
    answer = await asked;
  } catch {
    throw Problem.unreachable();
  }
  if (!answer.response.ok) {
    throw new Problem((answer.error ?? {}) as Partial<Schemas["Problem"]>, answer.response.status);
  }
  return answer.data as T;
}
