import { act, renderHook } from "@testing-library/react";
import { afterEach, describe, expect, it } from "vitest";
import { elsewhere, useDraft } from "./use-draft";

describe("what is typed about a policy", () => {
  afterEach(() => {
    localStorage.clear();
    sessionStorage.clear();
  });

  /** Another tab of the same browser. */
  const inAnotherTab = (name: string, typed: string) => {
    const here = sessionStorage.getItem("rankwarden-tab");
    sessionStorage.setItem("rankwarden-tab", "another");
    const { result, unmount } = renderHook(() => useDraft(name, "stands"));
    act(() => result.current.edit(typed));
    unmount();
    if (here) sessionStorage.setItem("rankwarden-tab", here);
    else sessionStorage.removeItem("rankwarden-tab");
  };

  it("belongs to a tab: another one does not write over it", () => {
    const { result } = renderHook(() => useDraft("base", "stands"));
    act(() => result.current.edit("typed here"));
    inAnotherTab("base", "typed there");
    const again = renderHook(() => useDraft("base", "stands"));
    expect(again.result.current.source).toBe("typed here");
    expect(again.result.current.other, "nothing is offered over what is typed").toBeUndefined();
  });

  it("is offered once its tab is gone, for that policy only, and can be gone on with", () => {
    inAnotherTab("base", "typed there");
    expect(renderHook(() => useDraft("desks", "stands")).result.current.other).toBeUndefined();
    const { result } = renderHook(() => useDraft("base", "stands"));
    expect(result.current.source).toBe("stands");
    act(() => result.current.takeOver());
    expect(result.current.source).toBe("typed there");
    expect(result.current.dirty).toBe(true);
  });

  it("is removed after a week", () => {
    inAnotherTab("base", "typed there");
    expect(elsewhere("base", Date.now() + 8 * 24 * 3600 * 1000)).toEqual([]);
    expect(Object.keys(localStorage)).toEqual([]);
  });

  it("is a difference once something else stands", () => {
    const { result, rerender } = renderHook(({ stands }) => useDraft("base", stands), {
      initialProps: { stands: "stands" },
    });
    act(() => result.current.edit("mine"));
    rerender({ stands: "theirs" });
    expect(result.current.moved).toBe(true);
    act(() => result.current.rebase());
    expect(result.current.moved).toBe(false);
    expect(result.current.source).toBe("mine");
  });
});
