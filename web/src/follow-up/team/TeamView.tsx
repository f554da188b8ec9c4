/** Team meetings: whom to talk about, one student after the other, what was decided and whether it was done. */
import { useQuery } from "@tanstack/react-query";
import { useState } from "react";
import { Link, useNavigate } from "react-router";
import { client, got, type Schemas } from "../../api/client";
import { StudentName } from "../../panel/StudentName";
import { useMe } from "../../people/me";
import { useScope } from "../../scope/ScopeContext";
import type { Scope } from "../../scope/scope";
import { Done } from "../../step/Done";
import { Shown } from "../../step/Shown";
import { useAct } from "../../step/useAct";
import { Download } from "../../ui/Download";
import { PrintButton } from "../../ui/PrintButton";
import { day } from "../../words/format";
import { followUp as words } from "../../words/steps/follow-up";
import css from "../followUp.module.css";
import { MeetingView } from "./MeetingView";
import { NewMeeting } from "./NewMeeting";

/** Whom the rules put on the list, with every reason. */
function Suggested({ all }: { all: Schemas["Suggested"][] }) {
  return (
    // biome-ignore lint/a11y/noNoninteractiveTabindex: the list scrolls on its own
    <section className="scroll" tabIndex={0} aria-label={words.whomToTalkAbout}>
      <table className="rows">
        <thead>
          <tr>
            <th>{words.student}</th>
            <th>{words.group}</th>
            <th>{words.whyTheList}</th>
          </tr>
        </thead>
        <tbody>
          {all.map((one) => (
            <tr key={one.student_id}>
              <td>
                <StudentName student={one} />
              </td>
              <td className="quiet">{one.group}</td>
              <td className="wraps">{one.reasons.join("; ")}</td>
            </tr>
          ))}
        </tbody>
      </table>
    </section>
  );
}

export function TeamView({ scope, meeting }: { scope: Scope; meeting: string | undefined }) {
  const { to } = useScope();
  const navigate = useNavigate();
  const me = useMe();
  const act = useAct("team");
  const [making, setMaking] = useState(false);
  const all = useQuery({
    queryKey: ["follow-up", "team", "meetings"],
    queryFn: () => got(client.GET("/api/follow-up/team/meetings")),
  });
  const suggested = useQuery({
    queryKey: ["follow-up", "team", "suggested"],
    queryFn: () => got(client.GET("/api/follow-up/team/suggested")),
  });
  if (meeting) return <MeetingView key={meeting} scope={scope} meeting={Number(meeting)} />;
  return (
    <Shown query={all}>
      {(meetings) => (
        <>
          <h1>{words.toTalkAbout(suggested.data?.length ?? 0)}</h1>
          <p className="lead">{words.teamLead}</p>
          <div role="status" aria-live="polite">
            <Done said={act.said} act={act.last} undo={act.undo} />
          </div>
          <p className={css.bar}>
            <button type="button" className="act" onClick={() => setMaking(true)}>
              {words.newMeeting}
            </button>
            {me.may_export && suggested.data && suggested.data.length > 0 && (
              <Download path="follow-up/team/suggested" query="" what={words.thisTable} />
            )}
            <PrintButton />
          </p>
          {suggested.data && suggested.data.length > 0 && <Suggested all={suggested.data} />}
          <h2>{words.meetings}</h2>
          {!meetings.length && <p className="quiet">{words.noMeetings}</p>}
          <table className="rows">
            <tbody>
              {meetings.map((one) => (
                <tr key={one.id}>
                  <td>{day(one.day)}</td>
                  <td>
                    <Link className={css.link} to={to(`/follow-up/team/${one.id}`)}>
                      {one.name}
                    </Link>
                  </td>
                  <td className="quiet">{one.present}</td>
                  <td>{words.decidedOf(one.decided, one.students.length)}</td>
                </tr>
              ))}
            </tbody>
          </table>
          {making && suggested.data && (
            <NewMeeting
              suggested={suggested.data}
              act={act}
              onClose={() => setMaking(false)}
              onMade={(key) => navigate(to(`/follow-up/team/${key}`))}
            />
          )}
        </>
      )}
    </Shown>
  );
}
