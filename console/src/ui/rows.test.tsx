import { act, screen } from "@testing-library/react";
import { useState } from "react";
import { expect, it } from "vitest";
import { draw } from "@/test/draw";
import { Rows } from "./rows";

/** A table whose columns are written anew at each drawing, as those are that say how long ago something was. */
function Doors() {
  const [drawn, again] = useState(0);
  return (
    <>
      <button type="button" onClick={() => again(drawn + 1)}>
        again
      </button>
      <Rows
        label="Doors"
        items={[{ name: "north" }]}
        columns={[{ title: "Select", width: "1fr", cell: (door) => <input type="checkbox" aria-label={door.name} /> }]}
        id={(door) => door.name}
        more={false}
        readMore={() => {}}
      />
    </>
  );
}

it("a cell stays, and with it the focus, when the table is drawn again", () => {
  draw(<Doors />);
  act(() => void dispatchEvent(new Event("beforeprint"))); // every row is drawn, in sight or not
  const box = screen.getByRole("checkbox", { name: "north" });
  box.focus();
  act(() => screen.getByRole("button", { name: "again" }).click());
  expect(box).toBeInTheDocument();
  expect(box).toHaveFocus();
});
