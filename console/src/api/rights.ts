import { useQuery } from "@tanstack/react-query";
import { read } from "./queries";
import type { Role } from "./types";

/** The rights that the console asks for; which operation needs which is said by the service. */
export type Right = "look" | "reveal" | "handle" | "ask-own" | "ask" | "draft" | "deploy" | "trail" | "administer";

/** Whether whoever is signed in has a right. Nobody has any until that is known. */
export function useRights(): (right: Right) => boolean {
  const rights = useQuery({ ...read.session(), staleTime: 60_000 }).data?.rights ?? [];
  return (right) => rights.includes(right);
}

/** Groups whose devices are all that somebody with these roles sees; none where every device is in reach. */
export function reachOf(roles: Role[]): string[] {
  if (roles.some((r) => r.groups.length === 0 || r.groups.includes("everything"))) return [];
  return [...new Set(roles.flatMap((r) => r.groups))].sort();
}

/** How far whoever is signed in reaches. */
export function useReach(): { limited: boolean; groups: string[] } {
  const groups = reachOf(useQuery({ ...read.session(), staleTime: 60_000 }).data?.roles ?? []);
  return { limited: groups.length > 0, groups };
}
