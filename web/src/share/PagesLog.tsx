/** What went to whom: every page that was made, and whether it was handed over. */
import { useInfiniteQuery, useQueryClient } from "@tanstack/react-query";
import { type FormEvent, useState } from "react";
import { client, got, type Schemas } from "../api/client";
import { Name } from "../people/Hiding";
import { Fault } from "../step/Fault";
import { useAct } from "../step/useAct";
import { day } from "../words/format";
import { share as words } from "../words/steps/share";
import css from "./share.module.css";

type Line = Schemas["PageMade"];
const PAGE = 100;

function HandOver({ line }: { line: Line }) {
  const [open, setOpen] = useState(false);
  const [to, setTo] = useState("");
  const cache = useQueryClient();
  const act = useAct("page set");
  const send = async (event: FormEvent) => {
    event.preventDefault();
    const path = { key: line.id };
    const done = await act.run(
      () => got(client.POST("/api/share/log/{key}/handed", { params: { path }, body: { to } })),
      () => ({ said: "", act: null }),
    );
    if (done) setOpen(false);
    await cache.invalidateQueries({ queryKey: ["share", "log"] });
  };
  if (!open)
    return (
      <button type="button" className="word" onClick={() => setOpen(true)}>
        {words.handOver}
      </button>
    );
  return (
    <form className={css.hand} onSubmit={send}>
      <input
        className="input"
        aria-label={words.to}
        placeholder={words.to}
        required
        maxLength={160}
        value={to}
        onChange={(event) => setTo(event.target.value)}
      />{" "}
      <button type="submit" className="plain" disabled={act.busy}>
        {words.save}
      </button>{" "}
      <button type="button" className="word" onClick={() => setOpen(false)}>
        {words.cancel}
      </button>
      <Fault said={act.fault?.message} />
    </form>
  );
}

export function PagesLog({ all }: { all: boolean }) {
  const log = useInfiniteQuery({
    queryKey: ["share", "log"],
    queryFn: ({ pageParam }) =>
      got(
        client.GET("/api/share/log", { params: { query: pageParam === null ? {} : { before: pageParam } } }),
      ),
    initialPageParam: null as number | null,
    getNextPageParam: (last) => (last.length === PAGE ? (last.at(-1)?.id ?? null) : null),
  });
  const rows = log.data?.pages.flat() ?? [];
  return (
    <>
      <h1>{words.log}</h1>
      <p className="lead">{words.logLead}</p>
      {log.isSuccess && rows.length === 0 && <p className="quiet">{words.nothingMade}</p>}
      {rows.length > 0 && (
        <div className="wide-table">
          <table className="rows">
            <thead>
              <tr>
                <th scope="col">{words.made}</th>
                {all && <th scope="col">{words.by}</th>}
                <th scope="col">{words.student}</th>
                <th scope="col">{words.audience}</th>
                <th scope="col">{words.language}</th>
                <th scope="col">{words.sections}</th>
                <th scope="col">{words.handed}</th>
                <th scope="col">{words.digest}</th>
              </tr>
            </thead>
            <tbody>
              {rows.map((one) => (
                <tr key={one.id}>
                  <td>{day(one.at.slice(0, 10))}</td>
                  {all && <td>{one.by}</td>}
                  <td>
                    <Name name={one.student} />
                  </td>
                  <td>{words.audiences[one.audience] ?? one.audience}</td>
                  <td>{one.language}</td>
                  <td className="wraps">
                    <details>
                      <summary>{words.nSections(one.sections.length)}</summary>
                      {one.sections.map((section) => words.sectionNames[section] ?? section).join(", ")}
                    </details>
                  </td>
                  <td>
                    {one.handed.map((own) => (
                      <div key={own.at}>{words.handedTo(own.to, day(own.at.slice(0, 10)))}</div>
                    ))}
                    <HandOver line={one} />
                  </td>
                  <td className="quiet small" title={one.sha256}>
                    {one.sha256.slice(0, 10)}
                  </td>
                </tr>
              ))}
            </tbody>
          </table>
        </div>
      )}
      {log.hasNextPage && (
        <button type="button" className="plain" onClick={() => log.fetchNextPage()}>
          {words.more}
        </button>
      )}
    </>
  );
}
