import { screen } from "@testing-library/react";
import userEvent from "@testing-library/user-event";
import { afterEach, expect, test } from "vitest";
import type { Me } from "@/api/types";
import { draw } from "@/test/draw";
import { stops } from "./stops";
import { Tour } from "./tour";

const me = (rights: string[]) => ({ name: "asta", rights }) as unknown as Me;

afterEach(() => localStorage.clear());

test("it is offered once, and left for good", async () => {
  const first = draw(<Tour me={me(["look"])} />);
  await userEvent.click(screen.getByRole("button", { name: "No, thanks" }));
  expect(screen.queryByLabelText("Tour")).toBeNull();
  first.again(<Tour key="another visit" me={me(["look"])} />);
  expect(screen.queryByLabelText("Tour")).toBeNull();
});

test("it goes through the places that one may see, back and forth, and ends", async () => {
  draw(<Tour me={me(["look"])} />);
  await userEvent.click(screen.getByRole("button", { name: "Show me" }));
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
