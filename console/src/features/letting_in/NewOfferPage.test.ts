import { enableAutoUnmount, flushPromises } from "@vue/test-utils";
import { afterEach, beforeEach, describe, expect, it, vi } from "vitest";
import { mounted, problem, service, settled } from "@/testing/mounted";
import NewOfferPage from "./NewOfferPage.vue";

enableAutoUnmount(afterEach);
beforeEach(() => vi.useFakeTimers({ shouldAdvanceTime: true }));
afterEach(() => {
  vi.useRealTimers();
  vi.unstubAllGlobals();
});

const AMARA = "amara.levy@northcape-uni.example";
const part = {
  account: { ref: "AAAA-AAAA", name: "South Dome" },
  provider: "Dome Control",
  kind: "grant",
  level: "observer",
  permissions: [],
  resources: [],
  powers: ["view"],
  ends_at: "2030-05-10T23:00:00Z",
  hours: null,
  sentence: "Dr Amara Levy can view on South Dome.",
  fit: null,
};
const terms = {
  address: AMARA, ascii: "", name: "Dr Amara Levy", near: null, near_how: null, known: null, outside: true,
  parts: [part], remarks: [] as object[], sentences: ["Dr Amara Levy can view on South Dome."],
  starts_at: null, lapses_at: "2030-01-01T00:00:00Z", digest: "a".repeat(64),
}; // prettier-ignore
const tasks = { items: [{ id: "observe", title: "Observe", needs: ["view"], own: false }] };
const accounts = {
  items: [{ id: "1", ref: "AAAA-AAAA", name: "South Dome", provider: { name: "Dome Control" } }],
  next: null,
};

const observer = {
  level: "observer",
  permissions: [],
  powers: ["view"],
  beyond: [],
  money: [],
  admitting: [],
};
const fit = {
  account: { ref: "AAAA-AAAA", name: "South Dome" },
  provider: "Dome Control",
  needs: ["view"],
  choices: [observer],
  lacks: [],
  text: "“observer” is the narrowest that covers view.",
};

const outcome = {
  flags_raised: [
    { rule: "never-reviewed", title: "", severity: "low", subject: "entry", about: "South Dome", reason: "Nobody has reviewed it." },
  ],
  risks: [],
}; // prettier-ignore

async function page(
  checked: unknown = terms,
  answers: Record<string, unknown> = {},
  at = "/offers/new?account=South%20Dome",
) {
  const sent = service({
    "GET /tasks": tasks,
    "GET /accounts": accounts,
    "GET /accounts/AAAA-AAAA/fit": fit,
    "POST /offers/check": checked,
    "GET /parties": { items: [], next: null },
    "GET /accounts/South Dome": accounts.items[0],
    "GET /accounts/AAAA-AAAA": accounts.items[0],
    "GET /accounts/AAAA-AAAA/choices": { levels: [], parts: [], more_parts: 0 },
    "POST /offers/preview": { outcome, proposal: {} },
    "POST /offers": { ref: "OOOO-OOOO" },
    ...answers,
  });
  const { shown, router } = await mounted(NewOfferPage, {}, at);
  const send = () => shown.findAll("button").find((one) => one.text().startsWith("Send the offer"));
  const offered = () =>
    sent.filter((one) => one.method === "POST" && one.path === "/offers").map((one) => one.body);
  const next = () => shown.get("form").trigger("submit");
  async function filled() {
    await shown.get("input[name=to]").setValue(AMARA);
    await next();
    const task = shown.findAll("select").find((one) => one.text().includes("Observe"))!;
    await task.setValue("observe");
    await next();
    await shown.get("input[name=until]").setValue("2030-05-10");
    await next();
    await next();
    await settled();
  }
  async function back(step: string) {
    await shown.get(`button[aria-label='Change: ${step}']`).trigger("click");
  }
  return { sent, shown, router, send, offered, filled, next, back };
}

