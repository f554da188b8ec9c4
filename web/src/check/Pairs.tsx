/** Two sittings side by side: in two languages, twice in one window, without what the plan promises. */

import { useState } from "react";
import type { Schemas } from "../api/client";
import { StudentName } from "../panel/StudentName";
import { Name } from "../people/Hiding";
import { How } from "../step/How";
import { useWidth } from "../ui/useWidth";
import { day, signed } from "../words/format";
import { check as words } from "../words/steps/check";
import type { Decide } from "./useDecide";

type Step = Schemas["CheckStep"];
const FIRST = 8;

const NEEDS: Record<string, string> = {
  language: "language",
  skill: "skill",
  "cannot tell": words.cannotTell,
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
    <section aria-label={words.twoLanguages} className="u-above-20">
      <h2>
        <How of="two-sittings-two-languages">{words.twoLanguages}</How>
      </h2>
      <p>{answer.language_words}</p>
      <div ref={box}>
        <table className="rows still" aria-label={words.twoLanguages}>
          <thead>
            <tr>
              <th>{words.student2}</th>
              <th>{words.englishHollowAndHomeLanguage}</th>
              <th className="num">{words.difference}</th>
              <th>{words.theNeed}</th>
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
                    aria-label={words.english(row.english_score, row.home, row.home_score)}
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
                <td>{row.need == null ? "–" : (NEEDS[row.need] ?? row.need)}</td>
              </tr>
            ))}
          </tbody>
        </table>
      </div>
      {rows.length > FIRST && (
        <button type="button" className="word" onClick={() => setAll(!all)}>
          {all ? words.onlyTheFirst : words.all(rows.length)}
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
    <section aria-label={words.severalResults} className="u-above-20">
      <h2>
        <How of="which-result-counts">{words.severalResultsInThisWindow}</How>
      </h2>
      <p className="quiet small">{words.theLatestCountsUnlessAnother}</p>
      <table className="rows still" aria-label={words.severalResults}>
        <thead>
          <tr>
            <th>{words.student2}</th>
            <th>{words.sittings}</th>
            <th className="num">{words.difference}</th>
          </tr>
        </thead>
        <tbody>
          {shown.map((one) => (
            <tr key={`${one.student_id} ${one.language}`}>
              <td className="u-at-top">
                <Name name={one.name} />{" "}
                <span className="quiet small">
                  {one.section}
                  {one.language && one.language !== "English" && `, ${one.language}`}
                </span>
              </td>
              <td className="u-wraps">
                {one.sittings.map((sitting) => (
                  <div key={sitting.result_id}>
                    {sitting.score.toFixed(0)}{" "}
                    <span className="quiet">
                      {sitting.tested_on ? day(sitting.tested_on) : "undated"}
                      {sitting.minutes != null && words.minutes(sitting.minutes.toFixed(0))}
                      {sitting.used && words.withWord(sitting.used.split(";").join(", ").toLowerCase())}
                    </span>{" "}
                    {sitting.counts ? (
                      <strong>{words.counts}</strong>
                    ) : (
                      answer.may_decide && (
                        <button
                          type="button"
                          className="word"
                          aria-label={words.letThisCountTheOf(sitting.score.toFixed(0), one.name)}
                          onClick={() =>
                            decide.judge({ act: "counts", result_id: sitting.result_id, why: "" })
                          }
                        >
                          {words.letThisCount}
                        </button>
                      )
                    )}
                    {sitting.decided && <span className="quiet small"> {sitting.decided}</span>}
                  </div>
                ))}
              </td>
              <td className="num u-at-top">
                {signed(one.difference)}
                <div className="quiet small">
                  {one.beyond ? words.beyondTestError : words.withinTestError}
                </div>
              </td>
            </tr>
          ))}
        </tbody>
      </table>
      {answer.several.length > FIRST && (
        <button type="button" className="word" onClick={() => setAll(!all)}>
          {all ? words.onlyTheFirst : words.all(answer.several.length)}
        </button>
      )}
    </section>
  );
}

export function Without({ answer }: { answer: Step }) {
  const [open, setOpen] = useState(false);
  if (answer.without.length === 0) return null;
  return (
    <section aria-label={words.accommodations} className="u-above-20">
      <h2>{words.accommodations}</h2>
      <p>
        {answer.without.length} {answer.without.length === 1 ? "student" : "students"}{" "}
        {words.satWithoutAllThatThe}{" "}
        <button type="button" className="word" aria-expanded={open} onClick={() => setOpen(!open)}>
          {open ? words.hideThem : words.seeWho}
        </button>
      </p>
      {open && (
        <table className="rows still" aria-label={words.withoutAccommodations}>
          <tbody>
            {answer.without.map((one) => (
              <tr key={one.student_id}>
                <td>
                  <StudentName student={one} look="word" /> <span className="quiet small">{one.section}</span>
                </td>
                <td>
                  {words.entitledTo} {one.entitled.join(", ").toLowerCase()}
                </td>
                <td>
                  {one.used ? words.used(one.used.split(";").join(", ").toLowerCase()) : words.usedNone}
                </td>
              </tr>
            ))}
          </tbody>
        </table>
      )}
    </section>
  );
}
