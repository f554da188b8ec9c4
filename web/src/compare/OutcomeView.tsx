/** What this test says about the outcome test in spring: the likely level, and how sure. */

import { useQuery } from "@tanstack/react-query";
import { useState } from "react";
import { client, got, type Schemas } from "../api/client";
import { BandMark } from "../marks/BandMark";
import { usePanel } from "../panel/PanelContext";
import { StudentName } from "../panel/StudentName";
import { useMe } from "../people/me";
import { PinMark } from "../pins/PinMark";
import { asked, type Scope, writeScope } from "../scope/scope";
import { How } from "../step/How";
import { Notes, Shown } from "../step/Shown";
import { Download } from "../ui/Download";
import { PrintButton } from "../ui/PrintButton";
import { many, percent, score } from "../words/format";

type Answer = Schemas["OutcomeAnswer"];

const SHOWN = 60;

function Levels({ answer, level, pick }: { answer: Answer; level: number; pick: (order: number) => void }) {
  const names = answer.levels.map((one) => one.level);
  return (
    <table className="rows" aria-label="Levels that are likely">
      <thead>
        <tr>
          <th>Level</th>
          <th className="num" title="The share of students expected there, all chances added up">
            Expected share
          </th>
          <th className="num" title="Students for whom this level is the likeliest of all">
            Likeliest for
          </th>
        </tr>
      </thead>
      <tbody>
        {[...answer.levels].reverse().map((one) => (
          <tr key={one.order}>
            <td>
              <BandMark order={one.order} bands={names} named />
            </td>
            <td className="num">{percent(one.expected_share)}</td>
            <td className="num">
              <button
                type="button"
                className="open"
                aria-pressed={level === one.order}
                onClick={() => pick(level === one.order ? 0 : one.order)}
              >
                {many(one.likely_n)}
              </button>
            </td>
          </tr>
        ))}
      </tbody>
    </table>
  );
}

function Told({ answer }: { answer: Answer }) {
  return (
    <table className="rows" aria-label="How well the test told the outcome before">
      <thead>
        <tr>
          <th>Grade</th>
          <th className="num">Pairs</th>
          <th className="num" title={`Share who fell short of ${answer.counts_from}`}>
            Fell short
          </th>
          <th
            className="num"
            title="Of those who fell short, the share below the cut of this test (sensitivity)"
          >
            Warned
          </th>
          <th
            className="num"
            title="Of those who did not fall short, the share at or above the cut (specificity)"
          >
            Cleared
          </th>
          <th className="num" title="Of those below the cut, the share who fell short">
            Warning right
          </th>
          <th
            className="num"
            title="Chance that a student who fell short had the lower score than one who did not: 0.5 is a coin, 1 is perfect"
          >
            Area
          </th>
        </tr>
      </thead>
      <tbody>
        {answer.accuracy.map((one) => (
          <tr key={one.grade}>
            <td>{one.grade}</td>
            <td className="num">{many(one.n)}</td>
            {one.reason ? (
              <td colSpan={5} className="quiet">
                {one.reason}
              </td>
            ) : (
              <>
                <td className="num">{percent(one.base_rate)}</td>
                <td className="num">{percent(one.sensitivity)}</td>
                <td className="num">{percent(one.specificity)}</td>
                <td className="num">{percent(one.positive_value)}</td>
                <td className="num">{one.area?.toFixed(2) ?? "–"}</td>
              </>
            )}
          </tr>
        ))}
      </tbody>
    </table>
  );
}

