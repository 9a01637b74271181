import { screen } from "@testing-library/react";
import userEvent from "@testing-library/user-event";
import { HttpResponse, http } from "msw";
import { describe, expect, it } from "vitest";
import type { Group } from "@/api/types";
import { draw } from "@/test/draw";
import { refuses, service, takes } from "@/test/service";
import { RuleForm } from "./rule-form";

const kiosks = { name: "kiosks", rule: '"kiosk" in device.tags', version: 3 } as Group;

describe("a rule", () => {
  const user = userEvent.setup();

  it("is tried before it is saved", async () => {
    service.use(takes("rule-trial", { holds: 12, unknown: 1, examples: ["SKL-TKT-001"], reads: ["tags"] }));
    draw(<RuleForm group={undefined} />);
    expect(screen.getByRole("button", { name: "Create group" })).toBeDisabled();
    await user.type(screen.getByLabelText("Name"), "kiosks");
    await user.type(screen.getByLabelText(/^Rule/), "device.os_build > 1");
    await user.click(screen.getByRole("button", { name: "Preview members" }));
    expect(await screen.findByText(/for example SKL-TKT-001/)).toHaveTextContent("Matches 12 devices");
    expect(screen.getByText(/Unknown for 1/)).toBeVisible();
  });

  it("is saved over the version that was read, and says what the service refuses", async () => {
    let over: string | null = "";
    service.use(
      http.patch("*/api/v1/groups/kiosks", ({ request }) => {
        over = request.headers.get("If-Match");
        return HttpResponse.json({ ...kiosks, rule: "device.os_build > 1", version: 4 });
      }),
    );
    draw(<RuleForm group={kiosks} />);
    const rule = screen.getByLabelText(/^Rule/);
    await user.clear(rule);
    await user.type(rule, "device.os_build > 1");
    await user.click(screen.getByRole("button", { name: "Save rule" }));
    expect(await screen.findByText(/✓ Saved/)).toBeVisible();
    expect(over).toBe('"3"');
  });

  it("that cannot be used is refused with its place", async () => {
    service.use(refuses("post", "rule-trial", 422, "the rule cannot be used: line 1, column 4: no such fact"));
    draw(<RuleForm group={kiosks} />);
    await user.click(screen.getByRole("button", { name: "Preview members" }));
    expect(await screen.findByRole("alert")).toHaveTextContent("column 4");
  });

  it("that somebody else changed meanwhile is not written over unasked", async () => {
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
