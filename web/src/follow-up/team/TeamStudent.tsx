/** One student before the team: what was decided last time first, then the evidence, then the decision. */
import { useQuery } from "@tanstack/react-query";
import { useState } from "react";
import { client, got, type Schemas } from "../../api/client";
import { frameOf, ProgressMark } from "../../marks/ProgressMark";
import { StudentName } from "../../panel/StudentName";
import { useHiding, useSaid } from "../../people/Hiding";
import { asked, type Scope } from "../../scope/scope";
import { Shown } from "../../step/Shown";
import type { Act } from "../../step/useAct";
import { Dialog } from "../../ui/Dialog";
import { day } from "../../words/format";
import { followUp as words } from "../../words/steps/follow-up";
import css from "../followUp.module.css";
import { Decide } from "./Decide";

type Student = Schemas["TeamStudent"];
type Evidence = Schemas["MeetingEvidence"];
type Decided = Schemas["DecisionSeen"];

function Pictures({ evidence, name }: { evidence: Evidence; name: string }) {
  const said = useSaid();
  if (!evidence.groups.length) return <p className="quiet">{words.inNoGroup}</p>;
  return evidence.groups.map((one) => (
    <figure key={one.group} className={css.evidence}>
      <figcaption className="quiet small">
        {one.name}, {one.assessment}, {day(one.first)} {words.until} {day(one.last)}
      </figcaption>
      <ProgressMark
        title={words.picture(said(name), one.series.points.length, one.series.said)}
        frame={frameOf(one.first, one.last, [one.series.points, one.series.aim])}
        series={one.series}
        sessions={one.sessions}
        width={640}
        height={150}
        named
      />
    </figure>
  ));
}

function AsItWas({ decision, name, onClose }: { decision: Decided; name: string; onClose: () => void }) {
  const answer = useQuery({
    queryKey: ["follow-up", "team", "evidence", decision.id],
    queryFn: () =>
      got(client.GET("/api/follow-up/team/decisions/{key}", { params: { path: { key: decision.id } } })),
  });
  return (
    <Dialog title={words.evidenceOf(day(decision.day))} wide onClose={onClose}>
      <Shown query={answer}>{(data) => <Pictures evidence={data} name={name} />}</Shown>
      <div className="buttons">
        <button type="button" className="plain" onClick={onClose}>
          {words.close}
        </button>
      </div>
    </Dialog>
  );
}

function LastTime({ data, act }: { data: Student; act: Act }) {
  const [shown, setShown] = useState<Decided | null>(null);
  const { hidden } = useHiding();
  if (hidden) return <p className="quiet">{words.decisionsHidden}</p>;
  if (!data.decided.length) return <p className="quiet">{words.nothingDecided}</p>;
  const mark = (one: Decided, done: boolean | null) =>
    act.run(
      () =>
        got(
          client.POST("/api/follow-up/team/decisions/{key}/done", {
            params: { path: { key: one.id } },
            body: { done },
          }),
        ),
      (kept) => ({ said: kept.said, act: kept.act }),
    );
  return (
    <ul className={css.decided} aria-label={words.lastTime}>
      {data.decided.map((one) => (
        <li key={one.id}>
          <b>{day(one.day)}:</b> {one.words}
          {one.who && <span className="quiet">, {one.who}</span>}
          {one.review_on && <span className="quiet">, {words.reviewOn(day(one.review_on))}</span>}
          {one.due && <b> {words.reviewDue}</b>}{" "}
          <span className={css.done}>
            {one.done === null ? words.wasItDone : one.done ? words.wasDone : words.wasNotDone}
            {one.done === null ? (
              <>
                <button type="button" className="word" onClick={() => mark(one, true)}>
                  {words.yes}
                </button>
                <button type="button" className="word" onClick={() => mark(one, false)}>
                  {words.no}
                </button>
              </>
            ) : (
              <button type="button" className="word" onClick={() => mark(one, null)}>
                {words.changeThis}
              </button>
            )}
            <button type="button" className="word" onClick={() => setShown(one)}>
              {words.evidenceThen}
            </button>
          </span>
        </li>
      ))}
      {shown && <AsItWas decision={shown} name={data.name} onClose={() => setShown(null)} />}
    </ul>
  );
}

export function TeamStudent(props: {
  student: string;
  why: string;
  scope: Scope;
  meeting: number;
  act: Act;
  onDecided: () => void;
}) {
  const answer = useQuery({
    queryKey: ["follow-up", "team", "student", props.student, props.scope],
    queryFn: () =>
      got(
        client.GET("/api/follow-up/team/students/{student_id}", {
          params: { path: { student_id: props.student }, query: asked(props.scope) },
        }),
      ),
  });
  return (
    <Shown query={answer}>
      {(data) => (
        <>
          <h2>
            <StudentName student={data} />{" "}
            <span className="quiet small">
              {[data.grade && words.grade(data.grade), data.school, ...data.programs]
                .filter(Boolean)
                .join(", ")}
            </span>
          </h2>
          <p className={css.due}>{props.why}</p>
          <LastTime data={data} act={props.act} />
          <Pictures evidence={data.evidence} name={data.name} />
          <ul className={css.lines}>
            {data.lines.map((line) => (
              <li key={line}>{line}</li>
            ))}
          </ul>
          <Decide
            student={data.student_id}
            groups={data.evidence.groups}
            scope={props.scope}
            meeting={props.meeting}
            act={props.act}
            onDecided={props.onDecided}
          />
        </>
      )}
    </Shown>
  );
}
