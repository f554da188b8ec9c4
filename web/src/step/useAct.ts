/** Acts that change data: sent, said, taken back. What each kind makes stale stands here and nowhere else. */
import { useMutation, useQueryClient } from "@tanstack/react-query";
import { useCallback, useState } from "react";
import { client, got, type Refused } from "../api/client";

/** Answers that rest on what an act of each kind changes, by the first part of their query's key; all where none is named. */
const STALE: Record<ActKind, readonly string[] | "all"> = {
  decision: "all",
  goal: [
    "growth",
    "growth-rows",
    "drill-down",
    "student",
    "home",
    "check",
    "goals",
    "rail",
    "groups",
    "follow-up",
    "share",
    "acts",
  ],
  target: ["growth", "acts"],
  session: ["follow-up", "rail", "student", "acts"],
  group: ["groups", "follow-up", "choices", "rail", "compare", "growth", "drill-down", "home", "acts"],
  edit: "all",
  // A mended item changes scores everywhere; what is entered or given changes this step and the lines about it.
  item: "all",
  mastery: ["needs", "rail", "home", "drill-down", "acts"],
  material: ["needs", "acts"],
  "practice goal": ["follow-up", "student", "acts"],
  team: ["follow-up", "rail", "student", "acts"],
  word: ["follow-up", "acts"],
  // A note for the family stands on its page.
  note: ["student", "share", "acts"],
  document: ["student", "acts"],
  "page set": ["share", "acts"],
  // Where the day begins and ends decides who is in reach and what is due.
  setting: "all",
};
export type ActKind =
  | "decision"
  | "goal"
  | "target"
  | "group"
  | "session"
  | "edit"
  | "item"
  | "mastery"
  | "material"
  | "practice goal"
  | "team"
  | "word"
  | "note"
  | "document"
  | "page set"
  | "setting";

/** What came of an act: in words, and the key that takes it back. */
interface Outcome {
  said: string;
  act: number | null;
}

/** One kind of act. `run` resolves to what the server answered, or to null where it refused. */
export function useAct(kind: ActKind) {
  const cache = useQueryClient();
  const [outcome, setOutcome] = useState<Outcome>({ said: "", act: null });
  const stale = async () => {
    const keys = STALE[kind];
    if (keys === "all") await cache.invalidateQueries();
    else await Promise.all(keys.map((key) => cache.invalidateQueries({ queryKey: [key] })));
  };
  const mutation = useMutation<unknown, Refused, () => Promise<unknown>>({
    mutationFn: (send) => send(),
    onSuccess: stale,
  });
  const { mutateAsync } = mutation;
  // The same from render to render, so that an effect may rest on them.
  const run = useCallback(
    async <T>(send: () => Promise<T>, outcomeOf: (answer: T) => Outcome): Promise<T | null> => {
      try {
        const answer = (await mutateAsync(send)) as T;
        setOutcome(outcomeOf(answer));
        return answer;
      } catch {
        // The refusal stands in `fault`, for the screen to say.
        return null;
      }
    },
    [mutateAsync],
  );
  const undo = useCallback(
    (key: number) =>
      run(
        () => got(client.POST("/api/acts/{key}/undo", { params: { path: { key } } })),
        (done) => ({ said: `Undone: ${done.said}`, act: null }),
      ),
    [run],
  );
  return {
    run,
    undo,
    busy: mutation.isPending,
    fault: mutation.error,
    said: outcome.said,
    /** The act that can be taken back, the last one done here. */
    last: outcome.act,
  };
}

export type Act = ReturnType<typeof useAct>;
