/** Rows edited on the screen: kept as an import like any other, so that they are checked and can be undone. */
import { useQueryClient } from "@tanstack/react-query";
import { useState } from "react";
import { client, got, type Refused, type Schemas } from "../api/client";

type Kind = Schemas["Edited"]["kind"];

export function useEdited(kind: Kind) {
  const cache = useQueryClient();
  const [editing, setEditing] = useState(false);
  const [busy, setBusy] = useState(false);
  const [fault, setFault] = useState<Refused | null>(null);
  const [kept, setKept] = useState<number | null>(null);
  const work = async (act: () => Promise<number | null>) => {
    setBusy(true);
    setFault(null);
    try {
      setKept(await act());
      setEditing(false);
      await cache.invalidateQueries();
    } catch (error) {
      setFault(error as Refused);
    }
    setBusy(false);
  };
  return {
    editing,
    busy,
    fault,
    kept,
    edit: () => {
      setEditing(true);
      setKept(null);
      setFault(null);
    },
    leave: () => {
      setEditing(false);
      setFault(null);
    },
    keep: (rows: Record<string, string>[]) =>
      work(async () => (await got(client.POST("/api/imports/edited", { body: { kind, rows } }))).id ?? null),
    undo: (id: number) =>
      work(async () => {
        await got(client.POST("/api/imports/{import_id}/undo", { params: { path: { import_id: id } } }));
        return null;
      }),
  };
}

export type Editing = ReturnType<typeof useEdited>;
