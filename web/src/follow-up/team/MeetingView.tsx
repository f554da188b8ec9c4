/** A meeting: its list at the left, at the right one student with what the team needs, and the decision. */
import { useQuery } from "@tanstack/react-query";
import { useCallback, useMemo } from "react";
import { Link } from "react-router";
import { client, got, type Schemas } from "../../api/client";
import { Name } from "../../people/Hiding";
import { useScope } from "../../scope/ScopeContext";
import type { Scope } from "../../scope/scope";
import { Done } from "../../step/Done";
import { Shown } from "../../step/Shown";
import { useAct } from "../../step/useAct";
import { useStepParam } from "../../step/useStepParam";
import { PrintButton } from "../../ui/PrintButton";
import { useKeys } from "../../ui/useKeys";
import { day } from "../../words/format";
import { followUp as words } from "../../words/steps/follow-up";
import css from "../followUp.module.css";
import { TeamStudent } from "./TeamStudent";

type Meeting = Schemas["TeamMeetingSeen"];

function List(props: { meeting: Meeting; at: string | undefined; onChoose: (student: string) => void }) {
  return (
    <ol className={css.agenda} aria-label={words.whomToTalkAbout}>
      {props.meeting.students.map((one) => (
        <li key={one.student_id} aria-current={one.student_id === props.at ? "step" : undefined}>
          <button type="button" className="open" onClick={() => props.onChoose(one.student_id)}>
            <Name name={one.name} />
          </button>
          <br />
          <span className="quiet small">{one.decided ?? one.why}</span>
        </li>
      ))}
    </ol>
  );
}

function Open({ meeting, scope }: { meeting: Meeting; scope: Scope }) {
  const act = useAct("team");
  const [chosen, setChosen] = useStepParam("student-at");
  const ids = useMemo(() => meeting.students.map((one) => one.student_id), [meeting]);
  const at = chosen && ids.includes(chosen) ? chosen : ids[0];
  const go = useCallback(
    (by: number) => {
      const next = ids[ids.indexOf(at ?? "") + by];
      if (next) setChosen(next);
    },
    [ids, at, setChosen],
  );
  useKeys(useMemo(() => ({ "]": () => go(1), "[": () => go(-1) }), [go]));
  if (!at) return <p className="quiet">{words.nobodyOnTheList}</p>;
  return (
    <div className={css.meeting}>
      <List meeting={meeting} at={at} onChoose={setChosen} />
      <div>
        <div role="status" aria-live="polite">
          <Done said={act.said} act={act.last} undo={act.undo} />
        </div>
        <TeamStudent
          key={at}
          student={at}
          why={meeting.students.find((one) => one.student_id === at)?.why ?? ""}
          scope={scope}
          meeting={meeting.id}
          act={act}
          onDecided={() => go(1)}
        />
      </div>
    </div>
  );
}

export function MeetingView({ scope, meeting }: { scope: Scope; meeting: number }) {
  const { to } = useScope();
  const answer = useQuery({
    queryKey: ["follow-up", "team", "meeting", meeting],
    queryFn: () =>
      got(client.GET("/api/follow-up/team/meetings/{key}", { params: { path: { key: meeting } } })),
  });
  return (
    <Shown query={answer}>
      {(data) => (
        <>
          <h1>{words.meetingTitle(data.name, day(data.day))}</h1>
          <p className={css.bar}>
            <span className="quiet">
              {words.decidedOf(data.decided, data.students.length)}
              {data.present && ` · ${data.present}`}
            </span>
            <span className="quiet small">
              <kbd>[</kbd> <kbd>]</kbd> {words.nextStudent}
            </span>
            <PrintButton />
            <Link to={to("/follow-up/team")}>{words.allMeetings}</Link>
          </p>
          <Open meeting={data} scope={scope} />
        </>
      )}
    </Shown>
  );
}
