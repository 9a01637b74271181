import { screen } from "@testing-library/react";
import userEvent from "@testing-library/user-event";
import { describe, expect, it, vi } from "vitest";
import type { Group } from "@/api/types";
import { draw } from "@/test/draw";
import { answers, refuses, service, takes } from "@/test/service";
import { RuleForm } from "./rule-form";

const kiosks = { name: "kiosks", rule: '"kiosk" in device.tags', version: 3 } as Group;

describe("a rule", () => {
  const user = userEvent.setup();

  it("says for whom it would hold while one types", async () => {
    service.use(takes("rule-trial", { holds: 12, unknown: 1, examples: ["SKL-TKT-001"], reads: ["tags"] }));
    draw(<RuleForm group={undefined} />);
    expect(screen.getByRole("button", { name: "Add to the change" })).toBeDisabled();
    await user.type(screen.getByLabelText("Name"), "kiosks");
    await user.type(screen.getByLabelText(/^Rule/), "device.os_build > 1");
    expect(await screen.findByText(/for example SKL-TKT-001/)).toHaveTextContent("Matches 12 devices");
    expect(screen.getByText(/Unknown for 1/)).toBeVisible();
  });

  it("goes into the current change, over the version that was read", async () => {
    localStorage.setItem("rankwarden-change", "tidy");
    let sent: unknown;
    service.use(
      takes("rule-trial", { holds: 12, unknown: 0, examples: [], reads: ["os_build"] }),
      takes("changes/tidy/edits", { change: { edits: [] }, problems: [] }, (body) => {
        sent = body;
      }),
      answers("changes/tidy", { name: "tidy", state: "draft", edits: [] }),
    );
    draw(<RuleForm group={kiosks} />);
    const rule = screen.getByLabelText(/^Rule/);
    await user.clear(rule);
    await user.type(rule, "device.os_build > 1");
    await user.click(screen.getByRole("button", { name: "Add to the change" }));
    await vi.waitFor(() =>
      expect(sent).toEqual({
        kind: "group",
        name: "kiosks",
        based_on: 3,
        replaces: 0,
        group: { rule: "device.os_build > 1" },
      }),
    );
    localStorage.clear();
  });

  it("that cannot be used is refused with its place", async () => {
    service.use(refuses("post", "rule-trial", 422, "the rule cannot be used: line 1, column 4: no such fact"));
    draw(<RuleForm group={kiosks} />);
    expect(await screen.findByRole("alert")).toHaveTextContent("column 4");
  });

  it("that somebody else changed meanwhile is not written over unasked", async () => {
    service.use(takes("rule-trial", { holds: 1, unknown: 0, examples: [], reads: [] }));
    const { again } = draw(<RuleForm group={kiosks} />);
    await user.type(screen.getByLabelText(/^Rule/), " && true");
    const theirs = { ...kiosks, rule: "device.name == 'x'", version: 4 };
    again(<RuleForm group={theirs} />);
    expect(await screen.findByRole("alert")).toHaveTextContent("device.name == 'x'");
    await user.click(screen.getByRole("button", { name: "Use their version" }));
    expect(screen.getByLabelText(/^Rule/)).toHaveValue("device.name == 'x'");
    expect(screen.queryByRole("alert")).toBeNull();
  });
});
