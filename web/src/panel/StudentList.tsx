/** The students behind a number: a list to pin, to step through, to set goals for. */
import { useQuery } from "@tanstack/react-query";
import { useMemo, useState } from "react";
import { client, got } from "../api/client";
import { SetGoals } from "../goals/SetGoals";
import { BandMark } from "../marks/BandMark";
import { Lane } from "../marks/Lane";
import { lanesDomain } from "../marks/scale";
import { useMe } from "../people/me";
import { usePins } from "../pins/PinContext";
import { PinMark } from "../pins/PinMark";
import { useScope } from "../scope/ScopeContext";
import { asked, type Scope, writeScope } from "../scope/scope";
import { How } from "../step/How";
import { Download } from "../ui/Download";
import { panel as words } from "../words/around/panel";
import { score, students } from "../words/format";
import type { Pick } from "./PanelContext";
import { StudentName } from "./StudentName";
import { useListKeys } from "./useListKeys";
import { useKeepWalk } from "./walk";

const SHOWN = 150;
/** Rows asked for at first, and at the most. */
const FIRST = 400;
const MOST = 5000;
/** Goals are set for no more than so many at once. */
const GOALS = 400;

/** Asks for the students behind a pick: a point of the trend has an address of its own. */
function ask(scope: Scope, pick: Pick, count: number) {
  const { at, over, needs, named: _, ...plain } = pick;
  const own = asked(scope);
  if (needs?.of === "strand") {
    const { of: __, ...part } = needs;
    return got(
      client.GET("/api/needs/strands/drill-down", { params: { query: { ...own, ...part, count } } }),
    );
  }
  if (needs?.of === "standard") {
    const { standard, state, evidence } = needs;
    return got(
      client.GET("/api/needs/standards/drill-down", {
        params: { query: { ...own, ...evidence, standard, state, count } },
      }),
    );
  }
  if (needs?.of === "item") {
    const { of: __, ...part } = needs;
    return got(client.GET("/api/needs/items/drill-down", { params: { query: { ...own, ...part, count } } }));
  }
  if (at === undefined)
    return got(client.GET("/api/drill-down", { params: { query: { ...asked(scope), ...plain, count } } }));
  return got(
    client.GET("/api/compare/trend/drill-down", {
      params: { query: { ...asked(scope), at, ...(over ? { over } : {}) } },
    }),
  );
}

export function StudentList({ pick }: { pick: Pick }) {
  const { scope } = useScope();
  const { act } = usePins();
  const me = useMe();
  const [shown, setShown] = useState(SHOWN);
  const [many, setMany] = useState(false);
  const [aiming, setAiming] = useState(false);
  const found = useQuery({
    queryKey: ["drill-down", scope, pick, many],
    queryFn: () => ask(scope as Scope, pick, many ? MOST : FIRST),
    enabled: Boolean(scope),
    placeholderData: (before) => before,
  });
  const rows = useMemo(() => found.data?.rows ?? [], [found.data]);
  useKeepWalk(found.data?.title ?? "", rows);
  const domain = useMemo(() => lanesDomain(rows), [rows]);
  const { at, list } = useListKeys(rows);
  if (found.isError) return <p className="fault list">{found.error.message}</p>;
  if (!found.data || !scope) return <p className="quiet list">{words.looking}</p>;
  const everybody = async () => (found.data.n > rows.length ? (await ask(scope, pick, MOST)).rows : rows);
  const pinAll = async () =>
    act({
      type: "add",
      students: (await everybody()).map((row) => ({ id: row.student_id, name: row.name })),
    });
  const query = new URLSearchParams([
    ...writeScope(scope),
    ...Object.entries(pick).map(([k, v]) => [k, String(v)] as [string, string]),
  ]);
  return (
    <>
      <header>
        <h2>{found.data.title}</h2>
        <p className="quiet small">
          {students(found.data.n)} · {found.data.caption}
        </p>
        <div className="tools">
          <button
            type="button"
            className="plain"
            disabled={!rows.length || found.data.n > MOST}
            title={
              found.data.n > MOST ? `More than ${MOST} cannot be pinned; narrow the choice first` : undefined
            }
            onClick={pinAll}
          >
            {words.pinAll} {found.data.n.toLocaleString("en")}
          </button>
          {me.may_set_goals && rows.length > 0 && found.data.n <= GOALS && (
            <button type="button" className="plain" onClick={() => setAiming(true)}>
              {words.setGoals}
            </button>
          )}
          {me.may_export && rows.length > 0 && !pick.needs && (
            <Download path="drill-down" query={query.toString()} what={words.theseStudents} />
          )}
          <span className="quiet small">
            <kbd>[</kbd> <kbd>]</kbd> {words.step} <kbd>P</kbd> {words.pin}
          </span>
        </div>
      </header>
      <div className="list">
        {rows.length === 0 && <p className="quiet u-room">{words.nobodyHere}</p>}
        <ol ref={list}>
          {rows.slice(0, Math.max(shown, at + 1)).map((row, place) => (
            <li key={row.student_id} className={place === at ? "at" : undefined}>
              <div className="u-in-row">
                <PinMark id={row.student_id} name={row.name} />
                <StudentName student={row} />
                <span className="quiet small u-push">
                  {[row.grade && words.grade(row.grade), row.section ?? row.school]
                    .filter(Boolean)
                    .join(" · ")}
                </span>
              </div>
              <div className="u-in-row u-indented">
                {(row.from_score != null || row.to_score != null) && (
                  <Lane row={row} domain={domain} bands={found.data.bands.length} width={210} height={24} />
                )}
                <span className="small u-push">
                  {row.left_out && <span className="quiet">{row.left_out} </span>}
                  {row.from_score != null && score(row.from_score)}
                  {row.from_score != null && row.to_score != null && " → "}
                  {row.to_score != null && score(row.to_score)}{" "}
                  <BandMark order={row.to_order ?? row.from_order} bands={found.data.bands} />
                </span>
              </div>
              {place === at && row.explained && (
                <p className="explained">
                  {row.explained} <How of="expected-growth">{words.howThisIsWorkedOut}</How>
                </p>
              )}
            </li>
          ))}
        </ol>
        {found.data.n > shown && shown < MOST && (
          <button
            type="button"
            className="plain u-above-14"
            onClick={() => {
              if (found.data.n > rows.length) setMany(true);
              setShown(shown + 500);
            }}
          >
            {words.showMore}
            {found.data.n - shown} {words.left}
          </button>
        )}
      </div>
      {aiming && (
        <SetGoals
          students={rows.map((row) => ({ id: row.student_id, name: row.name }))}
          onClose={() => setAiming(false)}
        />
      )}
    </>
  );
}
