/** Where one signs in with the identity provider, to go on at a path of the console; fresh asks for the password again. */
export const atProvider = (to: string, fresh = false) =>
  `/api/v1/provider/start?${new URLSearchParams({ to, ...(fresh ? { fresh: "true" } : {}) })}`;
