/** Practice in a period: how much, how well, the reasons when something is off, and goals for many. */
import { useQuery } from "@tanstack/react-query";
import { type ReactNode, useState } from "react";
import { client, got, type Schemas } from "../../api/client";
import type { operations } from "../../api/schema";
import { usePanel } from "../../panel/PanelContext";
import { StudentName } from "../../panel/StudentName";
import { useMe } from "../../people/me";
import { PinMark } from "../../pins/PinMark";
import { asked, type Scope, writeScope } from "../../scope/scope";
import { Done } from "../../step/Done";
import { Shown } from "../../step/Shown";
import { useAct } from "../../step/useAct";
import { Download } from "../../ui/Download";
import { useSorting } from "../../ui/lists/sorting";
import { useShown } from "../../ui/lists/useFirst";
import { PrintButton } from "../../ui/PrintButton";
import { many, percent, score, students as studentsWord } from "../../words/format";
import { followUp as words } from "../../words/steps/follow-up";
import css from "../followUp.module.css";
import { PeriodLine } from "../period/PeriodLine";
import { usePeriod } from "../period/usePeriod";
import { PracticeLog } from "./PracticeLog";
import { SetPracticeGoals } from "./SetPracticeGoals";

type Answer = Schemas["PracticeAnswer"];
type Row = Schemas["PracticeRow"];
type Column = NonNullable<
  NonNullable<operations["practice_api_follow_up_practice_get"]["parameters"]["query"]>["sort"]
>;
type Which = Pick<
  NonNullable<operations["practice_students_api_follow_up_practice_students_get"]["parameters"]["query"]>,
  "reason" | "strong" | "pattern"
>;

const SHOWN = 60;
const MORE = 200;

/** Opens the students behind a count of practice by name. */
function useNamed(scope: Scope) {
  const { open } = usePanel();
  const { query } = usePeriod();
  return (title: string, which: Which) => {
    const load = async () => {
      const found = await got(
        client.GET("/api/follow-up/practice/students", {
          params: { query: { ...asked(scope), ...query, ...which } },
        }),
      );
      return found.map((one) => ({
        student_id: one.student_id,
        name: one.name,
        note: [one.section ?? one.school, ...one.reasons.map((reason) => words.reasons[reason] ?? reason)]
          .filter(Boolean)
          .join(", "),
      }));
    };
    open({
      named: { title, asked: { key: ["follow-up", "practice", "students", scope, query, which], load } },
    });
  };
}

function Reasons({ answer, scope }: { answer: Answer; scope: Scope }) {
  const named = useNamed(scope);
  const most = Math.max(1, ...answer.reasons.map((one) => one.n));
  return (
    <section aria-label={words.whatIsOff}>
      <h2>{words.whatIsOff}</h2>
      {!answer.reasons.length && <p className="quiet">{words.nothingIsOff}</p>}
      <ul className={css.bars}>
        {answer.reasons.map((one) => {
          const said = words.reasons[one.reason] ?? one.reason;
          return (
            <li key={one.reason}>
              <button
                type="button"
                className="open"
                title={words.reasonMeans[one.reason]}
                onClick={() => named(said, { reason: one.reason })}
              >
                {said}
              </button>
              <span className={css.bar1} style={{ width: `${(100 * one.n) / most}%` }} />
              <b>{many(one.n)}</b>
            </li>
          );
        })}
      </ul>
      {answer.strong > 0 && (
        <p>
          <button type="button" className="word" onClick={() => named(words.strong, { strong: true })}>
            {studentsWord(answer.strong)}
          </button>{" "}
          {words.couldTry}
        </p>
      )}
    </section>
  );
}

function Shares({ title, parts }: { title: string; parts: Schemas["SharePart"][] }) {
  if (!parts.length) return null;
  return (
    <table className="rows">
      <caption className="unseen">{title}</caption>
      <thead>
        <tr>
          <th>{title}</th>
          <th className="num">{words.ofTheMinutes}</th>
          <th className="num">{words.right}</th>
        </tr>
      </thead>
      <tbody>
        {parts.map((one) => (
          <tr key={one.label}>
            <td>{one.label}</td>
            <td className="num">{percent(one.share)}</td>
            <td className="num">
              {percent(one.accuracy)} <span className="quiet small">n {one.entries}</span>
            </td>
          </tr>
        ))}
      </tbody>
    </table>
  );
}

