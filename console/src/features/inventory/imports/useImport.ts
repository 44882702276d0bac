import { useMutation, useQuery, useQueryClient } from "@tanstack/vue-query";
import { computed, ref, watch, type Ref } from "vue";
import { api, take, type ImportForm, type ImportOutcome } from "@/api/client";
import { listType } from "@/ui/lists";

/** How often an import that is in progress is looked at, in milliseconds. */
const OFTEN = 700;

/** A list that someone chose: what is in it, how it is taken, and what becomes of it. Nothing is kept before it is. */
export function useImport(provider: Ref<string>) {
  const queries = useQueryClient();
  const file = ref<File>();
  const made = ref("");
  const sent = (form: ImportForm | null) => ({
    params: {
      path: { provider: provider.value },
      query: { form: form ? JSON.stringify(form) : "", name: file.value?.name ?? "" },
    },
    headers: { "Content-Type": listType(file.value) },
    body: file.value as never,
    bodySerializer: (body: unknown) => body as Blob,
  });
  const looking = useMutation({
    mutationFn: (form: ImportForm | null) =>
      take(api.POST("/providers/{provider}/import-preview", sent(form))),
  });
  /** The last that was seen stays while it is looked at again: nothing jumps under whoever is matching. */
  const outcome = ref<ImportOutcome>();
  watch(looking.data, (seen) => {
    if (seen) outcome.value = seen;
  });
  const beginning = useMutation({
    mutationFn: () => take(api.POST("/providers/{provider}/imports", sent(outcome.value?.form ?? null))),
    onSuccess: (seen) => {
      if (seen.made) made.value = seen.made.ref;
      else if (outcome.value) outcome.value = { ...seen, lines: outcome.value.lines };
    },
  });
  const progress = useQuery({
    queryKey: computed(() => ["imports", made.value]),
    queryFn: () => take(api.GET("/imports/{import_id}", { params: { path: { import_id: made.value } } })),
    enabled: computed(() => !!made.value),
    refetchInterval: ({ state: { data } }) => (data?.finished_at ? false : OFTEN),
  });
  watch(
    () => progress.data.value?.finished_at,
    async (over) => {
      if (!over) return;
      await queries.invalidateQueries({ queryKey: ["entries"] });
      await queries.invalidateQueries({ queryKey: ["providers"] });
    },
  );
  function choose(chosen: File | undefined): void {
    file.value = chosen;
    made.value = "";
    outcome.value = undefined;
    looking.reset();
    beginning.reset();
    if (chosen) looking.mutate(null);
  }
  /** Look again with something said otherwise than it was taken. */
  function say(change: Partial<ImportForm>): void {
    if (outcome.value) looking.mutate({ ...outcome.value.form, ...change });
  }
  return { file, made, outcome, looking, beginning, progress, choose, say };
}
