/** The places of the console: the name in the band, what stands there, and the right that one needs to see it, if any. */
const places: { to: string; name: string; title: string; right?: string }[] = [
  { to: "/watch", name: "Watch", title: "Watch: the fleet now" },
  { to: "/policies", name: "Policies", title: "Policies" },
  { to: "/ladder", name: "Ladder", title: "Ladder: how assignments decide settings" },
  { to: "/rollouts", name: "Rollouts", title: "Rollouts: changes on their way, wave by wave" },
  { to: "/devices", name: "Devices", title: "Devices" },
  { to: "/passwords", name: "Passwords", title: "Passwords: view one" },
  { to: "/accounts", name: "Accounts", title: "Accounts: what devices have, who is an administrator" },
  { to: "/warrants", name: "Warrants", title: "Warrants: rights for a time" },
  { to: "/drift", name: "Drift", title: "Drift: open findings" },
  { to: "/trail", name: "Trail", title: "Trail: who did what", right: "trail" },
  { to: "/organisation", name: "Organisation", title: "Organisation: groups and directory" },
];

/** What can be gone to and has no place in the band. */
const more: { to: string; title: string; right?: string }[] = [
  { to: "/changes", title: "Changes: drafts, approvals, history" },
  { to: "/assignments", title: "Assignments: policies aimed at groups" },
  { to: "/waivers", title: "Waivers: findings accepted until a day" },
  { to: "/sheets", title: "Sealed sheets: passwords for devices that reach no service" },
  { to: "/events", title: "Events: what devices told" },
  { to: "/report", title: "Posture report: how the fleet stands and stood" },
  { to: "/new-policy", title: "Write a policy", right: "draft" },
  { to: "/organisation/directory", title: "Directory: people and groups" },
  { to: "/organisation/facts", title: "Device facts: paths and tags from a file", right: "administer" },
  { to: "/organisation/enrolment", title: "Enrolment: tokens and expected devices", right: "administer" },
  { to: "/organisation/operators", title: "Operators: who may do what", right: "administer" },
  { to: "/organisation/tokens", title: "API tokens", right: "administer" },
  { to: "/organisation/keys", title: "Keys: escrow, signing, recovery", right: "administer" },
  { to: "/organisation/notifications", title: "Notifications: who is told of what", right: "administer" },
  { to: "/organisation/settings", title: "Settings of the service", right: "administer" },
  { to: "/me", title: "Your sign-in: password, second factor, tokens" },
];

const seen = <P extends { right?: string }>(list: P[], rights: string[]) =>
  list.filter((p) => !p.right || rights.includes(p.right));

/** The places that somebody with some rights has. */
export const placesOf = (rights: string[]) => seen(places, rights);

/** What else somebody with some rights can go to. */
export const morePlaces = (rights: string[]) => seen(more, rights);
