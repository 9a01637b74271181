/** A policy to start from: valid as it is, and explained in its notes. */
export type Start = { name: string; source: string };

export const starts: Start[] = [
  {
    name: "Passwords and lockout",
    source: `format: rankwarden.policy/1
name: my-policy
title: What this policy is for

passwords:
  min_length: 14

lockout:
  threshold: 5
  duration: 15m
  window: 15m
`,
  },
  {
    name: "Break-glass account",
    source: `format: rankwarden.policy/1
name: break-glass
title: A way in when nothing else works
notes: One account of the device itself, whose password the device changes and keeps in escrow.

accounts:
  - key: mooring
    name: mooring-#### # each # becomes a random digit
    description: Break-glass account
    local_groups: [administrators]

rotation:
  - target: account:mooring
    every: 30d
    after_reveal: 4h # a password that was viewed does not stay valid
`,
  },
  {
    name: "Closed administrators",
    source: `format: rankwarden.policy/1
name: closed-administrators
title: Exactly these are administrators
notes: Everybody else is removed. The break-glass account keeps a way in without a network.

accounts:
  - key: mooring
    name: mooring-####
    local_groups: [administrators]

rotation:
  - target: account:mooring
    every: 30d

membership:
  - local_group: administrators
    mode: exact
    members:
      - account:mooring # add the groups of your directory that look after these devices
`,
  },
];
