import { screen } from "@testing-library/react";
import userEvent from "@testing-library/user-event";
import { useState } from "react";
import { expect, it } from "vitest";
import { draw } from "@/test/draw";
import { PolicyForm } from "./policy-form";

let written = "";

function Whole({ source }: { source: string }) {
  const [text, setText] = useState(source);
  written = text;
  return <PolicyForm source={text} problems={[]} asks={[]} readOnly={false} isNew={false} onChange={setText} />;
}

const user = userEvent.setup();

it("says all that the document says of a rotation", async () => {
  draw(<Whole source={"rotation:\n  - target: builtin:administrator\n"} />);
  await user.selectOptions(screen.getByLabelText("Made of"), "upper");
  await user.selectOptions(screen.getByLabelText("Made of"), "digits");
  await user.selectOptions(screen.getByLabelText("Look-alikes"), "false");
  await user.selectOptions(screen.getByLabelText("And then"), "restart");
  await user.type(screen.getByLabelText("Kept"), "7");
  expect(written).toBe(
    "rotation:\n  - target: builtin:administrator\n    secret:\n      use:\n        - upper\n        - digits\n      avoid_lookalikes: false\n    after_use:\n      then: restart\n    keep: 7\n",
  );
});

it("puts the focus into what was added, and takes former names", async () => {
  draw(<Whole source={"title: desks\n"} />);
  expect(screen.queryByRole("button", { name: "Add a managed account" })).toBeNull();
  await user.click(screen.getByRole("button", { name: "+ Accounts" }));
  const add = screen.getByRole("button", { name: "Add a managed account" });
  expect(add).toHaveFocus();
  await user.click(add);
  expect(screen.getByLabelText("Key")).toHaveFocus();
  await user.type(screen.getByLabelText("Former names"), "helpdesk{Enter}");
  expect(written).toContain("formerly:\n      - helpdesk");
});

it("keeps the lines of notes that have several", async () => {
  draw(<Whole source={"notes: |\n  one\n  two\n"} />);
  await user.type(screen.getByLabelText("Notes"), "three");
  expect(written).toContain("one\n  two\n  three");
});

it("proposes what one number asks of others, and spells out what complexity means", async () => {
  draw(<Whole source={"passwords: {history: 5, complexity: true}\n"} />);
  expect(screen.getByText(/changes a password 6 times in a row/)).toBeVisible();
  expect(screen.getByText(/At least three of: capital letters/)).toBeVisible();
  await user.click(screen.getByRole("button", { name: "Set a minimum age of 1 day" }));
  expect(written).toContain("min_age_days: 1");
  expect(screen.queryByText(/times in a row/)).toBeNull();
});
