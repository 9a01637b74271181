/** The places of the console: the name in the band, and what stands there. */
export const places = [
  { to: "/watch", name: "Watch", title: "Watch: the fleet now" },
  { to: "/policies", name: "Policies", title: "Policies" },
  { to: "/ladder", name: "Ladder", title: "Ladder: how assignments decide settings" },
  { to: "/rollouts", name: "Rollouts", title: "Rollouts: changes on their way, wave by wave" },
  { to: "/devices", name: "Devices", title: "Devices" },
  { to: "/passwords", name: "Passwords", title: "Passwords: view one" },
  { to: "/drift", name: "Drift", title: "Drift: open findings" },
  { to: "/organisation", name: "Organisation", title: "Organisation: groups and directory" },
];
