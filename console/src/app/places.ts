/** The places of the console: the name in the band, what stands there, and the right that one needs to see it, if any. */
export const places: { to: string; name: string; title: string; right?: string }[] = [
  { to: "/watch", name: "Watch", title: "Watch: the fleet now" },
  { to: "/policies", name: "Policies", title: "Policies" },
  { to: "/ladder", name: "Ladder", title: "Ladder: how assignments decide settings" },
  { to: "/rollouts", name: "Rollouts", title: "Rollouts: changes on their way, wave by wave" },
  { to: "/devices", name: "Devices", title: "Devices" },
  { to: "/passwords", name: "Passwords", title: "Passwords: view one" },
  { to: "/drift", name: "Drift", title: "Drift: open findings" },
  { to: "/trail", name: "Trail", title: "Trail: who did what", right: "trail" },
  { to: "/organisation", name: "Organisation", title: "Organisation: groups and directory" },
];

/** The places that somebody with some rights has. */
export const placesOf = (rights: string[]) => places.filter((p) => !p.right || rights.includes(p.right));
