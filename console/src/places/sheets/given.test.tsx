import { render, screen, within } from "@testing-library/react";
import userEvent from "@testing-library/user-event";
import { expect, test, vi } from "vitest";
import type { MadeSheet } from "@/api/types";
import { Given } from "./given";
import { standsAs } from "./words";

const made: MadeSheet = {
  id: "01TIDE",
  state: "made",
  recipient: "",
  reason: "MV Tern",
  needs: [],
  created_by: "nightwatch",
  created_at: "2031-03-04T06:00:00Z",
  decided_by: "",
  decided_at: null,
  made_at: "2031-03-04T06:00:00Z",
  expires_at: "2031-03-18T06:00:00Z",
  valid: 1,
  devices: [{ device: "SKL-TKT-001", device_id: "d1", passwords: 1, valid: 1, ordered_at: null }],
  sealed: "sealed",
  page: "<p>sealed</p>",
  passphrase: "buoy buoy keel mast oar pier quay reef sail tide",
  without: ["SKL-TKT-002"],
};

test("the ten words stand there once, and are not left before the sheet is saved", async () => {
  const done = vi.fn();
  const saved: Blob[] = [];
  URL.createObjectURL = (blob) => {
    saved.push(blob as Blob);
    return "blob:sheet";
  };
  URL.revokeObjectURL = () => {};
  render(<Given made={made} done={done} />);
  const words = within(screen.getByRole("list", { name: "Ten words" })).getAllByRole("listitem");
  expect(words.map((w) => w.textContent)).toHaveLength(10);
  expect(screen.getByText(/Nothing is in escrow of SKL-TKT-002/)).toBeTruthy();
  expect(screen.getByRole<HTMLButtonElement>("button", { name: "Close" }).disabled).toBe(true);
  await userEvent.click(screen.getByRole("button", { name: "Save the sheet to print" }));
  expect(await saved[0]?.text()).toBe(made.page);
  await userEvent.click(screen.getByRole("button", { name: "Close" }));
  expect(done).toHaveBeenCalledOnce();
});

test("a sheet stands as its passwords do", () => {
  const two = [...made.devices, { device: "B", device_id: "d2", passwords: 1, valid: 0, ordered_at: null }];
  expect(standsAs(made)).toBe("good: 1 password");
  expect(standsAs({ ...made, devices: two })).toBe("1 of 2 passwords still good");
  expect(standsAs({ ...made, valid: 0 })).toBe("void: every password was changed");
  expect(standsAs({ ...made, state: "waiting" })).toBe("waits for a second person");
});
