import { shallowRef } from "vue";

import type { Proof } from "./client";

/** A question for a proof of whoever is signed in: answered with one, or with null by whoever thinks again. */
export interface Question {
  answer: (proof: Proof | null) => void;
  /** what the service said to the proof before */
  wrong: string;
}

export const question = shallowRef<Question | null>(null);

/** Ask for a password, a code or a passkey, in the dialog of the shell. */
export async function askProof(wrong: string): Promise<Proof | null> {
  const given = await new Promise<Proof | null>((answer) => {
    question.value = { answer, wrong };
  });
  question.value = null;
  return given;
}
