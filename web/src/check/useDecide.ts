/** What is decided in the Check step: sent, said, and undone. */
import { useQueryClient } from "@tanstack/react-query";
import { useState } from "react";
import { client, got, type Refused, type Schemas } from "../api/client";

type Done = Schemas["Done"];

export function useDecide() {
  const cache = useQueryClient();
  const [said, setSaid] = useState("");
  const [last, setLast] = useState<number | null>(null);
  const [fault, setFault] = useState<Refused | null>(null);
  const run = async (act: () => Promise<Done>, undone = false) => {
    setFault(null);
    try {
      const done = await act();
      setSaid(undone ? `Undone: ${done.said}` : done.said);
      setLast(undone ? null : done.id);
      await cache.invalidateQueries();
    } catch (error) {
      setFault(error as Refused);
    }
  };
  return {
    said,
    last,
    fault,
    judge: (body: Schemas["Decision"]) => run(() => got(client.POST("/api/check/decisions", { body }))),
    ask: (body: Schemas["RetestAsked"]) => run(() => got(client.POST("/api/check/retests", { body }))),
    retest: (key: number, state: "done" | "withdrawn") =>
      run(() => got(client.POST("/api/check/retests/{key}/{state}", { params: { path: { key, state } } }))),
    reason: (body: Schemas["ReasonGiven"]) => run(() => got(client.POST("/api/check/reasons", { body }))),
    undo: (key: number) =>
      run(() => got(client.POST("/api/check/decisions/{key}/undo", { params: { path: { key } } })), true),
  };
}

export type Decide = ReturnType<typeof useDecide>;
