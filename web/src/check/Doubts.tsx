/** Results that are hard to believe, one under another, the evidence beside the act. */

import { useState } from "react";
import type { Schemas } from "../api/client";
import { StudentName } from "../panel/StudentName";
import type { Scope } from "../scope/scope";
import { How } from "../step/How";
import { check as words } from "../words/steps/check";
import type { Decide } from "./useDecide";

type Step = Schemas["CheckStep"];
type Doubt = Schemas["Doubtful"];

const FIRST = 6;

function One({ one, answer, scope, decide }: { one: Doubt; answer: Step; scope: Scope; decide: Decide }) {
  const [aside, setAside] = useState(false);
  const [why, setWhy] = useState("");
  const lacks = one.entitled.filter((name) => !(one.used ?? "").split(";").includes(name));
  return (
    <li className={one.state || one.retest ? "doubt settled" : "doubt"}>
      <div>
        <span aria-hidden className="flag">
          {one.both ? "▲" : "△"}
        </span>{" "}
        <StudentName student={one} look="word" />{" "}
        <span className="quiet">
          {one.section}, {one.language && one.language !== "English" ? `${one.language}, ` : ""}
          {one.score.toFixed(0)}
        </span>
        <div className="small">{one.why}.</div>
        {lacks.length > 0 && (
          <div className="small">
            {words.satWithout} {lacks.join(" and ").toLowerCase()}.
          </div>
        )}
        {one.decided && <div className="small quiet">{one.decided}</div>}
        {one.retest && <div className="small quiet">{words.aRetestIsAskedFor}</div>}
      </div>
      <div className="acts">
        {!one.state && answer.may_decide && (
          <button
            type="button"
            className="word"
            onClick={() => decide.judge({ act: "keep", result_id: one.result_id, why: "" })}
          >
            {words.keep}
          </button>
        )}
        {!one.retest && one.state !== "set aside" && answer.may_ask && (
          <button
            type="button"
            className="word"
            onClick={() =>
              decide.ask({
                student_id: one.student_id,
                assessment: scope.assessment,
                subject: scope.subject,
                window: answer.window,
                why: one.why.slice(0, 255),
                accommodations: one.entitled.join(";") || null,
              })
            }
          >
            {words.retest}
          </button>
        )}
        {!one.state && answer.may_decide && !aside && (
          <button type="button" className="word" onClick={() => setAside(true)}>
            {words.setAside}
          </button>
        )}
        {one.state && answer.may_decide && (
          <button
            type="button"
            className="word"
            onClick={() => decide.judge({ act: "as before", result_id: one.result_id, why: "" })}
          >
            {words.decideAgain}
          </button>
        )}
        {aside && (
          <form
            onSubmit={(event) => {
              event.preventDefault();
              decide.judge({ act: "set aside", result_id: one.result_id, why });
              setAside(false);
            }}
          >
            <input
              className="input"
              // biome-ignore lint/a11y/noAutofocus: it opens where one has just clicked
              autoFocus
              required
              maxLength={255}
              placeholder={words.why2}
              aria-label={words.whyTheResultOfIs(one.name)}
              value={why}
              onChange={(event) => setWhy(event.target.value)}
              onKeyDown={(event) => {
                if (event.key === "Escape") setAside(false);
              }}
            />
            <button type="submit" className="word">
              {words.setAside}
            </button>
          </form>
        )}
      </div>
    </li>
  );
}

export function Doubts({ answer, scope, decide }: { answer: Step; scope: Scope; decide: Decide }) {
  const [all, setAll] = useState(false);
  const both = answer.doubts.filter((one) => one.both);
  const rest = answer.doubts.length - both.length;
  const shown = all
    ? answer.doubts
    : answer.doubts.slice(0, Math.max(FIRST, both.length && Math.min(both.length, 12)));
  return (
    <section aria-label={words.doubtfulResults}>
      <h2>
        <How of="doubts-about-a-result">{words.hardToBelieve}</How>
      </h2>
      {answer.rushed.map((one) => (
        <p key={`${one.school} ${one.section}`} className="aside">
          {words.classWord} {one.section}, {one.school}: {one.fast} {words.of} {one.tested}{" "}
          {words.testsWereTooFast}
        </p>
      ))}
      {answer.doubts.length === 0 ? (
        <p className="quiet">{words.noResultOfThisWindow}</p>
      ) : (
        <>
          <p className="quiet small">
            {both.length > 0 ? words.bothTooFastAndFar(both.length) : words.noneIsBothTooFast}
            {rest > 0 && words.onlyOneOfTheTwo(rest, rest === 1 ? "it" : "them")}
          </p>
          <ul className="doubts">
            {shown.map((one) => (
              <One key={one.result_id} one={one} answer={answer} scope={scope} decide={decide} />
            ))}
          </ul>
          {answer.doubts.length > shown.length || all ? (
            <button type="button" className="word" onClick={() => setAll(!all)}>
              {all ? words.onlyTheFirst : words.all(answer.doubts.length)}
            </button>
          ) : null}
        </>
      )}
    </section>
  );
}
