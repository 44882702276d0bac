import { api, take } from "./client";
import { Problem } from "./problem";

type Json = Record<string, unknown>;

/** Whether this browser and this page can use passkeys at all. */
export function passkeysHere(): boolean {
  return window.isSecureContext && typeof PublicKeyCredential === "function";
}

/** What became of it, where the browser gave no passkey. */
function trouble(detail: string, next: string): Problem {
  return new Problem({ title: "No passkey", detail: `${detail} Nothing was changed.`, next }, 400);
}

/** What the browser made or signed, as JSON; what it says when there is nothing, in our words. */
async function asked(work: Promise<Credential | null>): Promise<Json> {
  let made: Credential | null = null;
  try {
    made = await work;
  } catch (reason) {
    const name = reason instanceof DOMException ? reason.name : "";
    if (name === "InvalidStateError")
      throw trouble("This device has a passkey for you here already.", "Use another device.");
    if (name !== "NotAllowedError" && name !== "AbortError") throw reason;
  }
  if (!(made instanceof PublicKeyCredential))
    throw trouble("No passkey was used.", "Try again, or use your password.");
  return made.toJSON() as unknown as Json;
}

/** Have the browser make a passkey for whoever is signed in; returns recovery codes, if there were none left. */
export async function addPasskey(name: string): Promise<string[]> {
  const question = await take(api.POST("/me/factors/passkey/asked"));
  const publicKey = PublicKeyCredential.parseCreationOptionsFromJSON(
    JSON.parse(question.options) as PublicKeyCredentialCreationOptionsJSON,
  );
  const credential = await asked(navigator.credentials.create({ publicKey }));
  const body = { asked: question.id, credential, name };
  return (await take(api.POST("/me/factors/passkey", { body }))).codes;
}

/** Have the browser sign with a passkey of a workspace; returns what it signed. */
export async function signWithPasskey(workspace: string): Promise<{ asked: string; credential: Json }> {
  const question = await take(api.POST("/session/passkey/asked", { body: { workspace } }));
  const publicKey = PublicKeyCredential.parseRequestOptionsFromJSON(
    JSON.parse(question.options) as PublicKeyCredentialRequestOptionsJSON,
  );
  return { asked: question.id, credential: await asked(navigator.credentials.get({ publicKey })) };
}