function Table(props: {
  rows: Row[];
  header: ReturnType<typeof useSorting<Column>>["header"];
  more: ReactNode;
  onLog: (row: Row) => void;
}) {
  const { rows, header, more } = props;
  return (
    <section className="wide-table">
      <table className="rows">
        <caption className="unseen">{words.practiceOfEach}</caption>
        <thead>
          <tr>
            <th>
              <span className="unseen">{words.pin}</span>
            </th>
            {header("name", words.student)}
            {header("section", words.classWord)}
            {header("entries", words.entries, { num: true })}
            {header("minutes", words.minutesHead, { num: true })}
            {header("amount", words.ofGoal, { num: true, title: words.ofGoalMeans })}
            {header("accuracy", words.right, { num: true })}
            {header("level", words.level, { num: true })}
            {header("days_since", words.daysSince, { num: true, title: words.daysSinceMeans })}
            {header("reasons", words.whatIsOff)}
          </tr>
        </thead>
        <tbody>
          {rows.map((row) => (
            <tr key={row.student_id}>
              <td>
                <PinMark id={row.student_id} name={row.name} />
              </td>
              <td>
                <StudentName student={row} />
              </td>
              <td className="quiet">{row.section ?? row.school}</td>
              <td className="num">
                <button type="button" className="open" title={words.openLog} onClick={() => props.onLog(row)}>
                  {row.entries}
                </button>
                {row.tried > 0 && (
                  <span className="quiet small"> {words.passedOf(row.passed, row.tried)}</span>
                )}
              </td>
              <td className="num">
                {score(row.minutes)}
                {row.minutes_goal != null && (
                  <span className="quiet small"> / {score(row.minutes_goal)}</span>
                )}
              </td>
              <td className="num">{percent(row.amount)}</td>
              <td className="num">
                {percent(row.accuracy)}
                {row.accuracy_goal != null && (
                  <span className="quiet small"> / {percent(row.accuracy_goal)}</span>
                )}
              </td>
              <td className="num">
                {row.level?.toFixed(1) ?? "–"}
                {row.easiest != null && row.hardest != null && (
                  <span className="quiet small">
                    {" "}
                    {row.easiest.toFixed(1)}–{row.hardest.toFixed(1)}
                  </span>
                )}
              </td>
              <td className="num">{score(row.days_since)}</td>
              <td className="wraps">
                {row.reasons.map((one) => words.reasonsShort[one] ?? one).join(", ")}
                {row.strong && <span className="quiet">{words.strongWord}</span>}
              </td>
            </tr>
          ))}
        </tbody>
      </table>
      {more}
    </section>
  );
}

export function PracticeView({ scope }: { scope: Scope }) {
  const me = useMe();
  const { query } = usePeriod();
  const act = useAct("practice goal");
  const [log, setLog] = useState<Row | null>(null);
  const [setting, setSetting] = useState(false);
  const { by, header } = useSorting<Column>({ key: "reasons", down: true });
  const [count, more] = useShown(SHOWN, MORE);
  // Sorted by the server, so that a long list comes in parts.
  const order = { sort: by.key, down: by.down, count };
  const answer = useQuery({
    queryKey: ["follow-up", "practice", scope, query, order],
    queryFn: () =>
      got(
        client.GET("/api/follow-up/practice", { params: { query: { ...asked(scope), ...query, ...order } } }),
      ),
    placeholderData: (before) => before,
  });
  return (
    <Shown query={answer}>
      {(data) => (
        <>
          <PeriodLine first={words.thisMarkingPeriod} shown={data} />
          <h1>{data.headline}</h1>
          {data.patterns.map((one, place) => (
            <PatternLine key={one.sentence} one={one} place={place} scope={scope} />
          ))}
          <p className="lead">{data.lead}</p>
          <div role="status" aria-live="polite">
            <Done said={act.said} act={act.last} undo={act.undo} />
          </div>
          <div className={css.three}>
            <Reasons answer={data} scope={scope} />
            <Shares title={words.byKind} parts={data.by_kind} />
            <Shares title={words.byHelp} parts={data.by_help} />
          </div>
          <div className={css.bar}>
            {me.may_set_goals && data.covered > 0 && (
              <button type="button" className="act" onClick={() => setSetting(true)}>
                {words.setPracticeGoals}
              </button>
            )}
            {me.may_export && (
              <Download
                path="follow-up/practice"
                query={new URLSearchParams([
                  ...writeScope(scope),
                  ...Object.entries(query).map(([key, one]) => [key, String(one)] as [string, string]),
                ]).toString()}
                what={words.thisTable}
              />
            )}
            <PrintButton />
            {data.never > 0 && <span className="quiet small">{words.never(data.never)}</span>}
          </div>
          <Table rows={data.students} header={header} more={more(data.covered)} onLog={setLog} />
          {log && <PracticeLog student={log} onClose={() => setLog(null)} />}
          {setting && (
            <SetPracticeGoals
              covered={data.covered}
              scope={scope}
              act={act}
              onClose={() => setSetting(false)}
            />
          )}
        </>
      )}
    </Shown>
  );
}

function PatternLine(props: { one: Schemas["UnitPattern"]; place: number; scope: Scope }) {
  const { one, place } = props;
  const named = useNamed(props.scope);
  return (
    <p className={css.pattern}>
      {one.sentence}{" "}
      <button
        type="button"
        className="word"
        title={words.patternMeans(percent(one.low), percent(one.high))}
        onClick={() => named(one.sentence, { pattern: place })}
      >
        {studentsWord(one.students)}
      </button>{" "}
      <span className="quiet small">{words.beyondChance(one.n)}</span>
    </p>
  );
}
