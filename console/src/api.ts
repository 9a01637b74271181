import createClient from "openapi-fetch";
import type { components, paths } from "./gen/api";

export type Schemas = components["schemas"];
export type Device = Schemas["Device"];
export type DeviceWhy = Schemas["DeviceWhy"];
export type UnitWhy = Schemas["UnitWhy"];
export type Finding = Schemas["Finding"];
export type FindingSum = Schemas["FindingSum"];
export type Overview = Schemas["Overview"];
export type Standings = Schemas["Standings"];
export type Policy = Schemas["Policy"];
export type PolicySummary = Schemas["PolicySummary"];
export type PolicyCheck = Schemas["PolicyCheck"];
export type DocumentProblem = Schemas["DocumentProblem"];
export type NewOrder = Schemas["NewOrder"];
export type DeviceEvent = Schemas["Event"];
export type Group = Schemas["GroupSummary"];
export type DirectoryEntry = Schemas["DirectoryEntry"];
export type Me = Schemas["Me"];
export type Password = Schemas["Password"];
export type DevicePassword = Schemas["DevicePassword"];
export type Deposit = Schemas["Deposit"];
export type DepositRef = Schemas["DepositRef"];
export type Revealed = Schemas["Revealed"];
export type Approval = Schemas["Approval"];
export type Standing = Device["standing"];

/** A refusal of the service: what is wrong and the way out. */
export class Refusal extends Error {
  readonly status: number;
  readonly code: string;
  readonly problems: DocumentProblem[];
  constructor(problem: Schemas["Problem"]) {
    super(problem.detail);
    this.status = problem.status;
    this.code = problem.code ?? "";
    this.problems = problem.problems ?? [];
  }
}

export const client = createClient<paths>({ baseUrl: "/" });

/** What the page hears when the service answers that nobody is signed in. */
export const signedOut = "rankwarden-signed-out";

// Whatever notices that the session has ended, a button or a reading, the sign-in is asked for at once.
client.use({
  onResponse({ response, schemaPath }) {
    if (response.status === 401 && !schemaPath.startsWith("/api/v1/session")) dispatchEvent(new Event(signedOut));
  },
});

type Answer<T> = { data?: T; error?: Schemas["Problem"]; response: Response };

/** Gives the data of an answer, or throws what the service says is wrong. */
export async function take<T>(call: Promise<Answer<T>>): Promise<T> {
  const { data, error, response } = await call.catch(() => {
    throw new Refusal({
      type: "about:blank",
      title: "Unreachable",
      status: 0,
      detail: "The service does not answer. What you see may be old; this page tries again by itself.",
    });
  });
  if (error || !response.ok) {
    throw new Refusal(
      error ?? {
        type: "about:blank",
        title: "Failed",
        status: response.status,
        detail: `The service answered ${response.status}.`,
      },
    );
  }
  return data as T;
}

/** If-Match for the version of something. */
export const match = (version: number) => `"${version}"`;
