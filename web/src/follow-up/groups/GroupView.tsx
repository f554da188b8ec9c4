/** A group followed: its students as small pictures, what the rule says, and the help received. */
import { useQuery } from "@tanstack/react-query";
import { useState } from "react";
import { client, got, type Schemas } from "../../api/client";
import { type Frame, frameOf, ProgressMark } from "../../marks/ProgressMark";
import { usePanel } from "../../panel/PanelContext";
import { Name, useSaid } from "../../people/Hiding";
import { useMe } from "../../people/me";
import { PinMark } from "../../pins/PinMark";
import { useScope } from "../../scope/ScopeContext";
import type { Scope } from "../../scope/scope";
import { Done } from "../../step/Done";
import { Shown } from "../../step/Shown";
import { useAct } from "../../step/useAct";
import { useStepParam } from "../../step/useStepParam";
import { Dialog } from "../../ui/Dialog";
import { Download } from "../../ui/Download";
import { PrintButton } from "../../ui/PrintButton";
import { day, score, signed } from "../../words/format";
import { followUp as words } from "../../words/steps/follow-up";
import css from "../followUp.module.css";
import { PeriodLine } from "../period/PeriodLine";
import { usePeriod } from "../period/usePeriod";
import { Decide } from "../team/Decide";
import { Helped } from "./Helped";
import { SessionForm } from "./SessionForm";
import { WeeklyForm } from "./WeeklyForm";

type Answer = Schemas["FollowUpAnswer"];
type Series = Schemas["Series"];

const SMALL = { width: 230, height: 96 };
const LARGE = { width: 720, height: 300 };

function Picture(props: { one: Series; frame: Frame; sessions: string[]; size: typeof SMALL }) {
  const { one, frame, size } = props;
  const said = useSaid();
  return (
    <ProgressMark
      title={words.picture(said(one.name), one.points.length, one.said)}
      frame={frame}
      series={one}
      sessions={props.sessions}
      named={size === LARGE}
      {...size}
    />
  );
}

const standing = (one: Series) =>
  one.last_score == null
    ? words.noResults
    : one.aim_now == null
      ? words.last(score(one.last_score))
      : words.lastAgainstAim(score(one.last_score), score(one.aim_now));

function Card(props: { one: Series; frame: Frame; sessions: string[]; onOpen: () => void }) {
  const { one } = props;
  const { openStudent } = usePanel();
  const said = useSaid();
  const due = one.confirmed === true;
  return (
    <section className={css.one} aria-label={said(one.name)}>
      <h3>
        <PinMark id={one.student_id} name={one.name} />
        <button
          type="button"
          className="open"
          onClick={() => openStudent({ id: one.student_id, name: one.name })}
        >
          <Name name={one.name} />
        </button>
      </h3>
      <p className={due ? css.due : undefined}>
        {one.said}
        {one.few && one.n > 0 && <span className="quiet"> ({words.few})</span>}
      </p>
      <button
        type="button"
        className={css.open}
        aria-label={words.large(said(one.name))}
        onClick={props.onOpen}
      >
        <Picture one={one} frame={props.frame} sessions={props.sessions} size={SMALL} />
      </button>
      <p className="quiet">
        {standing(one)}; {words.minutes(one.given.minutes, one.given.planned ?? null)}
      </p>
    </section>
  );
}

function StudentTable({ answer }: { answer: Answer }) {
  return (
    // biome-ignore lint/a11y/noNoninteractiveTabindex: the table scrolls on its own
    <section className="scroll" tabIndex={0} aria-label={words.whatTheRuleSays}>
      <table className="rows">
        <thead>
          <tr>
            <th>{words.student}</th>
            <th>{words.says}</th>
            <th className="num" title={words.slopeMeans}>
              {words.slope}
            </th>
            <th className="num">{words.goal}</th>
            <th className="num">{words.projected}</th>
            <th className="num">{words.minutesHead}</th>
            <th className="num">{words.attended}</th>
          </tr>
        </thead>
        <tbody>
          {answer.students.map((one) => (
            <tr key={one.student_id}>
              <td>
                <Name name={one.name} />
              </td>
              <td>{one.said}</td>
              <td className="num">
                {one.slope == null ? "–" : signed(one.slope, 1)}
                {one.slope_error != null && (
                  <span className="quiet small"> ± {one.slope_error.toFixed(1)}</span>
                )}
              </td>
              <td className="num">{score(one.goal)}</td>
              <td className="num">{score(one.projected)}</td>
              <td className="num">
                {one.given.minutes}
                {one.given.short != null && one.given.short > 0 && (
                  <span className="quiet small"> {words.minutesShort(one.given.short)}</span>
                )}
              </td>
              <td className="num">{words.attendedOf(one.given.attended, one.given.held)}</td>
            </tr>
          ))}
        </tbody>
      </table>
    </section>
  );
}

/** The results a picture rests on, day by day, and from when on they count. */
function WhatWentIn({ one }: { one: Series }) {
  return (
    <details>
      <summary>
        {words.whatWentIn} ({one.points.length})
      </summary>
      <ul className={css.list}>
        {[...one.points].reverse().map((point) => (
          <li key={point.on}>
            {day(point.on)}: {score(point.score)}
            {one.since && (
              <span className="quiet small">
                {" "}
                {point.on > one.since ? words.sinceTheChange : words.beforeTheChange}
              </span>
            )}
          </li>
        ))}
      </ul>
    </details>
  );
}

