/** The grid: students x standards with the evidence mark, or classes x standards with the share that holds each. */
import { type ReactNode, useState } from "react";
import type { Schemas } from "../../api/client";
import { EvidenceMark } from "../../marks/EvidenceMark";
import type { EvidenceAsked } from "../../panel/PanelContext";
import { Name, useSaid } from "../../people/Hiding";
import { PinMark } from "../../pins/PinMark";
import { useScope } from "../../scope/ScopeContext";
import { percent } from "../../words/format";
import { needs as words } from "../../words/steps/needs";
import { Evidence } from "./Evidence";
import { OneStudent } from "./OneStudent";
import css from "./standards.module.css";

type Answer = Schemas["StandardsAnswer"];
type Column = Schemas["StandardColumn"];

export const STATES = [words.mastered, words.nearly, words.notYet, words.thin, words.none];
const DOTTED = 3;
/** Rows of sixty cells or more each. */
export const SHOWN = 40;
export const MORE = 40;

/** Columns by strand, the own grade first within each. */
export function byStrand(columns: Column[]): { column: Column; at: number; first: boolean }[] {
  const strands = [...new Set(columns.map((column) => column.strand))];
  return strands.flatMap((strand) =>
    columns
      .map((column, at) => ({ column, at }))
      .filter(({ column }) => column.strand === strand)
      .map((one, place) => ({ ...one, first: place === 0 })),
  );
}

export function MarkKey() {
  return (
    <span className={css.key}>
      {STATES.slice(0, DOTTED + 1).map((word, state) => (
        <span key={word}>
          <EvidenceMark state={state} /> {word}
        </span>
      ))}
    </span>
  );
}

export function Grid({
  answer,
  evidence,
  onPick,
  shown,
  more,
}: {
  answer: Answer;
  evidence: EvidenceAsked;
  onPick: (standard: string) => void;
  /** How many rows to show, and the button for more of so many. */
  shown: number;
  more: (n: number) => ReactNode;
}) {
  const { change } = useScope();
  const saidName = useSaid();
  const [cell, setCell] = useState<{ student: string; name: string; standard: string } | null>(null);
  const [student, setStudent] = useState<{ id: string; name: string } | null>(null);
  const classes = answer.classes_n > 0;
  // Over many classes a standard that nobody has evidence on would only be an empty column.
  const held = new Set(answer.skills.filter((one) => one.evidence).map((one) => one.standard));
  const columns = byStrand(answer.columns).filter(({ column }) => !classes || held.has(column.standard));
  return (
    // biome-ignore lint/a11y/noNoninteractiveTabindex: the grid scrolls on its own
    <section className={css.grid} tabIndex={0} aria-label={classes ? words.gridClasses : words.grid}>
      <table>
        <thead>
          <tr>
            <th>
              <span className="unseen">{classes ? words.classWord : words.student}</span>
            </th>
            {columns.map(({ column, first }) => (
              <th key={column.standard} className={first ? css.strand : undefined} title={column.text}>
                <span>{first ? column.strand : " "}</span>
                <button type="button" className="open" onClick={() => onPick(column.standard)}>
                  {column.standard}
                </button>
              </th>
            ))}
          </tr>
        </thead>
        <tbody>
          {answer.students.slice(0, shown).map((row) => (
            <tr key={row.student_id}>
              <th scope="row">
                <PinMark id={row.student_id} name={row.name} />
                <button
                  type="button"
                  className="open"
                  onClick={() => setStudent({ id: row.student_id, name: row.name })}
                >
                  <Name name={row.name} />
                </button>
              </th>
              {columns.map(({ column, at, first }) => {
                const state = Number(row.states.charAt(at));
                const said = `${saidName(row.name)}, ${column.standard}: ${STATES[state]}`;
                return (
                  <td key={column.standard} className={first ? css.strand : undefined}>
                    <button
                      type="button"
                      className={css.cell}
                      title={said}
                      aria-label={said}
                      onClick={() =>
                        setCell({ student: row.student_id, name: row.name, standard: column.standard })
                      }
                    >
                      <EvidenceMark state={state} />
                    </button>
                  </td>
                );
              })}
            </tr>
          ))}
          {answer.classes.map((row) => (
            <tr key={`${row.school} ${row.section}`}>
              <th scope="row">
                <button
                  type="button"
                  className="open"
                  disabled={!row.section}
                  title={row.section ? words.showIn(row.section) : undefined}
                  onClick={() =>
                    change({ section: [row.section ?? ""], school: row.school ? [row.school] : [] })
                  }
                >
                  {row.section ?? "–"}
                </button>{" "}
                <span className="quiet small">
                  {row.school} · {row.n}
                </span>
              </th>
              {columns.map(({ column, at, first }) => {
                const one = row.cells[at];
                return (
                  <td key={column.standard} className={first ? css.strand : undefined}>
                    {one?.evidence ? (
                      <span
                        className={css.share}
                        style={{
                          borderBottomColor: `color-mix(in oklab, var(--ramp-4) ${Math.round((100 * one.mastered) / one.evidence)}%, var(--ramp-1))`,
                        }}
                        title={`${column.text}: ${one.mastered} ${words.of(one.evidence)} ${words.mastered}`}
                      >
                        {percent(one.mastered / one.evidence)} <small className="quiet">{one.evidence}</small>
                      </span>
                    ) : (
                      <span className="quiet">·</span>
                    )}
                  </td>
                );
              })}
            </tr>
          ))}
        </tbody>
      </table>
      {more(classes ? answer.classes_n : answer.students.length)}
      {cell && <Evidence {...cell} evidence={evidence} onClose={() => setCell(null)} />}
      {student && <OneStudent {...student} evidence={evidence} onClose={() => setStudent(null)} />}
    </section>
  );
}
