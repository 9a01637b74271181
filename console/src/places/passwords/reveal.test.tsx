import { act, screen } from "@testing-library/react";
import userEvent from "@testing-library/user-event";
import { afterEach, beforeEach, describe, expect, it, vi } from "vitest";
import type { Password } from "@/api/types";
import { draw } from "@/test/draw";
import { answers, refuses, service, takes } from "@/test/service";
import { Reveal } from "./reveal";

const keeper = { device: "SKL-HQ-001", device_id: "D1", account: "account:keeper", name: "keeper" } as Password;
const deposit = { epoch: 1, number: 2, state: "current", name: "keeper", deposited_at: "2026-05-04T09:00:00Z" };
const shown = { candidates: [{ password: "Tide-table-7306", deposit }], rotates_at: null };

describe("viewing a password", () => {
  beforeEach(() => {
    vi.useFakeTimers({ shouldAdvanceTime: true });
    service.use(answers("session", { at_provider: false }));
  });
  afterEach(() => vi.useRealTimers());
  const user = userEvent.setup({ advanceTimers: vi.advanceTimersByTime });

  async function ask(reason: string, button = /Show for/) {
    if (reason) await user.type(screen.getByLabelText("Reason"), reason);
    await user.click(screen.getByRole("button", { name: button }));
  }

  it("needs a reason, and sends nothing without one", async () => {
    let sent = 0;
    service.use(takes("devices/D1/reveal", shown, () => sent++));
    draw(<Reveal of={keeper} />);
    await ask("no");
    expect(await screen.findByRole("alert")).toHaveTextContent("Say why");
    expect(screen.getByLabelText("Reason")).toBeInvalid();
    expect(sent).toBe(0);
  });

  it("shows it for half a minute, and leaves nothing behind", async () => {
    const sent: unknown[] = [];
    service.use(takes("devices/D1/reveal", shown, (body) => sent.push(body)));
    const { cache, container } = draw(<Reveal of={keeper} />);
    await ask("ticket 4711, new disk");
    expect(await screen.findByText("Tide-table-7306")).toBeVisible();
    expect(sent).toEqual([{ account: "account:keeper", reason: "ticket 4711, new disk", copied: false }]);
    await act(() => vi.advanceTimersByTimeAsync(31_000));
    expect(container).not.toHaveTextContent("Tide-table-7306");
    expect(screen.getByLabelText("Reason")).toHaveValue("");
    expect(
      JSON.stringify(
        cache
          .getQueryCache()
          .getAll()
          .map((q) => q.state.data) ?? [],
      ),
    ).not.toContain("Tide-table");
  });

  it("says that several may be right while a change is under way", async () => {
    const older = { password: "Harbour-lamp-41", deposit: { ...deposit, number: 1, state: "pending" } };
    service.use(takes("devices/D1/reveal", { ...shown, candidates: [...shown.candidates, older] }));
    draw(<Reveal of={keeper} />);
    await ask("ticket 4711");
    expect(await screen.findByText(/any of these may be the right one/)).toBeVisible();
    expect(screen.getByText("Harbour-lamp-41")).toBeVisible();
  });

  it("asks for the own password when the sign-in is too old, and keeps the reason", async () => {
    service.use(refuses("post", "devices/D1/reveal", 403, "sign in again", "sign_in_again"));
    draw(<Reveal of={keeper} />);
    await ask("ticket 4711");
    const own = await screen.findByLabelText("Your password");
    service.use(refuses("post", "session/fresh", 401, "name or password is wrong"));
    await user.type(own, "wrong");
    await user.click(screen.getByRole("button", { name: "Go on" }));
    expect(await screen.findByRole("alert")).toHaveTextContent("is wrong");
    const sent: unknown[] = [];
    service.use(
      takes("session/fresh", {}),
      takes("devices/D1/reveal", shown, (body) => sent.push(body)),
    );
    await user.click(screen.getByRole("button", { name: "Go on" }));
    expect(await screen.findByText("Tide-table-7306")).toBeVisible();
    expect(sent).toEqual([{ account: "account:keeper", reason: "ticket 4711", copied: false }]);
  });

  it("copies without showing", async () => {
    service.use(takes("devices/D1/reveal", shown));
    const { container } = draw(<Reveal of={keeper} />);
    const write = vi.spyOn(navigator.clipboard, "writeText").mockResolvedValue();
    await ask("ticket 4711", /Copy/);
    expect(await screen.findByText(/Copied without showing it/)).toBeVisible();
    expect(write).toHaveBeenCalledWith("Tide-table-7306");
    expect(container).not.toHaveTextContent("Tide-table-7306");
  });
});
