/** Is the help working, at one look: every group in a line, practice, whom the team talks about, today's words. */
import { useQuery } from "@tanstack/react-query";
import { Link } from "react-router";
import { client, got, type Schemas } from "../api/client";
import { useMe } from "../people/me";
import { useScope } from "../scope/ScopeContext";
import { asked, type Scope } from "../scope/scope";
import { NothingHere } from "../step/NothingHere";
import { Shown } from "../step/Shown";
import { Download } from "../ui/Download";
import { PrintButton } from "../ui/PrintButton";
import { percent } from "../words/format";
import { followUp as words } from "../words/steps/follow-up";
import css from "./followUp.module.css";
import { ShareBar } from "./ShareBar";

type Line = Schemas["GroupLine"];

/** Beyond so many groups each one's comparison is looked at in its own view. */
const COMPARED = 12;

function DidItHelp({ group, scope }: { group: number; scope: Scope }) {
  const answer = useQuery({
    queryKey: ["follow-up", "helped", group, scope],
    queryFn: () =>
      got(
        client.GET("/api/follow-up/groups/{group_id}/helped", {
          params: { path: { group_id: group }, query: asked(scope) },
        }),
      ),
  });
  if (!answer.data) return <span className="quiet">{answer.isError ? "–" : words.looking}</span>;
  return <span title={answer.data.lead}>{words.readings[answer.data.reading]}</span>;
}

function Groups({ lines, scope }: { lines: Line[]; scope: Scope | null }) {
  const { to } = useScope();
  const ordered = [...lines].sort((one, other) => (other.due ?? 0) - (one.due ?? 0));
  return (
    <table className={`rows ${css.overview}`}>
      <thead>
        <tr>
          <th>{words.group}</th>
          <th>{words.says}</th>
          <th>{words.minutesGiven}</th>
          <th className="num">{words.attendedHead}</th>
          {scope && <th title={words.didItHelpMeans}>{words.didItHelp}</th>}
        </tr>
      </thead>
      <tbody>
        {ordered.map((one, at) => (
          <tr key={one.id}>
            <td>
              <Link className={css.link} to={to(`/follow-up/${one.id}`)}>
                {one.name}
              </Link>
              <br />
              <span className="quiet small">
                {one.focus}
                {one.adult && `, ${one.adult}`}
              </span>
            </td>
            <td className="wraps">
              {one.due ? <b>{one.headline}</b> : one.headline}
              <br />
              <span className="quiet small">{words.ofStudents(one.n)}</span>
            </td>
            <td>
              <ShareBar share={one.given} />
            </td>
            <td className="num">{percent(one.attended)}</td>
            {scope && (
              <td className="wraps">
                {at < COMPARED ? (
                  <DidItHelp group={one.id} scope={scope} />
                ) : (
                  <Link to={to(`/follow-up/${one.id}`)}>{words.lookThere}</Link>
                )}
              </td>
            )}
          </tr>
        ))}
      </tbody>
    </table>
  );
}

function Practice({ scope }: { scope: Scope }) {
  const { to } = useScope();
  const answer = useQuery({
    queryKey: ["follow-up", "practice", scope, "headline"],
    queryFn: () =>
      got(client.GET("/api/follow-up/practice", { params: { query: { ...asked(scope), count: 0 } } })),
  });
  return (
    <section aria-label={words.practice}>
      <h2>
        <Link to={to("/follow-up/practice")}>{words.practice}</Link>
      </h2>
      {answer.data && (
        <>
          <p>
            {answer.data.headline} ({answer.data.period}).
          </p>
          {answer.data.patterns.map((one) => (
            <p key={one.sentence}>{one.sentence}</p>
          ))}
        </>
      )}
    </section>
  );
}

function Today({ scope }: { scope: Scope }) {
  const { to } = useScope();
  const day = useQuery({
    queryKey: ["follow-up", "daily", scope, null],
    queryFn: () => got(client.GET("/api/follow-up/daily", { params: { query: asked(scope) } })),
  });
  const team = useQuery({
    queryKey: ["follow-up", "team", "suggested"],
    queryFn: () => got(client.GET("/api/follow-up/team/suggested")),
  });
  return (
    <>
      <section aria-label={words.everyDay}>
        <h2>
          <Link to={to("/follow-up/day")}>{words.everyDay}</Link>
        </h2>
        {day.data && <p>{day.data.headline}.</p>}
      </section>
      <section aria-label={words.teamMeeting}>
        <h2>
          <Link to={to("/follow-up/team")}>{words.teamMeeting}</Link>
        </h2>
        {team.data && <p>{words.toTalkAbout(team.data.length)}</p>}
      </section>
    </>
  );
}

export function Overview({ scope }: { scope: Scope | null }) {
  const me = useMe();
  const groups = useQuery({
    queryKey: ["follow-up", "groups"],
    queryFn: () => got(client.GET("/api/follow-up/groups")),
  });
  return (
    <Shown query={groups}>
      {(all) => {
        if (!all.length && !me.may_team)
          return <NothingHere headline={words.noGroups} lead={words.noGroupsLead} />;
        const due = all.reduce((sum, one) => sum + (one.due ?? 0), 0);
        const heading = me.may_team ? words.dueInGroups(due, all.length) : words.groupsRunning(all.length);
        return (
          <>
            <h1>{all.length ? heading : words.noGroups}</h1>
            {all.length ? <Groups lines={all} scope={scope} /> : <p className="lead">{words.noGroupsLead}</p>}
            {me.may_export && all.length > 0 && (
              <p className={css.bar}>
                <Download path="follow-up/groups" query="" what={words.thisTable} />
                <PrintButton />
              </p>
            )}
            {me.may_team && scope && (
              <div className={css.three}>
                <Practice scope={scope} />
                <Today scope={scope} />
              </div>
            )}
          </>
        );
      }}
    </Shown>
  );
}
