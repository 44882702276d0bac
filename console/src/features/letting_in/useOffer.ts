import { useMutation, useQueries, useQuery, useQueryClient } from "@tanstack/vue-query";
import { computed, reactive, ref, watch } from "vue";
import { useRoute, useRouter } from "vue-router";
import { api, take } from "@/api/client";
import { useSession } from "@/api/session";
import { dateField } from "@/ui/time";
import { complete, emptyOffer, emptyPart, wishOf } from "./wish";

/** An offer that is filled in: what it begins with by the address of the page, what it would be, and sending it. */
export function useOffer() {
  const route = useRoute();
  const router = useRouter();
  const queries = useQueryClient();
  const { zone } = useSession();
  const form = reactive(emptyOffer());
  const said = (name: string): string => {
    const value = route.query[name];
    return typeof value === "string" ? value : "";
  };
  form.to = said("to");
  form.request = said("request");
  form.replaces = said("replaces");
  const insteadOf = computed(() => said("instead_of"));
  if (said("account")) form.parts = [emptyPart(said("account"))];

  const tasks = useQuery({ queryKey: ["tasks"], queryFn: () => take(api.GET("/tasks")) });
  const request = useQuery({
    queryKey: computed(() => ["requests", form.request]),
    queryFn: () => take(api.GET("/requests/{request}", { params: { path: { request: form.request } } })),
    enabled: computed(() => !!form.request),
  });
  const secret = useQuery({
    queryKey: computed(() => ["entries", "one", form.replaces]),
    queryFn: () => take(api.GET("/entries/{entry}", { params: { path: { entry: form.replaces } } })),
    enabled: computed(() => !!form.replaces),
  });
  const former = useQuery({
    queryKey: computed(() => ["offers", insteadOf.value]),
    queryFn: () => take(api.GET("/offers/{offer}", { params: { path: { offer: insteadOf.value } } })),
    enabled: computed(() => !!insteadOf.value),
  });
  const lastDayOf = (end: string | null | undefined): string => dateField(end, zone.value, { end: true });
  const needs = computed(() => request.data.value?.needs ?? []);
  /** The account that the address or the request names, by whatever names it: it is chosen by its short form. */
  const named = computed(() => said("account") || (request.data.value?.account_id ?? ""));
  const account = useQuery({
    queryKey: computed(() => ["accounts", "one", named.value]),
    queryFn: () => take(api.GET("/accounts/{account}", { params: { path: { account: named.value } } })),
    enabled: computed(() => named.value !== ""),
    retry: false,
  });
  watch(
    () => account.data.value,
    (found) => {
      const [first] = form.parts;
      if (found && first && (!first.account || first.account === named.value)) first.account = found.ref;
    },
    { immediate: true },
  );
  watch(
    () => request.data.value,
    (asked) => {
      if (!asked) return;
      form.to ||= asked.address;
      form.name ||= asked.name;
      form.basis ||= asked.reason;
      form.until ||= lastDayOf(asked.ends_at);
      const [first] = form.parts;
      if (first && !first.task && !first.level) {
        if (asked.level) Object.assign(first, { by: "level", level: asked.level });
        else if (asked.needs.length) first.task = "asked";
      }
    },
    { immediate: true },
  );
  watch(
    () => secret.data.value,
    (entry) => {
      if (!entry) return;
      form.to ||= entry.party.addresses.find((one) => one.indexOf("@") > 0) ?? "";
      form.name ||= entry.party.name;
      const [first] = form.parts;
      if (first && !first.account) first.account = entry.account.ref;
    },
    { immediate: true },
  );
  watch(
    () => former.data.value,
    (offer) => {
      if (!offer) return;
      Object.assign(form, { to: offer.address, name: offer.name, basis: offer.basis });
      const ends = offer.parts.map((part) => lastDayOf(part.ends_at));
      form.until = ends.includes("") ? "" : ([...ends].sort().at(-1) ?? "");
      form.starts =
        offer.starts_at && Date.parse(offer.starts_at) > Date.now()
          ? dateField(offer.starts_at, zone.value)
          : "";
      form.replaces = offer.replaces ?? "";
      form.endless = !form.until;
      form.parts = offer.parts.map((part) => ({
        ...emptyPart(part.account.ref),
        by: part.permissions.length ? "permissions" : "level",
        level: part.level,
        permissions: part.permissions,
        resources: part.resources,
        hours: part.written_hours,
        until: lastDayOf(part.ends_at) === form.until ? "" : lastDayOf(part.ends_at),
        powerUntil: Object.fromEntries(
          Object.entries(part.power_ends).map(([power, end]) => [power, lastDayOf(end)]),
        ),
      }));
    },
    { immediate: true },
  );

  const accounts = useQueries({
    queries: computed(() =>
      form.parts
        .filter((part) => part.account)
        .map((part) => ({
          queryKey: ["accounts", "one", part.account],
          queryFn: () =>
            take(api.GET("/accounts/{account}", { params: { path: { account: part.account } } })),
          retry: false,
        })),
    ),
  });
  /** What an account is called; its short form until that is known. */
  const accountName = (wanted: string): string =>
    accounts.value.find((one) => one.data?.ref === wanted)?.data?.name ?? wanted;

  /** Whether what it begins with is there. */
  const begun = computed(() => [request, secret, former, account].every((one) => !one.isLoading.value));

  const wish = computed(() => wishOf(form, needs.value));
  const asked = computed(() => JSON.stringify(wish.value));
  // What was typed last is looked up once there is a pause in the typing.
  const settled = ref(asked.value);
  let timer = 0;
  watch(asked, (now) => {
    window.clearTimeout(timer);
    timer = window.setTimeout(() => (settled.value = now), 400);
  });
  const ready = computed(() => complete(form));
  const check = useQuery({
    queryKey: computed(() => ["offers", "check", insteadOf.value, settled.value]),
    queryFn: () => {
      const body = JSON.parse(settled.value) as ReturnType<typeof wishOf>;
      return insteadOf.value
        ? take(api.POST("/offers/{offer}/check", { params: { path: { offer: insteadOf.value } }, body }))
        : take(api.POST("/offers/check", { body }));
    },
    // Never of what was there before the last typing: that may not even have been complete.
    enabled: computed(() => ready.value && settled.value === asked.value),
    retry: false,
    staleTime: 0,
  });
  const terms = computed(() => (ready.value && !check.error.value ? check.data.value : undefined));
  const current = computed(() => settled.value === asked.value && !check.isFetching.value);
  const send = useMutation({
    mutationFn: () => {
      const body = { ...wish.value, digest: terms.value?.digest ?? "" };
      return insteadOf.value
        ? take(
            api.PUT("/offers/{offer}", {
              params: { path: { offer: insteadOf.value } },
              body: { ...body, version: former.data.value?.version ?? null },
            }),
          )
        : take(api.POST("/offers", { body }));
    },
    onSuccess: async (made) => {
      await queries.invalidateQueries({ queryKey: ["offers"] });
      await queries.invalidateQueries({ queryKey: ["requests"] });
      await queries.invalidateQueries({ queryKey: ["entries"] });
      await router.push({ path: "/offers", query: { offer: made.ref } });
    },
  });
  return {
    form,
    insteadOf,
    tasksError: tasks.error,
    tasks: computed(() => tasks.data.value?.items ?? []),
    request: request.data,
    secret: secret.data,
    begun,
    needs,
    accountName,
    wish,
    ready,
    check,
    terms,
    current,
    send,
  };
}
