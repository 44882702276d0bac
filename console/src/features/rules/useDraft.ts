import { useMutation, useQuery, useQueryClient } from "@tanstack/vue-query";
import { computed, ref } from "vue";
import { api, take, type PolicyChange } from "@/api/client";
import { forgetThen } from "@/api/session";

/** A policy that is written and not adopted yet; the same on every page, until it is adopted or discarded. */
const draft = ref<string | null>(null);
/** The policy that it was begun from. */
const begun = ref<number | null>(null);
const QUIET = 700;
/** What is tried: what is written as soon as nobody types any more, or what was chosen, at once. */
const asked = ref("");
let waiting = 0;
function ask(now: string, after: number): void {
  window.clearTimeout(waiting);
  waiting = window.setTimeout(() => (asked.value = now), after);
}

function forget(): void {
  draft.value = null;
  begun.value = null;
  ask("", 0);
}
// It is of one workspace, and of whoever wrote it.
forgetThen(forget);

type RuleChange = Extract<PolicyChange, { do: "rule" }>;
const AS_IT_IS = {
  title: null,
  when: null,
  severity: null,
  reason: null,
  why: null,
  clears: null,
  off: null,
  party_sees: null,
} as const;

/** Other fields of a rule; all the others stay as they are. */
export function ruleChange(rule: string, fields: Partial<RuleChange>): RuleChange {
  return { do: "rule", rule, ...AS_IT_IS, ...fields };
}

/** The change before: each is made of what that has left, however quickly one follows the other. */
let last: Promise<unknown> = Promise.resolve();

/** The policy in force, what is drafted instead of it, and what that would change. */
export function useDraft() {
  const queries = useQueryClient();
  const present = useQuery({ queryKey: ["policy", "present"], queryFn: () => take(api.GET("/policy")) });
  const text = computed({
    get: () => draft.value ?? present.data.value?.text ?? "",
    set: (now) => {
      begun.value ??= present.data.value?.number ?? null;
      draft.value = now === present.data.value?.text ? null : now;
      if (draft.value === null) begun.value = null;
      ask(draft.value ?? "", QUIET);
    },
  });
  const changed = computed(() => draft.value !== null);

  const trial = useQuery({
    queryKey: computed(() => ["policy", "try", asked.value]),
    queryFn: () => take(api.POST("/policy/try", { body: { text: asked.value } })),
    enabled: computed(() => !!asked.value),
    retry: false,
    staleTime: 10_000,
  });
  const current = computed(() => asked.value === (draft.value ?? "") && !trial.isFetching.value);

  /** Change a part of the draft, such as a limit; what does not fit is refused, and the draft stays as it was. */
  const change = useMutation({
    mutationFn: (changes: PolicyChange[]) => {
      const made = last.then(async () => {
        const edited = await take(api.POST("/policy/edit", { body: { text: draft.value, changes } }));
        text.value = edited.text;
        ask(draft.value ?? "", 0);
        return edited;
      });
      last = made.catch(() => undefined);
      return made;
    },
  });
  const adopt = useMutation({
    mutationFn: (note: string) =>
      take(api.POST("/policy/adopt", { body: { text: text.value, note, expected: begun.value } })),
    onSuccess: async () => {
      discard();
      await queries.invalidateQueries();
    },
  });
  function discard(): void {
    forget();
    change.reset();
  }
  return {
    present: present.data,
    error: present.error,
    pending: present.isPending,
    text,
    changed,
    trial: computed(() => (changed.value && !trial.error.value ? trial.data.value : undefined)),
    trialError: computed(() => (changed.value ? trial.error.value : null)),
    trying: computed(() => changed.value && !current.value),
    change,
    adopt,
    discard,
  };
}
