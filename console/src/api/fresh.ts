import { Refusal } from "./client";

/** A call that waits until somebody has signed in again. */
export type Stale = { goOn: () => void; leave: () => void };

let ask: ((stale: Stale) => void) | undefined;

/** Says who asks people to sign in again; gives what ends that. */
export function onStale(asking: (stale: Stale) => void) {
  ask = asking;
  return () => {
    ask = undefined;
  };
}

/** Does what only a fresh sign-in may: where the service wants one, it is asked for, and the call is made again. */
export async function freshly<T>(call: () => Promise<T>): Promise<T> {
  try {
    return await call();
  } catch (error) {
    if (!(error instanceof Refusal) || error.code !== "sign_in_again" || !ask) throw error;
    await new Promise<void>((goOn, leave) => ask?.({ goOn, leave: () => leave(error) }));
    return call();
  }
}