/** One student large: the picture, the figures, what went in, and a decision about the help. */
function Large(props: {
  one: Series;
  answer: Answer;
  frame: Frame;
  sessions: string[];
  /** null: this person decides nothing. */
  scope: Scope | null;
  onClose: () => void;
}) {
  const { one, answer } = props;
  const act = useAct("team");
  const said = useSaid();
  const [deciding, setDeciding] = useState(false);
  return (
    <Dialog title={said(one.name)} wide onClose={props.onClose}>
      <p>{one.said}</p>
      <Picture one={one} frame={props.frame} sessions={props.sessions} size={LARGE} />
      <p className="quiet">
        {standing(one)}; {words.minutes(one.given.minutes, one.given.planned ?? null)}
      </p>
      <StudentTable answer={{ ...answer, students: [one] }} />
      <WhatWentIn one={one} />
      <div role="status" aria-live="polite">
        <Done said={act.said} act={act.last} undo={act.undo} />
      </div>
      {deciding && props.scope && (
        <Decide
          student={one.student_id}
          groups={[{ group: answer.group, name: answer.name, series: one }]}
          scope={props.scope}
          meeting={null}
          act={act}
          onDecided={() => setDeciding(false)}
        />
      )}
      <div className="buttons">
        {props.scope && !deciding && (
          <button type="button" className="plain" onClick={() => setDeciding(true)}>
            {words.decide}
          </button>
        )}
        <button type="button" className="plain" onClick={props.onClose}>
          {words.close}
        </button>
      </div>
    </Dialog>
  );
}

function Sessions({ answer }: { answer: Answer }) {
  if (!answer.sessions.length) return <p className="quiet">{words.noSessions}</p>;
  return (
    <details>
      <summary>
        {words.sessions} ({answer.sessions.length})
      </summary>
      <ul className={css.list}>
        {[...answer.sessions].reverse().map((one) => (
          <li key={one.day}>
            {day(one.day)}: {one.held ? words.came(one.came, one.away) : words.notHeld}
            {one.note && `, ${one.note}`}
          </li>
        ))}
      </ul>
    </details>
  );
}

export function GroupView({ group }: { group: number }) {
  const me = useMe();
  const { scope } = useScope();
  const act = useAct("session");
  const [entering, setEntering] = useState<"session" | "results" | null>(null);
  const [large, setLarge] = useState<string | null>(null);
  const period = usePeriod();
  const [test, setTest] = useStepParam("test");
  const [assessment, subject] = test?.split("|") ?? [];
  const query = { ...period.query, ...(assessment && subject ? { assessment, subject } : {}) };
  const answer = useQuery({
    queryKey: ["follow-up", group, query],
    queryFn: () =>
      got(client.GET("/api/follow-up/groups/{group_id}", { params: { path: { group_id: group }, query } })),
    placeholderData: (before) => (before?.group === group ? before : undefined),
  });
  return (
    <Shown query={answer}>
      {(data) => {
        const lines = data.students.flatMap((one) => [one.points, one.aim]);
        const frame = frameOf(data.first, data.last, lines);
        const held = data.sessions.filter((one) => one.held).map((one) => one.day);
        const opened = data.students.find((one) => one.student_id === large);
        return (
          <>
            <PeriodLine first={words.sinceTheHelpBegan} shown={data} />
            <h1>{data.headline}</h1>
            <p className="lead">{data.lead}</p>
            <div role="status" aria-live="polite">
              <Done said={act.said} act={act.last} undo={act.undo} />
            </div>
            <div className={css.bar}>
              {data.measures.length > 1 && (
                <label>
                  {words.test}{" "}
                  <select
                    className="plain"
                    value={`${data.assessment}|${data.subject}`}
                    onChange={(event) => setTest(event.target.value)}
                  >
                    {data.measures.map(({ assessment: name, subject: about }) => (
                      <option key={`${name}|${about}`} value={`${name}|${about}`}>
                        {name}, {about}
                      </option>
                    ))}
                  </select>
                </label>
              )}
              <span className="quiet small">{words.weeks(data.weeks)}</span>
              <button type="button" className="act" onClick={() => setEntering("session")}>
                {words.enterSession}
              </button>
              {!data.adaptive && (
                <button type="button" className="plain" onClick={() => setEntering("results")}>
                  {words.enterResults}
                </button>
              )}
            </div>
            <div className={css.many}>
              {data.students.map((one) => (
                <Card
                  key={one.student_id}
                  one={one}
                  frame={frame}
                  sessions={held}
                  onOpen={() => setLarge(one.student_id)}
                />
              ))}
            </div>
            <p className="quiet small">{words.legend}</p>
            <StudentTable answer={data} />
            <p className={css.bar}>
              {me.may_export && (
                <Download
                  path={`follow-up/groups/${group}/students`}
                  query={new URLSearchParams(query as Record<string, string>).toString()}
                  what={words.thisTable}
                />
              )}
              <PrintButton />
            </p>
            {scope && <Helped group={group} scope={scope} />}
            <Sessions answer={data} />
            {entering === "session" && (
              <SessionForm answer={data} act={act} onClose={() => setEntering(null)} />
            )}
            {entering === "results" && (
              <WeeklyForm answer={data} act={act} onClose={() => setEntering(null)} />
            )}
            {opened && (
              <Large
                one={opened}
                answer={data}
                frame={frame}
                sessions={held}
                scope={me.may_team ? scope : null}
                onClose={() => setLarge(null)}
              />
            )}
          </>
        );
      }}
    </Shown>
  );
}
