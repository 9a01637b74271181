import createClient from "openapi-fetch";
import type { paths } from "@/gen/api";
import { heard } from "./heard";
import type { DocumentProblem, Schemas } from "./types";

/** A refusal of the service: what is wrong and the way out. */
export class Refusal extends Error {
  readonly status: number;
  readonly code: string;
  readonly problems: DocumentProblem[];
  /** What it would do, where somebody must look first. */
  readonly preview: Schemas["Preview"] | undefined;
  constructor(problem: Schemas["Problem"]) {
    super(problem.detail);
    this.status = problem.status;
    this.code = problem.code ?? "";
    this.problems = problem.problems ?? [];
    this.preview = problem.preview;
  }
}

/** Milliseconds after which a request ends without an answer: an ordinary one, and one that looks at the whole fleet. */
const patience = { ordinary: 15_000, whole: 120_000 };
const whole = /\/(preview|apply|decision|rollouts|posture|resume|revert|device-facts|rule-trial|assignments|groups)\b/;

/** How long a request may take, by the path that it is sent to. */
export const limitOf = (path: string) => (whole.test(path) ? patience.whole : patience.ordinary);

const send = (request: Request) => {
  const ends = AbortSignal.timeout(limitOf(new URL(request.url).pathname));
  return globalThis.fetch(request, { signal: AbortSignal.any([request.signal, ends]) }); // the one of the moment
};

const underWay = new Map<string, Promise<Response>>();

/** Sends what alters something once while it is under way: whoever clicks twice gets the answer of the first click. */
async function sendOnce(request: Request): Promise<Response> {
  if (request.method === "GET") return send(request);
  const over = request.headers.get("If-Match");
  const what = [request.method, request.url, over, await request.clone().text()].join("\n");
  let sent = underWay.get(what);
  if (!sent) {
    const ended = () => underWay.delete(what);
    request.signal.addEventListener("abort", ended); // a reading that was given up answers nobody else
    sent = send(request).finally(ended);
    underWay.set(what, sent);
  }
  return (await sent).clone();
}

export const client = createClient<paths>({ baseUrl: location.origin, fetch: sendOnce });

/** What the page hears when the service answers that nobody is signed in. */
export const signedOut = "rankwarden-signed-out";

// Whatever notices that the session has ended, a button or a reading, the sign-in is asked for at once.
client.use({
  onResponse({ response, schemaPath }) {
    if (response.status < 502) heard(); // beyond that a proxy speaks for a service that it does not reach
    if (response.status === 401 && !schemaPath.startsWith("/api/v1/session")) dispatchEvent(new Event(signedOut));
  },
});

type Answer<T> = { data?: T; error?: Schemas["Problem"]; response: Response };

/** Gives the data of an answer, or throws what the service says is wrong. */
export async function take<T>(call: Promise<Answer<T>>): Promise<T> {
  const { data, error, response } = await call.catch((error: Error) => {
    if (error.name === "AbortError") throw error; // whoever asked has stopped it
    if (error.name === "TimeoutError") throw late();
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

const late = () =>
  new Refusal({
    type: "about:blank",
    title: "No answer",
    status: 0,
    detail: "The service did not answer in time. It may have done what was asked all the same: look, then try again.",
  });

/** If-Match for the version of something. */
export const match = (version: number) => `"${version}"`;
