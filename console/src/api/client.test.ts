import { afterEach, describe, expect, it, vi } from "vitest";
import { api, take } from "./client";

const answer = (status: number, body: object): Response =>
  new Response(JSON.stringify(body), { status, headers: { "Content-Type": "application/json" } });
const BUSY = { status: 503, code: "busy", detail: "Too many requests are being answered at this moment." };

/** Ask for the workspace while these are the answers, one after the other; without waiting for a clock. */
async function asked(...answers: Response[]): Promise<[unknown, number]> {
  vi.useFakeTimers();
  const fetch = vi.fn(() => Promise.resolve(answers.shift() ?? answer(503, BUSY)));
  vi.stubGlobal("fetch", fetch);
  const result = take(api.GET("/workspace", { baseUrl: "http://latch.example/api/v1" })).catch(
    (error: unknown) => error,
  );
  await vi.runAllTimersAsync();
  return [await result, fetch.mock.calls.length];
}

describe("a request that finds no place", () => {
  afterEach(() => {
    vi.unstubAllGlobals();
    vi.useRealTimers();
  });

  it("is sent again until there is one", async () => {
    const [found, times] = await asked(
      answer(503, BUSY),
      answer(503, BUSY),
      answer(200, { name: "Kestrel Ridge" }),
    );
    expect(found).toEqual({ name: "Kestrel Ridge" });
    expect(times).toBe(3);
  });

  it("is told as what it is, if there never is one", async () => {
    const [error, times] = await asked();
    expect(error).toMatchObject({ code: "busy", status: 503 });
    expect(times).toBe(21);
  });

  it("is not sent again where something else is wrong", async () => {
    const [error, times] = await asked(
      answer(503, { status: 503, code: "provider-down", detail: "No answer." }),
    );
    expect(error).toMatchObject({ code: "provider-down" });
    expect(times).toBe(1);
  });
});
