/** What came in so far, and taking an import back, with what newer work would go with it. */
import { useQuery, useQueryClient } from "@tanstack/react-query";
import { useState } from "react";
import { client, got, type Schemas } from "../../api/client";
import { Shown } from "../../step/Shown";
import { many } from "../../words/format";
import { setup as words } from "../../words/steps/setup";
import { kindSaid } from "../kinds";
import type { useWork } from "../useWork";

type Import = Schemas["ImportAnswer"];

/** Asks before an import is taken back, and names whatever would be taken back with it. */
function TakeBack({
  row,
  onUndo,
  onKeep,
}: {
  row: Import;
  onUndo: (acts: number[]) => void;
  onKeep: () => void;
}) {
  const path = { import_id: row.id };
  const along = useQuery({
    queryKey: ["imports", "along", row.id],
    queryFn: () => got(client.GET("/api/imports/{import_id}/undo", { params: { path } })),
    gcTime: 0,
  });
  if (along.isPending) return <span className="quiet">{words.looking}</span>;
  if (along.isError) return <span className="fault">{along.error.message}</span>;
  const { acts, refused } = along.data;
  return (
    <div className="along">
      {refused.length > 0 ? (
        <p className="quiet">
          {words.cannotBeTakenBack} {refused.join("; ")}.
        </p>
      ) : acts.length > 0 ? (
        <>
          <p>{words.newerWorkGoesToo(acts.length)}</p>
          <ul>
            {acts.slice(0, 12).map((act) => (
              <li key={act.id}>
                {act.said}
                {act.by && <span className="quiet"> · {act.by}</span>}
              </li>
            ))}
          </ul>
          {acts.length > 12 && <p className="quiet">{words.andMoreOfThese(acts.length - 12)}</p>}
        </>
      ) : (
        <span className="quiet">{words.everythingItBroughtGoesWhat} </span>
      )}
      {refused.length === 0 && (
        <button type="button" className="word" onClick={() => onUndo(acts.map((act) => act.id))}>
          {acts.length > 0 ? words.takeAllBack(acts.length + 1) : words.takeItBack}
        </button>
      )}{" "}
      <button type="button" className="word" onClick={onKeep}>
        {words.keepIt}
      </button>
    </div>
  );
}

export function History({ work }: { work: ReturnType<typeof useWork> }) {
  const cache = useQueryClient();
  const [asking, setAsking] = useState<number | null>(null);
  const history = useQuery({ queryKey: ["imports"], queryFn: () => got(client.GET("/api/imports")) });
  const undo = (row: Import, together: number[]) =>
    work.doing(words.takingBack(row.file), async () => {
      setAsking(null);
      const params = { path: { import_id: row.id }, query: { together } };
      await got(client.POST("/api/imports/{import_id}/undo", { params }));
      work.setDone(words.hasBeenTakenBack(row.file));
      cache.invalidateQueries();
    });
  return (
    <>
      <h2 className="below">{words.whatCameInSoFar}</h2>
      <Shown query={history}>
        {(rows) =>
          rows.length === 0 ? (
            <p className="quiet">{words.nothingYet}</p>
          ) : (
            <table className="rows" aria-label={words.imports}>
              <thead>
                <tr>
                  <th>{words.file}</th>
                  <th>{words.kind}</th>
                  <th>{words.whatItDid}</th>
                  <th>{words.who}</th>
                  <th>{words.when}</th>
                  <th />
                </tr>
              </thead>
              <tbody>
                {rows.map((row) => [
                  <tr key={row.id}>
                    <td className="wraps">{row.file}</td>
                    <td>{kindSaid(row.kind)}</td>
                    <td>
                      {["new", "changed", "refused"]
                        .filter((name) => row.counts[name])
                        .map((name) => `${many(row.counts[name] ?? 0)} ${name}`)
                        .join(", ")}
                    </td>
                    <td>{row.by ?? row.came_by ?? words.commandLine}</td>
                    <td className="quiet">
                      {new Date(`${row.at}Z`).toLocaleString("en", {
                        dateStyle: "medium",
                        timeStyle: "short",
                      })}
                    </td>
                    <td className="num">
                      {row.state === "undone" && <span className="quiet">{words.undone}</span>}
                      {row.state === "done" && asking !== row.id && (
                        <button type="button" className="word" onClick={() => setAsking(row.id)}>
                          {words.undo}
                        </button>
                      )}
                    </td>
                  </tr>,
                  asking === row.id && (
                    <tr key={`${row.id} asked`}>
                      <td colSpan={6}>
                        <TakeBack
                          row={row}
                          onUndo={(acts) => undo(row, acts)}
                          onKeep={() => setAsking(null)}
                        />
                      </td>
                    </tr>
                  ),
                ])}
              </tbody>
            </table>
          )
        }
      </Shown>
    </>
  );
}
