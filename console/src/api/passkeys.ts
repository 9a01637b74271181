import { queryOptions } from "@tanstack/react-query";
import { client, take } from "./client";
import type { Schemas } from "./types";

/*
 * Passkeys (WebAuthn level 3): the service says what the browser is asked to do, and the browser's answer goes back. Private
 * keys never leave the authenticator.
 */

export type Passkey = Schemas["Passkey"];

/** Whether this browser, at this address, has passkeys for a site. */
export const canUsePasskeys = (site: string | undefined) =>
  Boolean(site) &&
  "PublicKeyCredential" in window &&
  "parseCreationOptionsFromJSON" in PublicKeyCredential &&
  (location.hostname === site || location.hostname.endsWith(`.${site}`));

type Asked = { publicKey: unknown };

/** Has the browser do what a ceremony asks for. */
async function answer(ceremony: Schemas["PasskeyCeremony"], kind: "create" | "get") {
  const { publicKey } = ceremony.options as Asked;
  const credential =
    kind === "create"
      ? await navigator.credentials.create({
          publicKey: PublicKeyCredential.parseCreationOptionsFromJSON(
            publicKey as PublicKeyCredentialCreationOptionsJSON,
          ),
        })
      : await navigator.credentials.get({
          publicKey: PublicKeyCredential.parseRequestOptionsFromJSON(
            publicKey as PublicKeyCredentialRequestOptionsJSON,
          ),
        });
  if (!(credential instanceof PublicKeyCredential)) throw new Error("No passkey was chosen.");
  return { ceremony: ceremony.ceremony, response: credential.toJSON() };
}

/** What the browser says when somebody left, in words. */
const plainly = (error: unknown) =>
  error instanceof DOMException
    ? new Error("The passkey was not used: it was left, or took too long. Try again.")
    : error;

async function done<T>(what: () => Promise<T>): Promise<T> {
  try {
    return await what();
  } catch (error) {
    throw plainly(error);
  }
}

export const passkeys = () =>
  queryOptions({
    queryKey: ["passkeys"],
    queryFn: ({ signal }) => take(client.GET("/api/v1/passkeys", { signal })),
  });

export const passkey = {
  add: (name: string) =>
    done(async () => {
      const made = await answer(await take(client.POST("/api/v1/passkeys/ceremony")), "create");
      return take(client.POST("/api/v1/passkeys", { body: { ...made, name } }));
    }),
  remove: (id: string) => take(client.DELETE("/api/v1/passkeys/{name}", { params: { path: { name: id } } })),
  signIn: () =>
    done(async () => {
      const body = await answer(await take(client.POST("/api/v1/passkey-sign-in/ceremony")), "get");
      return take(client.POST("/api/v1/passkey-sign-in", { body }));
    }),
  signInAgain: () =>
    done(async () => {
      const body = await answer(await take(client.POST("/api/v1/passkey-sign-in/ceremony")), "get");
      return take(client.POST("/api/v1/session/fresh/passkey", { body }));
    }),
};
