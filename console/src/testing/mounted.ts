import { QueryClient, VueQueryPlugin } from "@tanstack/vue-query";
import { flushPromises, mount } from "@vue/test-utils";
import { vi } from "vitest";
import type { Component } from "vue";
import { createMemoryHistory, createRouter } from "vue-router";

/** What the service was sent: the method, the path under the API, the query, and the body. */
export interface Sent {
  method: string;
  path: string;
  query: Record<string, string>;
  body: unknown;
}
type Answer = unknown | ((sent: Sent) => unknown);

const ME = {
  person: { name: "Maren Ashdown", role: "owner" },
  workspace: { name: "Kestrel Ridge", zone: "Europe/London" },
};

/** A problem as the service answers one. */
export function problem(status: number, code: string, detail: string, errors: unknown[] = []): Response {
  return Response.json({ title: detail, detail, next: "Look again.", code, errors }, { status });
}

/** A service that answers what is written down for it, by method and path; returns what it was sent. */
export function service(answers: Record<string, Answer>, may: string[] = []): Sent[] {
  const sent: Sent[] = [];
  vi.stubGlobal("fetch", async (request: Request) => {
    const url = new URL(request.url);
    const path = decodeURIComponent(url.pathname.replace("/api/v1", ""));
    const text = request.method === "GET" ? "" : await request.text();
    const json = request.headers.get("Content-Type")?.startsWith("application/json");
    const one = {
      method: request.method,
      path,
      query: Object.fromEntries(url.searchParams),
      body: json && text ? (JSON.parse(text) as unknown) : text,
    };
    sent.push(one);
    if (path === "/me") return Response.json({ ...ME, may, csrf: "word" });
    const answer = answers[`${request.method} ${path}`];
    const found: unknown = await (typeof answer === "function"
      ? (answer as (sent: Sent) => unknown)(one)
      : answer);
    return found instanceof Response ? found.clone() : Response.json(found ?? { items: [], next: null });
  });
  return sent;
}

/** A component as the app mounts it, at an address. */
export async function mounted(component: Component, props: Record<string, unknown> = {}, at = "/") {
  const router = createRouter({
    history: createMemoryHistory(),
    routes: [{ path: "/:all(.*)*", component: { template: "<div />" } }],
  });
  await router.push(at);
  const queryClient = new QueryClient({ defaultOptions: { queries: { retry: false } } });
  const shown = mount(component, {
    props,
    attachTo: document.body,
    global: { plugins: [router, [VueQueryPlugin, { queryClient }]] },
  });
  await flushPromises();
  return { shown, router };
}

/** Let what is typed settle, as a person who pauses does, without waiting for it. */
export async function settled(milliseconds = 800): Promise<void> {
  await vi.advanceTimersByTimeAsync(milliseconds);
  await flushPromises();
}
