import { useQuery } from "@tanstack/react-query";
import { useState } from "react";
import { read } from "@/api/queries";
import { type Move, withMove } from "./moves";

/** The rungs that were moved and are in no change yet, and the assignments as they are now. */
export function useMoves() {
  const [moves, setMoves] = useState<Move[]>([]);
  const now = useQuery(read.assignments());
  const assignments = now.data?.items ?? [];
  const move = (next: Move) => {
    const from = assignments.find((a) => a.name === next.assignment)?.rank ?? 0;
    setMoves((before) => withMove(before, next, from));
  };
  return { moves, move, takeBack: () => setMoves([]), assignments };
}
