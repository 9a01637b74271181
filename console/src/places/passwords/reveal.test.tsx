import { act, screen } from "@testing-library/react";
import userEvent from "@testing-library/user-event";
import { afterEach, beforeEach, describe, expect, it, vi } from "vitest";
import type { Password } from "@/api/types";
import { draw } from "@/test/draw";
import { answers, refuses, service, takes } from "@/test/service";
import { Reveal } from "./reveal";

const mooring = { device: "SKL-HQ-001", device_id: "D1", account: "account:mooring", name: "mooring" } as Password;
const deposit = { epoch: 1, number: 2, state: "current", name: "mooring", deposited_at: "2026-05-04T09:00:00Z" };
const about = { device: "SKL-HQ-001", account: "account:mooring" };
const shown = { about, candidates: [{ password: "Tide-table-7306", deposit }], rotates_at: null };

describe("viewing a password", () => {
  beforeEach(() => {
    vi.useFakeTimers({ shouldAdvanceTime: true });
    service.use(
      answers("session", { at_provider: false }),
      answers("devices/SKL-HQ-001/passwords", { items: [{ ...about, deposits: [deposit] }] }),
    );
  });
  afterEach(() => vi.useRealTimers());
  const user = userEvent.setup({ advanceTimers: vi.advanceTimersByTime });

  async function ask(reason: string, button = /Show for/) {
    if (reason) await user.type(screen.getByLabelText("Reason"), reason);
    await user.click(screen.getByRole("button", { name: button }));
  }

  /** A password that is shown, whose groups are elements of their own. */
  const secret = (password: string) =>
    screen.findByText((_, element) => element?.tagName === "CODE" && element.textContent === password);

  it("is never read aloud by itself: only that it is shown, and hidden", async () => {
    service.use(takes("devices/D1/reveal", shown));
    draw(<Reveal of={mooring} />);
    await ask("ticket 4711");
    const code = await secret("Tide-table-7306");
    expect(code.closest("[role=status],[role=alert],[aria-live]")).toBeNull();
    expect(screen.getByRole("status")).toHaveTextContent("The password is shown for 30 seconds.");
    await user.click(screen.getByRole("button", { name: "Hide now" }));
    expect(await screen.findByText("The password is hidden.")).toBeInTheDocument();
  });

  it("is struck through once a rotation has replaced it", async () => {
    service.use(takes("devices/D1/reveal", shown));
    const { cache } = draw(<Reveal of={mooring} />);
    await ask("ticket 4711");
    expect(await secret("Tide-table-7306")).not.toHaveClass("line-through");
    const newer = { ...deposit, number: 3, state: "pending", deposited_at: "2026-05-05T09:00:00Z" };
    const give = (...deposits: object[]) => {
      service.use(answers("devices/SKL-HQ-001/passwords", { items: [{ ...about, deposits }] }));
      return act(() => cache.invalidateQueries());
    };
    await give(newer, deposit);
    expect(await screen.findByText(/this password, or the newer one, opens the account/)).toBeVisible();
    await give({ ...newer, state: "current" }, { ...deposit, state: "former" });
    expect(await screen.findByText(/it opens nothing any more/)).toBeVisible();
    expect(await secret("Tide-table-7306")).toHaveClass("line-through");
  });

  it("stays for 30 seconds more without another reason, and is spelled", async () => {
    let sent = 0;
    service.use(takes("devices/D1/reveal", shown, () => sent++));
    const { container } = draw(<Reveal of={mooring} />);
    await ask("ticket 4711");
    await secret("Tide-table-7306");
    await act(() => vi.advanceTimersByTimeAsync(20_000));
    await user.click(screen.getByRole("button", { name: "30 s more" }));
    await act(() => vi.advanceTimersByTimeAsync(20_000));
    expect(await secret("Tide-table-7306")).toBeVisible();
    await user.click(screen.getByRole("button", { name: "Spell it" }));
    expect(screen.getByText("capital Tango")).toBeVisible();
    await act(() => vi.advanceTimersByTimeAsync(11_000));
    expect(container).not.toHaveTextContent("capital Tango");
    expect(sent).toBe(1);
  });

  it("needs a reason, and sends nothing without one", async () => {
    let sent = 0;
    service.use(takes("devices/D1/reveal", shown, () => sent++));
    draw(<Reveal of={mooring} />);
    await ask("no");
    expect(await screen.findByRole("alert")).toHaveTextContent("Say why");
    expect(screen.getByLabelText("Reason")).toBeInvalid();
    expect(sent).toBe(0);
  });

  it("shows it for half a minute, and leaves nothing behind", async () => {
    const sent: unknown[] = [];
    service.use(takes("devices/D1/reveal", shown, (body) => sent.push(body)));
    const { cache, container } = draw(<Reveal of={mooring} />);
    await ask("ticket 4711, new disk");
    expect(await secret("Tide-table-7306")).toBeVisible();
    expect(sent).toEqual([{ account: "account:mooring", reason: "ticket 4711, new disk", copied: false }]);
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
    draw(<Reveal of={mooring} />);
    await ask("ticket 4711");
    expect(await screen.findByText(/any of these may be the right one/)).toBeVisible();
    expect(await secret("Harbour-lamp-41")).toBeVisible();
  });

  it("asks for the own password when the sign-in is too old, and keeps the reason", async () => {
    service.use(refuses("post", "devices/D1/reveal", 403, "sign in again", "sign_in_again"));
    draw(<Reveal of={mooring} />);
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
    expect(await secret("Tide-table-7306")).toBeVisible();
    expect(sent).toEqual([{ account: "account:mooring", reason: "ticket 4711", copied: false }]);
  });

  it("copies without showing", async () => {
    service.use(takes("devices/D1/reveal", shown));
    const { container } = draw(<Reveal of={mooring} />);
    const write = vi.spyOn(navigator.clipboard, "writeText").mockResolvedValue();
    await ask("ticket 4711", /Copy/);
    expect(await screen.findByText(/Copied without showing it/)).toBeVisible();
    expect(write).toHaveBeenCalledWith("Tide-table-7306");
    expect(container).not.toHaveTextContent("Tide-table-7306");
  });
});
