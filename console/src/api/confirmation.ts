import { shallowRef } from "vue";

/** A question for the password of whoever is signed in: answered with it, or with null by whoever thinks again. */
export interface Question {
  answer: (password: string | null) => void;
  /** what the service said to the password before */
  wrong: string;
}

export const question = shallowRef<Question | null>(null);

/** Ask for the password, in the dialog of the shell. */
export async function askPassword(wrong: string): Promise<string | null> {
  const given = await new Promise<string | null>((answer) => {
    question.value = { answer, wrong };
  });
  question.value = null;
  return given;
}
