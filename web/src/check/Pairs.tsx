/** Two sittings side by side: in two languages, twice in one window, without what the plan promises. */

import { useState } from "react";
import type { Schemas } from "../api/client";
import { StudentName } from "../panel/StudentName";
import { Name } from "../people/Hiding";
import { How } from "../step/How";
import { useWidth } from "../ui/useWidth";
import { day, signed } from "../words/format";
import type { Decide } from "./useDecide";

type Step = Schemas["CheckStep"];
const FIRST = 8;

const NEEDS: Record<string, string> = {
  language: "language",
  skill: "skill",
  "cannot tell": "cannot tell",
};

export function Languages({ answer }: { answer: Step }) {
  const [all, setAll] = useState(false);
  const [box, width] = useWidth<HTMLDivElement>(600);
  const rows = answer.languages;
  if (rows.length === 0) return null;
  const scores = rows.flatMap((row) => [row.home_score, row.english_score]);
  const low = Math.min(...scores) - 12;
  const high = Math.max(...scores) + 12;
  const wide = Math.min(460, Math.max(200, width * 0.42));
  const x = (score: number) => ((score - low) / (high - low)) * (wide - 12) + 6;
  const shown = all ? rows : rows.slice(0, FIRST);
  return (
    <section aria-label="Two languages" style={{ marginTop: 20 }}>
      <h2>
        <How of="two-sittings-two-languages">Two languages</How>
      </h2>
      <p>{answer.language_words}</p>
      <div ref={box}>
        <table className="rows still" aria-label="Two languages">
          <thead>
            <tr>
              <th>Student</th>
              <th>English (hollow) and home language (solid)</th>
              <th className="num">Difference</th>
              <th>The need</th>
            </tr>
          </thead>
          <tbody>
            {shown.map((row) => (
              <tr key={row.student_id}>
                <td>
                  <StudentName student={row} look="word" /> <span className="quiet small">{row.section}</span>
                </td>
                <td>
                  <svg
                    width={wide}
                    height={16}
                    role="img"
                    aria-label={`English ${row.english_score}, ${row.home} ${row.home_score}`}
                  >
                    <line
                      x1={x(row.english_score)}
                      x2={x(row.home_score)}
                      y1={8}
                      y2={8}
                      stroke="var(--rule)"
                    />
                    <line
                      x1={x(row.home_score - (row.home_error ?? 0))}
                      x2={x(row.home_score + (row.home_error ?? 0))}
                      y1={8}
                      y2={8}
                      stroke="var(--ink)"
                    />
                    <circle cx={x(row.english_score)} cy={8} r={4} fill="var(--paper)" stroke="var(--ink)" />
                    <circle cx={x(row.home_score)} cy={8} r={4.5} fill="var(--ink)" />
                  </svg>
                </td>
                <td className="num">{signed(row.difference)}</td>
                <td>{NEEDS[row.need] ?? row.need}</td>
              </tr>
            ))}
          </tbody>
        </table>
      </div>
      {rows.length > FIRST && (
        <button type="button" className="word" onClick={() => setAll(!all)}>
          {all ? "Only the first" : `All ${rows.length}`}
        </button>
      )}
    </section>
  );
}

export function Several({ answer, decide }: { answer: Step; decide: Decide }) {
  const [all, setAll] = useState(false);
  if (answer.several.length === 0) return null;
  const shown = all ? answer.several : answer.several.slice(0, FIRST);
  return (
    <section aria-label="Several results" style={{ marginTop: 20 }}>
      <h2>
        <How of="which-result-counts">Several results in this window</How>
      </h2>
      <p className="quiet small">The latest counts unless another one is chosen.</p>
      <table className="rows still" aria-label="Several results">
        <thead>
          <tr>
            <th>Student</th>
            <th>Sittings</th>
            <th className="num">Difference</th>
          </tr>
        </thead>
        <tbody>
          {shown.map((one) => (
            <tr key={`${one.student_id} ${one.language}`}>
              <td style={{ verticalAlign: "top" }}>
                <Name name={one.name} />{" "}
                <span className="quiet small">
                  {one.section}
                  {one.language && one.language !== "English" && `, ${one.language}`}
                </span>
              </td>
              <td style={{ whiteSpace: "normal" }}>
                {one.sittings.map((sitting) => (
                  <div key={sitting.result_id}>
                    {sitting.score.toFixed(0)}{" "}
                    <span className="quiet">
                      {sitting.tested_on ? day(sitting.tested_on) : "undated"}
                      {sitting.minutes != null && `, ${sitting.minutes.toFixed(0)} minutes`}
                      {sitting.used && `, with ${sitting.used.split(";").join(", ").toLowerCase()}`}
                    </span>{" "}
                    {sitting.counts ? (
                      <strong>counts</strong>
                    ) : (
                      answer.may_decide && (
                        <button
                          type="button"
                          className="word"
                          aria-label={`Let this count: the ${sitting.score.toFixed(0)} of ${one.name}`}
                          onClick={() =>
                            decide.judge({ act: "counts", result_id: sitting.result_id, why: "" })
                          }
                        >
                          Let this count
                        </button>
                      )
                    )}
                    {sitting.decided && <span className="quiet small"> {sitting.decided}</span>}
                  </div>
                ))}
              </td>
              <td className="num" style={{ verticalAlign: "top" }}>
                {signed(one.difference)}
                <div className="quiet small">{one.beyond ? "beyond test error" : "within test error"}</div>
              </td>
            </tr>
          ))}
        </tbody>
      </table>
      {answer.several.length > FIRST && (
        <button type="button" className="word" onClick={() => setAll(!all)}>
          {all ? "Only the first" : `All ${answer.several.length}`}
        </button>
      )}
    </section>
  );
}

export function Without({ answer }: { answer: Step }) {
  const [open, setOpen] = useState(false);
  if (answer.without.length === 0) return null;
  return (
    <section aria-label="Accommodations" style={{ marginTop: 20 }}>
      <h2>Accommodations</h2>
      <p>
        {answer.without.length} {answer.without.length === 1 ? "student" : "students"} sat without all that
        the plan promises.{" "}
        <button type="button" className="word" aria-expanded={open} onClick={() => setOpen(!open)}>
          {open ? "Hide them" : "See who"}
        </button>
      </p>
      {open && (
        <table className="rows still" aria-label="Without accommodations">
          <tbody>
            {answer.without.map((one) => (
              <tr key={one.student_id}>
                <td>
                  <StudentName student={one} look="word" /> <span className="quiet small">{one.section}</span>
                </td>
                <td>entitled to {one.entitled.join(", ").toLowerCase()}</td>
                <td>{one.used ? `used ${one.used.split(";").join(", ").toLowerCase()}` : "used none"}</td>
              </tr>
            ))}
          </tbody>
        </table>
      )}
    </section>
  );
}