function View({ answer, scope }: { answer: Answer; scope: Scope }) {
  const me = useMe();
  const { open } = usePanel();
  const [level, setLevel] = useState(0);
  const [shown, setShown] = useState(SHOWN);
  const names = answer.levels.map((one) => one.level);
  const rows = answer.rows.filter((row) => !level || row.likely_order === level);
  return (
    <>
      <h1>
        {answer.expected_share != null
          ? `About ${percent(answer.expected_share)} on the way to ${answer.counts_from}`
          : "The outcome cannot be told yet"}
      </h1>
      <p className="lead">
        {answer.lead} <How of="link-to-the-outcome-test">How this is worked out</How>
      </p>
      {answer.rows.length > 0 && (
        <div className="compare">
          <div>
            <table className="rows" aria-label="Students by their chance">
              <thead>
                <tr>
                  <th>
                    <span className="unseen">Pin</span>
                  </th>
                  <th>Student, least on the way first</th>
                  <th className="num">Score</th>
                  <th>Likeliest level</th>
                  <th className="num" title="The chance of just that level">
                    How sure
                  </th>
                  <th className="num">{answer.counts_from} or above</th>
                </tr>
              </thead>
              <tbody>
                {rows.slice(0, shown).map((row) => (
                  <tr key={row.student_id}>
                    <td>
                      <PinMark id={row.student_id} name={row.name} />
                    </td>
                    <td>
                      <StudentName student={row} />
                    </td>
                    <td className="num">{score(row.score)}</td>
                    <td>
                      <BandMark order={row.likely_order} bands={names} named />
                    </td>
                    <td
                      className="num"
                      title={`Of 100 students of grade ${row.grade} who scored ${score(row.score)} in ${answer.years.join(" and ")}, about ${Math.round(row.chance * 100)} came to ${row.likely}`}
                    >
                      {percent(row.chance)}
                    </td>
                    <td className="num">{percent(row.on_track)}</td>
                  </tr>
                ))}
              </tbody>
            </table>
            {rows.length > shown && (
              <button type="button" className="plain" onClick={() => setShown(shown + 500)}>
                Show more ({rows.length - shown} left)
              </button>
            )}
          </div>
          <div>
            <Levels answer={answer} level={level} pick={setLevel} />
            <table className="rows" style={{ marginTop: 14 }} aria-label="Chance by band">
              <thead>
                <tr>
                  <th>Band now</th>
                  <th className="num">Students</th>
                  <th className="num">Mean chance of {answer.counts_from} or above</th>
                </tr>
              </thead>
              <tbody>
                {[...answer.by_band].reverse().map((one) => (
                  <tr key={one.order}>
                    <td>
                      <BandMark order={one.order} bands={answer.by_band.map((b) => b.band)} named />
                    </td>
                    <td className="num">
                      <button
                        type="button"
                        className="open"
                        onClick={() => open({ side: "to", band: one.order })}
                      >
                        {one.n}
                      </button>
                    </td>
                    <td
                      className="num"
                      title={`The chances of these ${one.n} students, added up and divided`}
                    >
                      {percent(one.chance)}
                    </td>
                  </tr>
                ))}
              </tbody>
            </table>
            <h2 style={{ marginTop: 18 }}>How well it told before</h2>
            <Told answer={answer} />
            <p className="small" style={{ marginTop: 8, display: "flex", gap: 14 }}>
              {me.may_export && (
                <Download path="compare/outcome" query={writeScope(scope).toString()} what="likely levels" />
              )}
              <PrintButton />
            </p>
          </div>
        </div>
      )}
      <Notes notes={answer.notes} />
    </>
  );
}

export function OutcomeView({ scope }: { scope: Scope }) {
  const answer = useQuery({
    queryKey: ["outcome", scope],
    queryFn: () => got(client.GET("/api/compare/outcome", { params: { query: asked(scope) } })),
    placeholderData: (before) => before,
  });
  return (
    <Shown query={answer}>
      {(data) =>
        data ? (
          <View answer={data} scope={scope} />
        ) : (
          <div className="empty">
            <h1>There is no outcome test in this subject</h1>
            <p>
              Once a test is set up as an outcome test under Setup and has results of earlier springs, Bodkin
              tells here which level is likely for each student, and how sure that is.
            </p>
          </div>
        )
      }
    </Shown>
  );
}
