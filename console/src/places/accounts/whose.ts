/** To what a local account belongs. */
export const whose = (account: { key: string; builtin: string }) =>
  account.key ? `policy account ${account.key}` : account.builtin ? "built in" : "no policy";
