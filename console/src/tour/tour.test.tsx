import { screen, waitFor } from "@testing-library/react";
import userEvent from "@testing-library/user-event";
import { HttpResponse, http } from "msw";
import { afterEach, beforeEach, expect, test } from "vitest";
import type { Me } from "@/api/types";
import { draw } from "@/test/draw";
import { service } from "@/test/service";
import { stops } from "./stops";
import { Tour } from "./tour";

let kept = "";

beforeEach(() => {
  kept = "";
  service.use(
    http.get("*/api/v1/session/tour", () => HttpResponse.json({ at: kept })),
    http.put("*/api/v1/session/tour", async ({ request }) => {
      kept = ((await request.json()) as { at: string }).at;
      return new HttpResponse(null, { status: 204 });
    }),
  );
});

const me = (rights: string[]) => ({ name: "asta", rights }) as unknown as Me;

afterEach(() => localStorage.clear());

test("it goes on where one was in another browser, and marks what it is about", async () => {
  kept = "0";
  draw(
    <>
      <Tour me={me(["look"])} />
      <main id="content">
        <div data-tour="standings">all 3</div>
      </main>
    </>,
  );
  expect(await screen.findByRole("heading", { name: stops[0]?.title })).toBeInTheDocument();
  expect(screen.getByText("all 3")).toHaveClass("tour-point");
  await userEvent.click(screen.getByRole("button", { name: "Next" }));
  expect(screen.getByText("all 3")).not.toHaveClass("tour-point");
  await waitFor(() => expect(kept).toBe("1"));
});

test("it is offered once, and left for good", async () => {
  const first = draw(<Tour me={me(["look"])} />);
  await userEvent.click(await screen.findByRole("button", { name: "No, thanks" }));
  expect(screen.queryByLabelText("Tour")).toBeNull();
  await waitFor(() => expect(kept).toBe("left"));
  first.again(<Tour key="another visit" me={me(["look"])} />);
  expect(screen.queryByLabelText("Tour")).toBeNull();
});

test("it goes through the places that one may see, back and forth, and ends", async () => {
  draw(<Tour me={me(["look"])} />);
  await userEvent.click(await screen.findByRole("button", { name: "Show me" }));
  const mine = stops.filter((s) => !s.right);
  for (const stop of mine) {
    expect(screen.getByRole("heading", { name: stop.title })).toBeInTheDocument();
    if (stop === mine[2]) {
      await userEvent.click(screen.getByRole("button", { name: "Back" }));
      expect(screen.getByRole("heading", { name: mine[1]?.title })).toBeInTheDocument();
      await userEvent.click(screen.getByRole("button", { name: "Next" }));
    }
    await userEvent.click(screen.getByRole("button", { name: stop === mine.at(-1) ? "Finish" : "Next" }));
  }
  expect(screen.queryByLabelText("Tour")).toBeNull();
});
