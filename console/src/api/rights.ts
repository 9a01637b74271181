import { useQuery } from "@tanstack/react-query";
import { read } from "./queries";

/** The rights that the console asks for; which operation needs which is said by the service. */
export type Right = "look" | "reveal" | "handle" | "draft" | "deploy" | "trail" | "administer";

/** Whether whoever is signed in has a right. Nobody has any until that is known. */
export function useRights(): (right: Right) => boolean {
  const rights = useQuery({ ...read.session(), staleTime: 60_000 }).data?.rights ?? [];
  return (right) => rights.includes(right);
}
