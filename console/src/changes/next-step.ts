import type { Right } from "@/api/rights";
import type { ChangeDetail, Preview } from "@/api/types";
import { devices } from "@/domain/count";

/** The way of a change, from its first edit to devices that have it. */
export const steps = ["edits", "preview", "approval", "out", "verified"] as const;
export type Step = (typeof steps)[number];

/** What somebody can do with a change, beside altering its edits. */
export type Action = "ask" | "start" | "apply" | "approve" | "refuse" | "watch" | "revert" | "again";

/** Where a change stands for whoever looks: the one button that takes it further, others, and what is true now. */
export interface Next {
  step: Step;
  primary?: Action;
  others: Action[];
  says: string;
}

/** The next step of a change for somebody with some rights; without a preview it is not known yet what it does. */
export function nextStep(of: ChangeDetail, may: (right: Right) => boolean, preview: Preview | undefined): Next {
  const draft = may("draft");
  switch (of.state) {
    case "dropped":
      return { step: "edits", others: draft ? ["again"] : [], says: "It was dropped: none of its edits was made." };
    case "reverted":
      return {
        step: "out",
        others: [...(of.waves ? (["watch"] as const) : []), ...(draft ? (["again"] as const) : [])],
        says: "Its rollout was taken back: devices that had it are told to go back to what they resolve to without it.",
      };
    case "done":
      return {
        step: "verified",
        others: [...(of.waves ? (["watch"] as const) : []), ...(draft ? (["revert"] as const) : [])],
        says: "It is in force. Devices that are away get it when they come back.",
      };
    case "going_out":
      return { step: "out", primary: "watch", others: [], says: rolloutWords(of) };
    case "waiting":
      return deciding(of, may, preview);
    default:
      return beforeItGoes(of, may, preview);
  }
}

function rolloutWords(of: ChangeDetail): string {
  if (of.rollout === "running") return "It goes out in waves. To edit it, pause its rollout.";
  if (of.rollout === "done") return "Every wave is open; it is made for good when the last one has passed its gate.";
  return "Its rollout stands still: no further device starts. What is edited here goes out when it is resumed.";
}

function deciding(of: ChangeDetail, may: (right: Right) => boolean, preview: Preview | undefined): Next {
  const waits = `${of.asked_by} asked for it to go out. Nothing has reached a device.`;
  const base = { step: "approval" as const, others: [] };
  if (of.own) return { ...base, says: `${waits} You wrote a part of it or asked for it, so somebody else decides.` };
  if (!may("deploy")) return { ...base, says: `${waits} Somebody who may deploy decides.` };
  if (!preview) return { ...base, says: `${waits} What it does is being worked out.` };
  if (preview.part) {
    return { ...base, says: `${waits} It reaches devices beyond your role: somebody who reaches all of them decides.` };
  }
  return {
    step: "approval",
    primary: "approve",
    others: ["refuse"],
    says: `You approve what is listed here, on these ${devices(preview.devices)}. Nothing reaches a device by that: ${of.asked_by} or another deployer starts it afterwards. More devices or people than these need approval again.`,
  };
}

function beforeItGoes(of: ChangeDetail, may: (right: Right) => boolean, preview: Preview | undefined): Next {
  if (of.edits.length === 0) {
    return { step: "edits", others: [], says: "Edit a policy, an assignment or a group, and add it to this change." };
  }
  if (of.edits.some((e) => e.conflict)) {
    return {
      step: "edits",
      others: [],
      says: "Somebody else altered what an edit is based on. Compare, and keep or remove it.",
    };
  }
  if (of.problem)
    return { step: "edits", others: [], says: "It cannot go out as it is; what is in the way is said below." };
  if (!may("deploy")) {
    return { step: "preview", others: [], says: "Nothing has reached a device. Somebody who may deploy takes it out." };
  }
  if (!preview) return { step: "preview", others: [], says: "What it does on every device is being worked out." };
  if (preview.part) {
    return {
      step: "preview",
      others: [],
      says: "It reaches devices beyond your role: somebody who reaches all of them takes it out.",
    };
  }
  if (of.state === "approved") {
    return {
      step: "out",
      primary: "start",
      others: ["apply"],
      says: `It is approved. Nothing has reached a device yet: start it for its first devices, or for all ${preview.devices} at once.`,
    };
  }
  if (preview.needs.length > 0) {
    return {
      step: "approval",
      primary: "ask",
      others: [],
      says: `A second person must approve it: ${preview.needs.join("; ")}. Asking reaches no device; you start it once it is approved.`,
    };
  }
  return {
    step: "out",
    primary: "start",
    others: ["apply"],
    says: `Nothing has reached a device yet. It would alter ${devices(preview.devices)} of ${preview.fleet}.`,
  };
}