describe("letting someone in", () => {
  it("shows the exact words first, and sends only what was confirmed", async () => {
    const { sent, shown, send, offered, filled, router } = await page();
    expect(send(), "nothing to send before it is read").toBeUndefined();
    await filled();
    expect(sent.find((one) => one.path === "/offers/check")?.body).toMatchObject({
      to: AMARA,
      until: "2030-05-10",
    });
    expect(shown.text()).toContain("Dr Amara Levy can view on South Dome.");
    expect(shown.text(), "with the flags that it would raise").toContain("Nobody has reviewed it.");
    expect(send()!.attributes("disabled")).toBeDefined();
    await shown.findAll("input[type=checkbox]").at(-1)!.setValue(true);
    await send()!.trigger("click");
    await flushPromises();
    expect(offered()).toMatchObject([{ to: AMARA, digest: terms.digest }]);
    await settled();
    expect(router.currentRoute.value.fullPath).toBe("/offers?offer=OOOO-OOOO");
  });

  it("asks anew whether it is meant so when the terms are no longer those that were read", async () => {
    let digest = terms.digest;
    const { shown, send, filled, next } = await page(() => ({ ...terms, digest }));
    await filled();
    await shown.findAll("input[type=checkbox]").at(-1)!.setValue(true);
    expect(send()!.attributes("disabled")).toBeUndefined();
    digest = "b".repeat(64);
    await shown.get("button[aria-label='Fill in: Why']").trigger("click");
    await shown.get("input[name=basis]").setValue("Nights on faint variables");
    await next();
    expect(send()!.attributes("disabled"), "what is written is not what was looked at").toBeDefined();
    await settled();
    expect(send()!.attributes("disabled")).toBeDefined();
    expect(shown.text()).toContain("Nights on faint variables");
  });

  it("offers no sending where something stops it", async () => {
    const stop = {
      kind: "not-registered",
      severity: "high",
      text: "Nobody is registered by that.",
      next_step: "",
      stops: true,
    };
    const { shown, send, filled } = await page({ ...terms, remarks: [stop] });
    await filled();
    expect(shown.text()).toContain("Nobody is registered by that.");
    expect(send()?.attributes("disabled")).toBeDefined();
  });

  it("says what is wrong with what was typed, and sends nothing", async () => {
    const { shown, send, filled, offered } = await page(() =>
      problem(422, "invalid", "“amara levy” is not an address."),
    );
    await filled();
    expect(shown.text()).toContain("“amara levy” is not an address.");
    expect(send()).toBeUndefined();
    expect(offered()).toEqual([]);
  });

  it("opens one decision at a time, says in words what was decided, and lets nobody skip one", async () => {
    const { shown, filled, next, back } = await page();
    const open = () => shown.get("[aria-current=step] h2").text();
    expect(open()).toBe("Who");
    expect(shown.find("button[aria-label='Change: How long']").exists()).toBe(false);
    await filled();
    expect(open()).toBe("What you would offer");
    expect(shown.text()).toContain("South Dome: Observe");
    expect(shown.text()).toContain("once accepted, until 10 May 2030");
    await back("Who");
    expect(open()).toBe("Who");
    await shown.get("input[name=name]").setValue("Dr Amara Levy");
    await next();
    expect(shown.text()).toContain(`Dr Amara Levy · ${AMARA}`);
  });

  it("goes past what a request has said already", async () => {
    const asked = {
      address: AMARA, name: "Dr Amara Levy", reason: "Nights", ends_at: "2030-05-10T23:00:00Z", level: "observer",
      needs: ["view"], account: "South Dome", account_id: "AAAA-AAAA",
    }; // prettier-ignore
    const { shown } = await page(
      terms,
      { "GET /requests/RRRR-RRRR": asked },
      "/offers/new?request=RRRR-RRRR",
    );
    await settled();
    expect(shown.get("[aria-current=step] h2").text()).toBe("What you would offer");
    expect(shown.text()).toContain("South Dome: “observer”");
  });

  it("leaves whoever has begun where they are, however late something arrives", async () => {
    let arrive: (account: unknown) => void = () => undefined;
    const late = new Promise((done) => (arrive = done));
    const { shown } = await page(terms, { "GET /accounts/South Dome": () => late });
    const open = () => shown.get("[aria-current=step] h2").text();
    await shown.get("input[name=to]").setValue(AMARA);
    arrive(accounts.items[0]);
    await settled();
    expect(open()).toBe("Who");
    expect(shown.get<HTMLInputElement>("input[name=to]").element.value).toBe(AMARA);
  });

  it("makes no end a choice: without a day nothing is looked up unless it is ticked", async () => {
    const { sent, shown, filled, back } = await page();
    await filled();
    await back("How long");
    const before = sent.filter((one) => one.path === "/offers/check").length;
    await shown.get("input[name=until]").setValue("");
    await settled();
    expect(sent.filter((one) => one.path === "/offers/check")).toHaveLength(before);
    const endless = shown.findAll("label").find((one) => one.text().includes("without an end, on purpose"))!;
    await endless.get("input").setValue(true);
    await settled();
    expect(sent.filter((one) => one.path === "/offers/check").at(-1)?.body).toMatchObject({ endless: true });
  });
});
