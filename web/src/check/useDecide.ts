/** What is decided in the Check step: sent, said, and undone. */
import { client, got, type Schemas } from "../api/client";
import { useAct } from "../step/useAct";

export function useDecide() {
  const act = useAct("decision");
  const run = (send: () => Promise<Schemas["Done"]>) =>
    act.run(send, (done) => ({ said: done.said, act: done.id }));
  return {
    said: act.said,
    last: act.last,
    fault: act.fault,
    undo: act.undo,
    judge: (body: Schemas["ResultDecision"]) => run(() => got(client.POST("/api/check/decisions", { body }))),
    ask: (body: Schemas["RetestAsked"]) => run(() => got(client.POST("/api/check/retests", { body }))),
    retest: (key: number, state: "done" | "withdrawn") =>
      run(() => got(client.POST("/api/check/retests/{key}/{state}", { params: { path: { key, state } } }))),
    reason: (body: Schemas["ReasonGiven"]) => run(() => got(client.POST("/api/check/reasons", { body }))),
  };
}

export type Decide = ReturnType<typeof useDecide>;
