/** How far each class is: a bar of who was tested, and the names to chase with their reasons. */
import { useState } from "react";
import type { Schemas } from "../api/client";
import { usePanel } from "../panel/PanelContext";
import { Name } from "../people/Hiding";
import { check as words } from "../words/steps/check";
import type { Decide } from "./useDecide";

type Step = Schemas["CheckStep"];
type Line = Schemas["ClassLine"];

const FIRST = 8;
const REASONS = ["absent", "excused", "refused", words.technicalTrouble, words.leftTheSchool];

function Bar({ line }: { line: Line }) {
  const width = 120;
  const part = (n: number) => (line.expected ? (n / line.expected) * width : 0);
  return (
    <svg
      width={width}
      height={10}
      role="img"
      aria-label={words.ofTestedMissingForA(line.tested, line.expected, line.excused)}
    >
      <rect x={0.5} y={0.5} width={width - 1} height={9} fill="none" stroke="var(--rule)" />
      <rect x={0} y={0} width={part(line.tested)} height={10} fill="var(--ramp-3)" />
      <rect x={part(line.tested)} y={0} width={part(line.excused)} height={10} fill="var(--ramp-1)" />
    </svg>
  );
}

function Chase({ line, answer, decide }: { line: Line; answer: Step; decide: Decide }) {
  const { openStudent } = usePanel();
  const [open, setOpen] = useState<string | null>(null);
  return (
    <ul className="chase">
      {line.missing.map((one) => (
        <li key={one.student_id}>
          <button
            type="button"
            className={one.reason ? "word quiet" : "word"}
            onClick={() => openStudent({ id: one.student_id, name: one.name })}
          >
            <Name name={one.name} />
          </button>
          {one.reason && <span className="quiet"> {one.reason}</span>}{" "}
          {answer.may_ask &&
            (open === one.student_id ? (
              <select
                className="input narrow"
                aria-label={words.whyWasNotTested(one.name)}
                defaultValue={one.recorded ? (one.reason ?? "") : ""}
                // biome-ignore lint/a11y/noAutofocus: it opens where one has just clicked
                autoFocus
                onBlur={() => setOpen(null)}
                onChange={(event) => {
                  setOpen(null);
                  decide.reason({
                    student_id: one.student_id,
                    window: answer.window,
                    reason: event.target.value,
                  });
                }}
              >
                <option value="">{one.recorded ? words.noReason : words.chooseAReason}</option>
                {[...new Set([...REASONS, ...(one.reason && one.recorded ? [one.reason] : [])])].map(
                  (reason) => (
                    <option key={reason}>{reason}</option>
                  ),
                )}
              </select>
            ) : (
              <button
                type="button"
                className="why"
                aria-label={words.whyWasNotTested2(one.name)}
                onClick={() => setOpen(one.student_id)}
              >
                {words.why}
              </button>
            ))}
        </li>
      ))}
    </ul>
  );
}

export function Completion({ answer, decide }: { answer: Step; decide: Decide }) {
  const [all, setAll] = useState(false);
  const open = answer.classes.filter((line) => line.tested < line.expected);
  const whole = answer.classes.length - open.length;
  const shown = all ? open : open.slice(0, FIRST);
  return (
    <section aria-label={words.whoWasTested}>
      <h2>{words.whoIsMissing}</h2>
      <table className="rows" aria-label={words.classes}>
        <tbody>
          {shown.map((line) => (
            <tr key={`${line.school} ${line.section}`}>
              <td className="u-at-top">
                {line.section}
                <div className="quiet small">{line.school}</div>
              </td>
              <td className="u-at-top">
                <Bar line={line} />
                <div className="quiet small">
                  {line.tested} {words.of} {line.expected}
                </div>
              </td>
              <td className="u-wraps">
                <Chase line={line} answer={answer} decide={decide} />
              </td>
            </tr>
          ))}
        </tbody>
      </table>
      {open.length > FIRST && (
        <button type="button" className="word" onClick={() => setAll(!all)}>
          {all ? words.onlyTheFirstClasses : words.allClassesWithSomebodyMissing(open.length)}
        </button>
      )}
      <p className="quiet small">
        {whole > 0 && words.complete(whole, whole === 1 ? "class is" : "classes are")}
        {words.sandMissingForAKnown}
      </p>
    </section>
  );
}
