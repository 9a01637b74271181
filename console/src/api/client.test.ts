import { HttpResponse, http } from "msw";
import { describe, expect, it } from "vitest";
import { refuses, service } from "@/test/service";
import { client, Refusal, signedOut, take } from "./client";
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
