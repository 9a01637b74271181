import { HttpResponse, http } from "msw";
import { describe, expect, it, vi } from "vitest";
import { refuses, service } from "@/test/service";
import { client, limitOf, Refusal, signedOut, take } from "./client";
import { everything, type List } from "./pages";

describe("an answer", () => {
  it("that refuses says what is wrong, with its code", async () => {
    service.use(refuses("get", "watch", 403, "ask an owner", "out_of_reach"));
    const error = await take(client.GET("/api/v1/watch")).catch((e: unknown) => e);
    expect(error).toBeInstanceOf(Refusal);
    expect(error).toMatchObject({ message: "ask an owner", status: 403, code: "out_of_reach" });
  });
  it("that does not come is no refusal of the service", async () => {
    service.use(http.get("*/api/v1/watch", () => HttpResponse.error()));
    await expect(take(client.GET("/api/v1/watch"))).rejects.toThrow("does not answer");
  });
  it("has 15 seconds, and two minutes where the whole fleet is looked at", () => {
    expect(limitOf("/api/v1/devices/SKL-HQ-001/why")).toBe(15_000);
    for (const path of ["/changes/desks/preview", "/changes/desks/apply", "/rollouts", "/preview"]) {
      expect(limitOf(`/api/v1${path}`), path).toBe(120_000);
    }
  });
  it("that comes too late says that it may have been done, and one that somebody stopped says nothing", async () => {
    const failing = (name: string) => take(Promise.reject(Object.assign(new Error("x"), { name })));
    await expect(failing("TimeoutError")).rejects.toThrow("It may have done what was asked all the same");
    const stopped = await failing("AbortError").catch((e: unknown) => e);
    expect(stopped).not.toBeInstanceOf(Refusal);
  });
  it("that nobody is signed in is heard by the whole page, but for the question who is", async () => {
    let heard = 0;
    const hear = () => heard++;
    addEventListener(signedOut, hear);
    service.use(refuses("get", "watch", 401, "sign in"), refuses("get", "session", 401, "sign in"));
    await take(client.GET("/api/v1/session")).catch(() => {});
    expect(heard).toBe(0);
    await take(client.GET("/api/v1/watch")).catch(() => {});
    expect(heard).toBe(1);
    removeEventListener(signedOut, hear);
  });
});

it("what alters something is sent once while it is under way, however often one clicks", async () => {
  let sent = 0;
  let answer = () => {};
  const answered = new Promise<void>((done) => {
    answer = done;
  });
  service.use(
    http.post("*/api/v1/device-names", async () => {
      sent += 1;
      await answered;
      return HttpResponse.json({ enrolled: 1, unknown: [] });
    }),
  );
  const click = (name: string) => take(client.POST("/api/v1/device-names", { body: { names: [name] } }));
  const clicks = [click("SKL-WKS-001"), click("SKL-WKS-001"), click("SKL-WKS-002")];
  await vi.waitFor(() => expect(sent).toBe(2));
  answer();
  expect(await Promise.all(clicks)).toHaveLength(3);
  expect(sent).toBe(2);
  await click("SKL-WKS-001");
  expect(sent).toBe(3);
});

it("a list is read whole, page by page", async () => {
  const asked: string[] = [];
  const list: List<number> = {
    key: ["numbers"],
    meta: {},
    page: async (cursor) => {
      asked.push(cursor);
      const from = Number(cursor || 0);
      return { items: [from, from + 1], next: from < 4 ? String(from + 2) : "" };
    },
  };
  expect(await everything(list)).toEqual([0, 1, 2, 3, 4, 5]);
  expect(asked).toEqual(["", "2", "4"]);
});
