/** Practice in a period: how much, how well, the reasons when something is off, and goals for many. */
import { useQuery } from "@tanstack/react-query";
import { useMemo, useState } from "react";
import { client, got, type Schemas } from "../../api/client";
import { usePanel } from "../../panel/PanelContext";
import { StudentName } from "../../panel/StudentName";
import { useMe } from "../../people/me";
import { usePins } from "../../pins/PinContext";
import { PinMark } from "../../pins/PinMark";
import { asked, type Scope, writeScope } from "../../scope/scope";
import { Done } from "../../step/Done";
import { Shown } from "../../step/Shown";
import { useAct } from "../../step/useAct";
import { Download } from "../../ui/Download";
import { sorted, useSorting } from "../../ui/lists/sorting";
import { useFirst } from "../../ui/lists/useFirst";
import { PrintButton } from "../../ui/PrintButton";
import { percent, score, students as studentsWord } from "../../words/format";
import { followUp as words } from "../../words/steps/follow-up";
import css from "../followUp.module.css";
import { PeriodLine } from "../period/PeriodLine";
import { usePeriod } from "../period/usePeriod";
import { PracticeLog } from "./PracticeLog";
import { SetPracticeGoals } from "./SetPracticeGoals";

type Answer = Schemas["PracticeAnswer"];
type Row = Schemas["PracticeRow"];
type Column =
  | "name"
  | "section"
  | "entries"
  | "minutes"
  | "amount"
  | "accuracy"
  | "level"
  | "days_since"
  | "reasons";

const SHOWN = 60;
const MORE = 200;

/** Opens some of the answer's students by name. */
function useNamed(answer: Answer) {
  const { open } = usePanel();
  return (title: string, ids: string[]) => {
    const known = new Map(answer.students.map((one) => [one.student_id, one]));
    const named = ids.flatMap((id) => known.get(id) ?? []);
    open({
      named: {
        title,
        students: named.map((one) => ({
          student_id: one.student_id,
          name: one.name,
          note: [one.section ?? one.school, ...one.reasons.map((reason) => words.reasons[reason] ?? reason)]
            .filter(Boolean)
            .join(", "),
        })),
      },
    });
  };
}

function Reasons({ answer }: { answer: Answer }) {
  const named = useNamed(answer);
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
                onClick={() => named(said, one.students)}
              >
                {said}
              </button>
              <span className={css.bar1} style={{ width: `${(100 * one.n) / most}%` }} />
              <b>{one.n}</b>
            </li>
          );
        })}
      </ul>
      {answer.strong.length > 0 && (
        <p>
          <button type="button" className="word" onClick={() => named(words.strong, answer.strong)}>
            {studentsWord(answer.strong.length)}
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

const value = (row: Row, key: Column) =>
  key === "reasons" ? row.reasons.length : key === "section" ? (row.section ?? row.school) : row[key];

function Table(props: { rows: Row[]; onLog: (row: Row) => void }) {
  const { by, header } = useSorting<Column>({ key: "reasons", down: true });
  const rows = useMemo(() => sorted(props.rows, by, value), [props.rows, by]);
  const [shown, more] = useFirst(rows.length, SHOWN, MORE);
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
          {rows.slice(0, shown).map((row) => (
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
  const { has } = usePins();
  const act = useAct("practice goal");
  const [log, setLog] = useState<Row | null>(null);
  const [setting, setSetting] = useState(false);
  const answer = useQuery({
    queryKey: ["follow-up", "practice", scope, query],
    queryFn: () =>
      got(client.GET("/api/follow-up/practice", { params: { query: { ...asked(scope), ...query } } })),
    placeholderData: (before) => before,
  });
  return (
    <Shown query={answer}>
      {(data) => {
        const pinned = data.students.filter((one) => has(one.student_id));
        return (
          <>
            <PeriodLine first={words.thisMarkingPeriod} shown={data} />
            <h1>{data.headline}</h1>
            {data.patterns.map((one) => (
              <PatternLine key={one.sentence} one={one} answer={data} />
            ))}
            <p className="lead">{data.lead}</p>
            <div role="status" aria-live="polite">
              <Done said={act.said} act={act.last} undo={act.undo} />
            </div>
            <div className={css.three}>
              <Reasons answer={data} />
              <Shares title={words.byKind} parts={data.by_kind} />
              <Shares title={words.byHelp} parts={data.by_help} />
            </div>
            <div className={css.bar}>
              {me.may_set_goals && data.students.length > 0 && (
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
            <Table rows={data.students} onLog={setLog} />
            {log && <PracticeLog student={log} onClose={() => setLog(null)} />}
            {setting && (
              <SetPracticeGoals
                rows={pinned.length ? pinned : data.students}
                pinned={pinned.length > 0}
                act={act}
                onClose={() => setSetting(false)}
              />
            )}
          </>
        );
      }}
    </Shown>
  );
}

function PatternLine({ one, answer }: { one: Schemas["UnitPattern"]; answer: Answer }) {
  const named = useNamed(answer);
  return (
    <p className={css.pattern}>
      {one.sentence}{" "}
      <button
        type="button"
        className="word"
        title={words.patternMeans(percent(one.low), percent(one.high))}
        onClick={() => named(one.sentence, one.students)}
      >
        {studentsWord(one.students.length)}
      </button>{" "}
      <span className="quiet small">{words.beyondChance(one.n)}</span>
    </p>
  );
}
