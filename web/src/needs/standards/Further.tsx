/** Below the grid: who is ahead, and where need and the teaching calendar do not meet. */
import { useQuery } from "@tanstack/react-query";
import { useState } from "react";
import { client, got, type Schemas } from "../../api/client";
import type { EvidenceAsked } from "../../panel/PanelContext";
import { StudentName } from "../../panel/StudentName";
import { usePins } from "../../pins/PinContext";
import { asked, type Scope } from "../../scope/scope";
import { useShown } from "../../ui/lists/useFirst";
import { day } from "../../words/format";
import { needs as words } from "../../words/steps/needs";
import css from "./standards.module.css";

const SHOWN = 12;
/** Rows of the calendar at first, and with each click for more. */
const ROWS = 60;
const MORE = 200;

interface Props {
  scope: Scope;
  evidence: EvidenceAsked;
}

export function Ahead({ scope, evidence }: Props) {
  const [on, setOn] = useState(false);
  const { act } = usePins();
  const found = useQuery({
    queryKey: ["needs", "ahead", scope, evidence],
    queryFn: () =>
      got(client.GET("/api/needs/standards/ahead", { params: { query: { ...asked(scope), ...evidence } } })),
    enabled: on,
  });
  return (
    <details className={css.more} onToggle={(event) => setOn(event.currentTarget.open)}>
      <summary>{words.ahead}</summary>
      <p className="lead">{words.aheadLead}</p>
      {found.isError && <p className="fault">{found.error.message}</p>}
      {found.data?.length === 0 && <p className="quiet">{words.nobodyAhead}</p>}
      {found.data?.map((strand) => (
        <div key={`${strand.grade} ${strand.strand}`} className={css.material}>
          <b>{words.strandAhead(strand.strand, strand.grade, strand.students.length)}</b>{" "}
          <button
            type="button"
            className="word"
            onClick={() =>
              act({
                type: "add",
                students: strand.students.map((one) => ({ id: one.student_id, name: one.name })),
              })
            }
          >
            {words.pinAll(strand.students.length)}
          </button>
          <p className="small">
            {strand.students.slice(0, SHOWN).map((one, at) => (
              <span key={one.student_id}>
                {at > 0 && ", "}
                <StudentName student={one} look="word" />
              </span>
            ))}
            {strand.students.length > SHOWN && ` … ${words.of(strand.students.length)}`}
            {strand.students[0]?.beyond.length
              ? ` (${words.beyondList(strand.students[0].beyond.join(", "))})`
              : ""}
          </p>
        </div>
      ))}
    </details>
  );
}

type Problems = Schemas["ProblemList"];

const TITLES: Record<Problems["problem"], string> = {
  "never planned": words.neverPlanned,
  "taught and still lacking": words.lackingAfter,
  "coming without its ground": words.comingSoon,
};

/** The problems of some kind; ``count`` rows of each. */
function useCalendar(props: Props, asking: { count: number; problem?: Problems["problem"] }, on: boolean) {
  return useQuery({
    queryKey: ["needs", "calendar", props.scope, props.evidence, asking],
    queryFn: () =>
      got(
        client.GET("/api/needs/standards/calendar", {
          params: { query: { ...asked(props.scope), ...props.evidence, ...asking } },
        }),
      ),
    enabled: on,
    placeholderData: (before) => before,
  });
}

function ProblemTable(props: Props & { first: Problems; onPick: (standard: string) => void }) {
  const { first, onPick } = props;
  const [count, more] = useShown(ROWS, MORE);
  const longer = useCalendar(props, { count, problem: first.problem }, count > ROWS);
  const rows = (count > ROWS && longer.data?.[0]?.rows) || first.rows;
  return (
    <section>
      <h2>{TITLES[first.problem]}</h2>
      {longer.isError && <p className="fault">{longer.error.message}</p>}
      <table className="rows">
        <tbody>
          {rows.map((row) => (
            <tr key={`${row.school} ${row.section} ${row.standard}`}>
              <td>{row.section ?? "–"}</td>
              <td className="wraps">
                <button type="button" className="open" onClick={() => onPick(row.standard)}>
                  {row.text}
                </button>{" "}
                <span className="quiet small">{row.standard}</span>
              </td>
              <td className="num">{words.lackOf(row.n, row.evidence)}</td>
              <td className="small quiet wraps">
                {row.ground.length > 0
                  ? words.groundMissing(row.ground.join(", "))
                  : row.first && row.last && words.daysTaught(day(row.first), day(row.last))}
              </td>
            </tr>
          ))}
        </tbody>
      </table>
      {more(first.n)}
    </section>
  );
}

export function Calendar(props: Props & { onPick: (standard: string) => void }) {
  const [on, setOn] = useState(false);
  const found = useCalendar(props, { count: ROWS }, on);
  return (
    <details className={css.more} onToggle={(event) => setOn(event.currentTarget.open)}>
      <summary>{words.calendar}</summary>
      <p className="lead">{words.calendarLead}</p>
      {found.isError && <p className="fault">{found.error.message}</p>}
      {found.data?.length === 0 && <p className="quiet">{words.allMeets}</p>}
      {found.data?.map((one) => (
        <ProblemTable key={one.problem} {...props} first={one} />
      ))}
    </details>
  );
}
