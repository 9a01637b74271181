/** To what a local account belongs. */
export const whose = (account: { key: string; builtin: string }) =>
  account.key ? `policy account ${account.key}` : account.builtin ? "built in" : "no policy";

/** How somebody is in a local group: as a member, through groups of the directory, or by a file of sudoers. */
export const howIn = (member: { through: string[]; via: string }) =>
  member.via ? `by ${member.via}` : member.through.length > 0 ? `through ${member.through.join(" → ")}` : "member";
