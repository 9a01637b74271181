/** The stops of the tour: where one stands, and what one sees there, in the order of the work. */
export type Stop = {
  to: string;
  points: string; // what it is about on that page, as a selector
  title: string;
  text: string;
  right?: string;
};

export const stops: Stop[] = [
  {
    to: "/watch",
    points: "[data-tour='standings']",
    title: "Watch: the fleet now",
    text: "The bar says how all devices stand, and each mark below is one device. What waits for a decision stands on the right, one click from being settled.",
  },
  {
    to: "/policies",
    points: "[aria-label='Policies'][role='table']",
    title: "Policies: what devices should have",
    text: "A policy says who is a local administrator, what built-in accounts are called, how passwords rotate. Write it in a form or as YAML; both always agree.",
  },
  {
    to: "/ladder",
    points: "[aria-label='Ladder']",
    title: "Ladder: who wins where policies overlap",
    text: "Assignments stand by rank, the strongest on top. A solid cell decides, a struck-through one loses, and a contested one waits for you. Move a rung to see what that would do.",
  },
  {
    to: "/changes",
    points: "[aria-label='Changes'][role='table']",
    title: "Changes: see first what it would do",
    text: "A change gathers edits. Its preview names who loses access on which devices before anything is sent, and a second person approves it where you say so.",
  },
  {
    to: "/rollouts",
    points: "[aria-label='Rollouts'][role='table']",
    title: "Rollouts: in waves, with a gate",
    text: "A change goes out in waves. Each must pass its gate, read from what devices report. A gate that stops says which device failed, and why.",
  },
  {
    to: "/devices",
    points: "[aria-label='Devices'][role='table']",
    title: "Devices: desired, reported, decided by",
    text: "Search by anything. A device's page shows for every setting what it should have, what it really has, and which assignment decided.",
  },
  {
    to: "/passwords",
    points: "[aria-label='Passwords'][role='table']",
    title: "Passwords: one, with a reason",
    text: "Each device makes its own and deposits it sealed. To see one, give a reason: it is on the trail before the password is on the screen. Afterwards it rotates.",
  },
  {
    to: "/drift",
    points: "[data-tour='findings']",
    title: "Drift: what people changed",
    text: "Devices correct most differences by themselves. What is open here needs somebody: re-apply, waive until a day, or change the rule.",
  },
  {
    to: "/trail",
    points: "[data-tour='proof']",
    title: "Trail: who did what",
    text: "Everything done and refused, each entry chained to the one before, signed every hour. Prove it is unbroken right on this page.",
    right: "trail",
  },
  {
    to: "/report",
    points: "[role='img']",
    title: "Report: how it went",
    text: "Standings over time, time to verified, who viewed passwords and why. Print it, or take it as CSV. That is the whole job; enjoy.",
  },
];
