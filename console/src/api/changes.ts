import { client, match, take } from "./client";
import { freshly } from "./fresh";
import type { DepositRef, EditState, Role, Schemas } from "./types";

/** Everything that the console changes. Each throws what the service says is wrong. */
export const change = {
  signIn: (body: { name: string; password: string; code: string }) => take(client.POST("/api/v1/session", { body })),
  signInAgain: (body: { password: string; code: string }) => take(client.POST("/api/v1/session/fresh", { body })),
  decideDeviceGrant: (code: string, approve: boolean) =>
    take(client.POST("/api/v1/device-grants/{code}/decision", { params: { path: { code } }, body: { approve } })),
  beginSecondFactor: () => take(client.POST("/api/v1/second-factor")),
  confirmSecondFactor: (code: string) => take(client.POST("/api/v1/second-factor/confirm", { body: { code } })),
  makeRecoveryCodes: (body: { password: string; code: string }) =>
    take(client.POST("/api/v1/second-factor/recovery-codes", { body })),
  removeSecondFactor: (body: { password: string; code: string }) =>
    take(client.POST("/api/v1/second-factor/remove", { body })),
  changeOwnPassword: (body: Schemas["NewPassword"]) => take(client.POST("/api/v1/session/password", { body })),
  setTour: (at: string) => take(client.PUT("/api/v1/session/tour", { body: { at } })),
  signOut: () => take(client.DELETE("/api/v1/session")),

  orderAccount: (body: Schemas["SeenAccountOrder"]) => take(client.POST("/api/v1/account-orders", { body })),
  retire: (device: string, body: Schemas["Retirement"]) =>
    take(client.POST("/api/v1/devices/{name}/retire", { params: { path: { name: device } }, body })),
  takeBack: (device: string) =>
    take(client.POST("/api/v1/devices/{name}/return", { params: { path: { name: device } } })),
  order: (body: Schemas["NewOrder"]) => take(client.POST("/api/v1/orders", { body })),

  reveal: (device: string, body: { account: string; reason: string; copied: boolean; former?: DepositRef }) =>
    take(client.POST("/api/v1/devices/{name}/reveal", { params: { path: { name: device } }, body })),
  decideApproval: (id: string, approve: boolean) =>
    freshly(() => take(client.POST("/api/v1/approvals/{name}", { params: { path: { name: id } }, body: { approve } }))),
  makeSheet: (body: Schemas["SheetSpec"]) => take(client.POST("/api/v1/sheets", { body })),
  collectSheet: (id: string) => take(client.POST("/api/v1/sheets/{name}/sealed", { params: { path: { name: id } } })),
  decideSheet: (id: string, approve: boolean) =>
    freshly(() =>
      take(client.POST("/api/v1/sheets/{name}/decision", { params: { path: { name: id } }, body: { approve } })),
    ),

  matchDevices: (names: string[]) => take(client.POST("/api/v1/device-names", { body: { names } })),
  /** Sets facts of devices; seen is what somebody has looked at first, where the service asked for that. */
  setFacts: (devices: Schemas["Facts"][], seen?: { seen: string; reason: string }) =>
    take(client.POST("/api/v1/device-facts", { params: { query: { ...seen } }, body: { devices } })),
  createEnrolment: (body: {
    note: string;
    uses: number;
    expires_in_hours: number;
    groups: string[];
    path: string;
    tags: string[];
  }) => take(client.POST("/api/v1/enrolment-tokens", { body })),
  revokeEnrolment: (id: string) =>
    take(client.DELETE("/api/v1/enrolment-tokens/{name}", { params: { path: { name: id } } })),

  createOperator: (body: { name: string; password: string; roles: Role[] }) =>
    take(client.POST("/api/v1/operators", { body })),
  editOperator: (
    name: string,
    body: { roles?: Role[]; password?: string; disabled?: boolean; reset_second_factor?: boolean },
  ) => take(client.PATCH("/api/v1/operators/{name}", { params: { path: { name } }, body })),
  makeCheckpoint: () => take(client.POST("/api/v1/trail/checkpoints")),
  /** Checks a part of the trail behind an entry; ask again behind the last until it is the head. */
  checkTrail: (after: number, signal: AbortSignal) =>
    take(client.GET("/api/v1/trail/check", { params: { query: { after } }, signal })),

  draftPolicy: (body: Schemas["DraftRequest"]) => take(client.POST("/api/v1/policy-draft", { body })),
  deletePolicy: (name: string, version: number) =>
    take(
      client.DELETE("/api/v1/policies/{name}", { params: { path: { name }, header: { "If-Match": match(version) } } }),
    ),
  newChange: (body: { name: string; title: string; reason: string }) => take(client.POST("/api/v1/changes", { body })),
  describeChange: (name: string, over: number, body: { title: string; reason: string }) =>
    take(
      client.PATCH("/api/v1/changes/{name}", {
        params: { path: { name }, header: { "If-Match": match(over) } },
        body,
      }),
    ),
  addEdit: (name: string, body: Schemas["PutEdit"]) =>
    take(client.POST("/api/v1/changes/{name}/edits", { params: { path: { name } }, body })),
  deleteEdit: (name: string, type: EditState["type"], thing: string) =>
    take(client.DELETE("/api/v1/changes/{name}/edits/{type}/{thing}", { params: { path: { name, type, thing } } })),
  dropChange: (name: string, reason: string) =>
    take(client.POST("/api/v1/changes/{name}/drop", { params: { path: { name } }, body: { reason } })),
  applyChange: (name: string, digest: string, reason: string) =>
    take(
      client.POST("/api/v1/changes/{name}/apply", {
        params: { path: { name } },
        body: { digest, ...(reason && { reason }) },
      }),
    ),
  revertChange: (name: string, reason: string) =>
    take(client.POST("/api/v1/changes/{name}/revert", { params: { path: { name } }, body: { reason } })),
  waive: (findings: number[], until: string, reason: string) =>
    take(client.POST("/api/v1/waivers", { body: { findings, until, reason } })),
  endWaiver: (id: string) => take(client.POST("/api/v1/waivers/{name}/end", { params: { path: { name: id } } })),
  decideWaiver: (id: string, agree: boolean) =>
    freshly(() =>
      take(client.POST("/api/v1/waivers/{name}/decision", { params: { path: { name: id } }, body: { agree } })),
    ),
  askWarrant: (body: Schemas["WarrantSpec"]) => take(client.POST("/api/v1/warrants", { body })),
  decideWarrant: (id: string, agree: boolean, reason: string) =>
    freshly(() =>
      take(
        client.POST("/api/v1/warrants/{name}/decision", { params: { path: { name: id } }, body: { agree, reason } }),
      ),
    ),
  takeBackWarrant: (id: string, reason: string) =>
    take(client.POST("/api/v1/warrants/{name}/end", { params: { path: { name: id } }, body: { reason } })),
  decideBrake: (id: string, release: boolean, reason: string) =>
    freshly(() =>
      take(
        client.POST("/api/v1/brakes/{name}/decision", { params: { path: { name: id } }, body: { release, reason } }),
      ),
    ),
  startRollout: (body: Schemas["StartRollout"]) => take(client.POST("/api/v1/rollouts", { body })),
  pauseRollout: (name: string, reason: string) =>
    take(client.POST("/api/v1/rollouts/{name}/pause", { params: { path: { name } }, body: { reason } })),
  resumeRollout: (name: string, reason: string, digest: string) =>
    take(client.POST("/api/v1/rollouts/{name}/resume", { params: { path: { name } }, body: { reason, digest } })),
  openWave: (name: string, reason: string) =>
    freshly(() => take(client.POST("/api/v1/rollouts/{name}/open", { params: { path: { name } }, body: { reason } }))),
  revertRollout: (name: string, reason: string, give_back: boolean) =>
    take(client.POST("/api/v1/rollouts/{name}/revert", { params: { path: { name } }, body: { reason, give_back } })),
  decideChange: (name: string, body: { approve: boolean; reason: string; digest: string }) =>
    freshly(() => take(client.POST("/api/v1/changes/{name}/decision", { params: { path: { name } }, body }))),
};

/** What is read once, when somebody asks for it. */
export const fetchOnce = {
  policyRevision: (name: string, number: number) =>
    take(client.GET("/api/v1/policies/{name}/revisions/{number}", { params: { path: { name, number } } })),
};
