import { screen, waitFor } from "@testing-library/react";
import userEvent from "@testing-library/user-event";
import { afterEach, beforeEach, describe, expect, it, vi } from "vitest";
import { draw } from "@/test/draw";
import { answers, refuses, service, takes } from "@/test/service";
import { App } from "./app";
import { Broken } from "./broken";

const standings = { in_step: 3, drifted: 1, waiting: 0, held: 0, silent: 0 };
const fleet = {
  devices: 4,
  online: 4,
  verified: 3,
  online_reported: 4,
  online_verified: 3,
  versions: [],
  unsettled: 0,
  standings,
  strips: [],
  decisions: [],
  edits: [],
  rollouts: [],
  findings: [],
};
const me = { name: "asta", rights: ["look"], roles: [] };

class NoStream extends EventTarget {
  static readonly CLOSED = 2;
  readyState = 0;
  close() {}
}

const Fails = () => {
  throw new Error("it broke");
};

describe("the console", () => {
  const user = userEvent.setup();
  beforeEach(() => {
    vi.stubGlobal("EventSource", NoStream);
    vi.stubGlobal("matchMedia", () => ({ matches: false }));
    const none = { items: [], next: "" };
    service.use(answers("changes", none), answers("brakes", none), answers("standing-history", { hours: [] }));
    service.use(answers("sign-in-ways", { password: true, passkeys: false, provider: "" }));
  });
  afterEach(() => vi.unstubAllGlobals());

  it("asks who is there, and sends no empty sign-in", async () => {
    service.use(refuses("get", "session", 401, "nobody is signed in"));
    draw(<App />, "/watch");
    await user.click(await screen.findByRole("button", { name: "Sign in" }));
    expect(await screen.findByText("Enter your name.")).toBeVisible();
    service.use(refuses("post", "session", 401, "name or password is wrong; try again"));
    await user.type(screen.getByLabelText("Name"), "asta");
    await user.type(screen.getByLabelText("Password"), "wrong");
    await user.click(screen.getByRole("button", { name: "Sign in" }));
    expect(await screen.findByText(/name or password is wrong/)).toBeVisible();
    service.use(takes("session", me), answers("session", me), answers("watch", fleet));
    await user.click(screen.getByRole("button", { name: "Sign in" }));
    expect(await screen.findByRole("heading", { name: "4 devices, 4 online" })).toBeVisible();
  });

  it("keeps the page, and asks for the sign-in on top of it, when the session ends", async () => {
    service.use(answers("session", me), answers("watch", fleet));
    const { cache } = draw(<App />, "/watch");
    await screen.findByRole("heading", { name: "4 devices, 4 online" });
    service.use(refuses("get", "session", 401, "ended"), refuses("get", "watch", 401, "ended"));
    await cache.invalidateQueries();
    expect(await screen.findByRole("dialog", { name: "Sign in again" })).toBeVisible();
    expect(screen.getByText("4 devices, 4 online")).toBeInTheDocument();
  });

  it("finds a device by its serial, with Enter before the answer is there", async () => {
    service.use(
      ...["policies", "groups", "assignments", "changes", "directory", "accounts"].map((p) =>
        answers(p, { items: [], next: "" }),
      ),
    );
    service.use(
      answers("session", me),
      answers("watch", fleet),
      answers("devices", { items: [{ id: "D1", name: "SKL-HQ-001", standing: "in_step" }], next: "" }),
      refuses("get", "devices/SKL-HQ-001/why", 404, "there is no device"),
      answers("devices/SKL-HQ-001/passwords", { items: [] }),
    );
    draw(<App />, "/watch");
    await screen.findByRole("heading", { name: "4 devices, 4 online" });
    await user.keyboard("{Control>}k{/Control}");
    await user.type(await screen.findByRole("combobox"), "SL-1{Enter}");
    expect(await screen.findByText("There is no device.")).toBeVisible();
    await waitFor(() => expect(screen.queryByRole("combobox")).toBeNull());
  });

  it("says so when a page cannot be drawn, and keeps the rest", () => {
    const quiet = vi.spyOn(console, "error").mockImplementation(() => {});
    draw(
      <Broken>
        <Fails />
      </Broken>,
    );
    expect(screen.getByRole("alert")).toHaveTextContent("it broke");
    quiet.mockRestore();
  });
});
