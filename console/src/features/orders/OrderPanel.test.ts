import { VueQueryPlugin, QueryClient } from "@tanstack/vue-query";
import { enableAutoUnmount, flushPromises, mount } from "@vue/test-utils";
import { afterEach, describe, expect, it, vi } from "vitest";
import type { Entry } from "@/api/client";
import OrderPanel from "./OrderPanel.vue";

enableAutoUnmount(afterEach);
afterEach(() => vi.unstubAllGlobals());

const entry = {
  ref: "7Q4K-BRM2",
  kind: "delegate",
  acts: ["end", "end-on", "narrow", "extend", "pause"].map((action) => ({ action, here: true })),
  state: "live",
  resources: [],
  level: "site contractor",
  powers: ["view"],
  account: { name: "Gate" },
  provider: { name: "Ticket Desk" },
  party: { name: "Brightmere Electrical", addresses: ["works@brightmere.example"] },
  last_used: null,
  use_known: true,
} as unknown as Entry;
const plan = {
  consequences: [{ kind: "dependency", severity: "high", text: "One payment depends on it." }],
  steps: [{ call: "end", text: "Ask Ticket Desk." }],
  stop: "",
  ways_out: [],
  levels: ["guide"],
  digest: "d".repeat(64),
};
const changed = {
  title: "It has changed since you looked",
  detail: "Nothing was ordered.",
  next: "Look at the plan again.",
  code: "changed",
};

/** The service, as far as this panel speaks to it: what it was sent, and what it answers to an order. */
function service(ordered: () => Response, answer: (query: URLSearchParams) => object = () => plan) {
  const sent: { method: string; body: unknown }[] = [];
  vi.stubGlobal("fetch", async (request: Request) => {
    const body: unknown = request.method === "POST" ? await request.json() : null;
    sent.push({ method: request.method, body });
    const url = new URL(request.url);
    if (url.pathname.endsWith("/plan")) return Response.json(answer(url.searchParams));
    return request.method === "POST" ? ordered() : Response.json({});
  });
  return sent;
}

function panel() {
  const queryClient = new QueryClient({ defaultOptions: { queries: { retry: false } } });
  return mount(OrderPanel, {
    props: { entry, own: false },
    global: { plugins: [[VueQueryPlugin, { queryClient }]] },
  });
}

describe("ending access", () => {
  it("shows the consequences before anything is sent, and sends the plan that was shown", async () => {
    const sent = service(() => Response.json({ ref: "AAAA-BBBB" }, { status: 201 }));
    const shown = panel();
    await flushPromises();
    expect(shown.text()).toContain("One payment depends on it.");
    expect(sent.every(({ method }) => method === "GET")).toBe(true);
    await shown.get("input[name=reason]").setValue("Finished in spring");
    await shown.get("button.button-danger").trigger("click");
    await flushPromises();
    expect(sent.filter(({ method }) => method === "POST")).toMatchObject([
      {
        method: "POST",
        body: { entry: "7Q4K-BRM2", action: "end", reason: "Finished in spring", digest: plan.digest },
      },
    ]);
    expect(shown.emitted("ordered")).toHaveLength(1);
  });

  it("looks again where the plan is no longer the one that was shown", async () => {
    const sent = service(() => Response.json(changed, { status: 409 }));
    const shown = panel();
    await flushPromises();
    await shown.get("button.button-danger").trigger("click");
    await flushPromises();
    expect(shown.get("[role=alert]").text()).toContain("Nothing was ordered.");
    expect(shown.emitted("ordered")).toBeUndefined();
    const before = sent.length;
    await shown.get("[role=alert] button").trigger("click");
    await flushPromises();
    expect(sent.length).toBe(before + 1);
    expect(shown.find("[role=alert]").exists()).toBe(false);
  });

  it("narrows to a level that gives less, which has to be chosen first", async () => {
    const sent = service(() => Response.json({ ref: "AAAA-BBBB" }, { status: 201 }));
    const shown = panel();
    await flushPromises();
    await shown
      .findAll("button")
      .find((one) => one.text() === "Narrow")
      ?.trigger("click");
    await flushPromises();
    expect(shown.find("button.button-danger").exists()).toBe(false);
    await shown.get("select").setValue("guide");
    await flushPromises();
    await shown.get("button.button-danger").trigger("click");
    await flushPromises();
    expect(sent.at(-1)?.body).toMatchObject({ action: "narrow", level: "guide", digest: plan.digest });
  });

  it("does not end the last administrator before someone is named who follows", async () => {
    const ways = [{ entry: "345B-1Y0A", name: "Maren Ashdown", level: "reader" }];
    const sent = service(
      () => Response.json({ ref: "AAAA-BBBB" }, { status: 201 }),
      (query) => (query.get("successor") ? plan : { ...plan, stop: "The last one.", ways_out: ways }),
    );
    const shown = panel();
    await flushPromises();
    expect(shown.get("button.button-danger").attributes("disabled")).toBeDefined();
    await shown.get("select").setValue("345B-1Y0A");
    await flushPromises();
    await shown.get("button.button-danger").trigger("click");
    await flushPromises();
    expect(sent.at(-1)?.body).toMatchObject({ action: "end", successor: "345B-1Y0A" });
  });

  it("leaves everything as it is when it is kept", async () => {
    const sent = service(() => Response.json({}));
    const shown = panel();
    await flushPromises();
    await shown.findAll("button").at(-1)?.trigger("click");
    expect(shown.emitted("back")).toHaveLength(1);
    expect(sent.some(({ method }) => method === "POST")).toBe(false);
  });
});
