/** What this test says about the outcome test in spring: the likely level, and how sure. */

import { useQuery } from "@tanstack/react-query";
import { type ReactNode, useState } from "react";
import { client, got, type Schemas } from "../api/client";
import { BandMark } from "../marks/BandMark";
import { usePanel } from "../panel/PanelContext";
import { StudentName } from "../panel/StudentName";
import { useMe } from "../people/me";
import { PinMark } from "../pins/PinMark";
import { asked, type By, type Scope, writeScope } from "../scope/scope";
import { How } from "../step/How";
import { type Rows, RowsChoice } from "../step/RowsChoice";
import { Notes, Shown } from "../step/Shown";
import { UnitOutlooks } from "../step/UnitOutlooks";
import { Download } from "../ui/Download";
import { useShown } from "../ui/lists/useFirst";
import { PrintButton } from "../ui/PrintButton";
import { many, percent, score } from "../words/format";
import { compare as words } from "../words/steps/compare";

type Answer = Schemas["OutcomeAnswer"];

const SHOWN = 60;
const MORE = 200;

function Levels({ answer, level, pick }: { answer: Answer; level: number; pick: (order: number) => void }) {
  const names = answer.levels.map((one) => one.level);
  return (
    <table className="rows" aria-label={words.levelsThatAreLikely}>
      <thead>
        <tr>
          <th>{words.level}</th>
          <th className="num" title={words.theShareOfStudentsExpected}>
            {words.expectedShare}
          </th>
          <th className="num" title={words.studentsForWhomThisLevel}>
            {words.likeliestFor}
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
    <table className="rows outcome-accuracy" aria-label={words.howWellTheTestTold}>
      <thead>
        <tr>
          <th>{words.grade}</th>
          <th className="num">{words.pairs}</th>
          <th className="num" title={words.shareWhoFellShortOf(answer.counts_from)}>
            {words.fellShort}
          </th>
          <th className="num" title={words.ofThoseWhoFellShort}>
            {words.warned}
          </th>
          <th className="num" title={words.ofThoseWhoDidNot}>
            {words.cleared}
          </th>
          <th className="num" title={words.ofThoseBelowTheCut}>
            {words.warningRight}
          </th>
          <th className="num" title={words.chanceThatAStudentWho}>
            {words.area}
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

function View(props: {
  answer: Answer;
  scope: Scope;
  level: number;
  setLevel: (order: number) => void;
  more: (n: number) => ReactNode;
}) {
  const { answer, scope, level, setLevel } = props;
  const me = useMe();
  const { open } = usePanel();
  const [by, setBy] = useState<Rows>("student");
  const names = answer.levels.map((one) => one.level);
  const n = level ? (answer.levels.find((one) => one.order === level)?.likely_n ?? 0) : answer.covered;
  const students = (
    <>
      <table className="rows" aria-label={words.studentsByTheirChance}>
        <thead>
          <tr>
            <th>
              <span className="unseen">{words.pin}</span>
            </th>
            <th>{words.studentLeastOnTheWay}</th>
            <th className="num">{words.score}</th>
            <th>{words.likeliestLevel}</th>
            <th className="num" title={words.theChanceOfJustThat}>
              {words.howSure}
            </th>
            <th className="num">
              {answer.counts_from} {words.orAbove}
            </th>
          </tr>
        </thead>
        <tbody>
          {answer.rows.map((row) => (
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
                title={words.of100StudentsOfGrade(
                  row.grade,
                  score(row.score),
                  answer.years.join(" and "),
                  Math.round(row.chance * 100),
                  row.likely,
                )}
              >
                {percent(row.chance)}
              </td>
              <td className="num">{percent(row.on_track)}</td>
            </tr>
          ))}
        </tbody>
      </table>
      {props.more(n)}
    </>
  );
  return (
    <>
      <h1>
        {answer.expected_share != null
          ? words.aboutOnTheWayTo(percent(answer.expected_share), answer.counts_from)
          : words.theOutcomeCannotBeTold}
      </h1>
      <p className="lead">
        {answer.lead} <How of="link-to-the-outcome-test">{words.howThisIsWorkedOut}</How>
      </p>
      {answer.covered > 0 && (
        <div className="compare">
          <div>
            <div className="switches u-above-0">
              <RowsChoice value={by} onChange={setBy} />
            </div>
            {by === "student" ? students : <Units scope={scope} by={by} />}
          </div>
          <div>
            <Levels answer={answer} level={level} pick={setLevel} />
            <table className="rows u-above-14" aria-label={words.chanceByBand}>
              <thead>
                <tr>
                  <th>{words.bandNow}</th>
                  <th className="num">{words.students2}</th>
                  <th className="num">
                    {words.meanChanceOf} {answer.counts_from} {words.orAbove}
                  </th>
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
                        {many(one.n)}
                      </button>
                    </td>
                    <td className="num" title={words.theChancesOfTheseStudents(one.n)}>
                      {percent(one.chance)}
                    </td>
                  </tr>
                ))}
              </tbody>
            </table>
            <h2 className="u-above-20">{words.howWellItToldBefore}</h2>
            <Told answer={answer} />
            <p className="small u-in-row u-above-8">
              {me.may_export && (
                <Download
                  path="compare/outcome"
                  query={writeScope(scope).toString()}
                  what={words.likelyLevels}
                />
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

function Units({ scope, by }: { scope: Scope; by: By }) {
  const { open } = usePanel();
  const answer = useQuery({
    queryKey: ["outcome", "units", scope, by],
    queryFn: () =>
      got(client.GET("/api/compare/outcome/units", { params: { query: { ...asked(scope), by } } })),
    placeholderData: (before) => before,
  });
  const pick = (value: string) => open({ side: "to", unit: by, value });
  return <Shown query={answer}>{(data) => <UnitOutlooks answer={data} by={by} onOpen={pick} />}</Shown>;
}

export function OutcomeView({ scope }: { scope: Scope }) {
  const [level, setLevel] = useState(0);
  const [count, more] = useShown(SHOWN, MORE);
  const rows = { count, ...(level ? { level } : {}) };
  const answer = useQuery({
    queryKey: ["outcome", scope, rows],
    queryFn: () =>
      got(client.GET("/api/compare/outcome", { params: { query: { ...asked(scope), ...rows } } })),
    placeholderData: (before) => before,
  });
  return (
    <Shown query={answer}>
      {(data) =>
        data ? (
          <View answer={data} scope={scope} level={level} setLevel={setLevel} more={more} />
        ) : (
          <div className="empty">
            <h1>{words.thereIsNoOutcomeTest}</h1>
            <p>{words.onceATestIsSet}</p>
          </div>
        )
      }
    </Shown>
  );
}
