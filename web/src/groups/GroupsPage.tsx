/** The groups: each one's record, who is in it, what its rules say, and changing any of it. */

import { useQuery } from "@tanstack/react-query";
import { useState } from "react";
import { useNavigate } from "react-router";
import { client, got, type Schemas } from "../api/client";
import { usePanel } from "../panel/PanelContext";
import { Name } from "../people/Hiding";
import { useMe } from "../people/me";
import { usePins } from "../pins/PinContext";
import { PinMark } from "../pins/PinMark";
import { useScope } from "../scope/ScopeContext";
import { writeScope } from "../scope/scope";
import { Done } from "../step/Done";
import { Shown } from "../step/Shown";
import { useAct } from "../step/useAct";
import { Download } from "../ui/Download";
import { useGrowing } from "../ui/lists/useGrowing";
import { students } from "../words/format";
import { groups as words } from "../words/steps/groups";
import { Record, Rules } from "./Record";
import { RecordForm } from "./RecordForm";

type Group = Schemas["GroupAnswer"];
type Check = Schemas["RuleCheck"];

/** Groups drawn at once. */
const AT_ONCE = 8;

function Card({ group, check }: { group: Group; check: Check | undefined }) {
  const { pinned } = usePins();
  const { scope } = useScope();
  const { openStudent } = usePanel();
  const me = useMe();
  const navigate = useNavigate();
  const [editing, setEditing] = useState(false);
  const act = useAct("group");
  const inside = new Set(group.members.map((member) => member.student_id));
  const fresh = pinned.filter((one) => !inside.has(one.id));
  const change = (body: Schemas["GroupChange"], said: string) =>
    act.run(
      () => got(client.PATCH("/api/groups/{group_id}", { params: { path: { group_id: group.id } }, body })),
      (changed) => ({ said, act: changed.act ?? null }),
    );
  const only = (path: string) =>
    scope &&
    navigate(
      `${path}?${writeScope({ ...scope, group: [String(group.id)], student: [], school: [], grade: [], section: [], teacher: [], program: [] })}`,
    );
  return (
    <section className="group" aria-label={group.name}>
      <h2>{group.name}</h2>
      <p>{group.focus}</p>
      <Record group={group} />
      {check && <Rules group={group} check={check} change={change} />}
      <ol>
        {group.members.map((member) => (
          <li key={member.student_id}>
            <span>
              <PinMark id={member.student_id} name={member.name} />
              <button
                type="button"
                className="open u-no-line"
                onClick={() => openStudent({ id: member.student_id, name: member.name })}
              >
                <Name name={member.name} />
              </button>
            </span>
            {group.may_change && (
              <button
                type="button"
                className="word small quiet"
                aria-label={words.takeOut(member.name)}
                onClick={() =>
                  change({ remove: [member.student_id], add: [] }, words.wasTakenOut(member.name))
                }
              >
                {words.takeOut2}
              </button>
            )}
          </li>
        ))}
      </ol>
      {group.members.length === 0 && <p className="quiet small">{words.nobodyIsInItPin}</p>}
      <div role="status">
        <Done said={act.said} act={act.last} undo={act.undo} />
      </div>
      {act.fault && !editing && (
        <p className="fault" role="alert">
          {act.fault.message}
        </p>
      )}
      <div className="tools">
        {scope && (
          <button type="button" className="word" onClick={() => only("/growth")}>
            {words.lookOnlyAtThese} {group.members.length}
          </button>
        )}
        {scope && me.may_set_goals && group.members.length > 0 && (
          <button type="button" className="word" onClick={() => only("/groups/talk")}>
            {words.goalTalk}
          </button>
        )}
        {group.may_change && fresh.length > 0 && (
          <button
            type="button"
            className="word"
            onClick={() =>
              change({ add: fresh.map((one) => one.id), remove: [] }, words.putIn(students(fresh.length)))
            }
          >
            {words.putIn2} {fresh.length} {words.pinned}
          </button>
        )}
        {group.may_change && (
          <button type="button" className="word" onClick={() => setEditing(true)}>
            {words.change}
          </button>
        )}
        {me.may_export && <Download path={`groups/${group.id}/members`} what={group.name} />}
      </div>
      {editing && (
        <RecordForm
          group={group}
          act={act}
          onClose={() => setEditing(false)}
          onSave={async (body) => {
            if (await change(body, words.wasChanged(body.name ?? group.name))) setEditing(false);
          }}
        />
      )}
    </section>
  );
}

function Cards({ groups, checks }: { groups: Group[]; checks: Map<number, Check> }) {
  const drawn = useGrowing(groups.length, AT_ONCE);
  return (
    <div className="board">
      {groups.slice(0, drawn).map((group) => (
        <Card key={group.id} group={group} check={checks.get(group.id)} />
      ))}
    </div>
  );
}

export function GroupsPage() {
  const me = useMe();
  const groups = useQuery({ queryKey: ["groups"], queryFn: () => got(client.GET("/api/groups")) });
  const rules = useQuery({
    queryKey: ["groups", "rules"],
    queryFn: () => got(client.GET("/api/board/rules")),
    enabled: me.may_make_groups,
  });
  const checks = new Map((rules.data?.groups ?? []).map((check) => [check.group, check]));
  return (
    <Shown query={groups}>
      {(all) => {
        const running = all.filter((group) => group.state === "running").length;
        return (
          <>
            <h1>
              {all.length === 0
                ? words.noGroupsYet
                : rules.data?.line
                  ? words.ruleLine(rules.data.line)
                  : running === 1
                    ? words.oneGroupIsRunning
                    : words.groupsAreRunning(running)}
            </h1>
            <p className="lead">
              {me.may_make_groups ? words.pinStudentsInCompareOr : words.theseAreTheGroupsYou}
              {me.may_export && all.length > 0 && (
                <>
                  {" "}
                  <Download path="board/members" what={words.everyGroup} named />
                  {me.may_make_groups && (
                    <>
                      {" "}
                      <Download path="board/rules" what={words.whatRulesSay} named />
                    </>
                  )}
                </>
              )}
            </p>
            <Cards groups={all} checks={checks} />
          </>
        );
      }}
    </Shown>
  );
}
