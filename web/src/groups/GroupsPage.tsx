/** Groups at their thinnest: see them, change who is in them, look only at one, export it. */

import { useQuery } from "@tanstack/react-query";
import { useState } from "react";
import { useNavigate } from "react-router";
import { client, got, type Schemas } from "../api/client";
import { usePanel } from "../panel/PanelContext";
import { Name } from "../people/Hiding";
import { useMe } from "../people/me";
import { MakeGroup } from "../pins/MakeGroup";
import { usePins } from "../pins/PinContext";
import { PinMark } from "../pins/PinMark";
import { useScope } from "../scope/ScopeContext";
import { writeScope } from "../scope/scope";
import { Shown } from "../step/Shown";
import { useAct } from "../step/useAct";
import { Download } from "../ui/Download";
import { day, students } from "../words/format";
import { groups as words } from "../words/steps/groups";

type Group = Schemas["GroupAnswer"];

function Card({ group }: { group: Group }) {
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
  return (
    <section className="group" aria-label={group.name}>
      <h2>{group.name}</h2>
      <p>{group.focus}</p>
      <p className="quiet small">
        {[
          group.adult ?? words.nobodyLeadsItYet,
          words.to(day(group.first_day), day(group.last_day)),
          group.state,
        ].join(" · ")}
      </p>
      <ol>
        {group.members.map((member) => (
          <li key={member.student_id}>
            <span>
              <PinMark id={member.student_id} name={member.name} />
              <button
                type="button"
                className="open"
                style={{ borderBottomColor: "transparent" }}
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
      {act.said && (
        <p className="small" role="status" style={{ marginTop: 8 }}>
          {act.said}{" "}
          {act.last !== null && (
            <button type="button" className="word" onClick={() => act.undo(act.last as number)}>
              {words.undo}
            </button>
          )}
        </p>
      )}
      {act.fault && (
        <p className="fault" role="alert">
          {act.fault.message}
        </p>
      )}
      <div className="tools">
        {scope && (
          <button
            type="button"
            className="word"
            onClick={() =>
              navigate(
                `/growth?${writeScope({ ...scope, group: [String(group.id)], student: [], school: [], grade: [], section: [], teacher: [], program: [] })}`,
              )
            }
          >
            {words.lookOnlyAtThese} {group.members.length}
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
        <MakeGroup
          group={group}
          members={[]}
          onClose={() => setEditing(false)}
          onMade={() => setEditing(false)}
        />
      )}
    </section>
  );
}

export function GroupsPage() {
  const me = useMe();
  const groups = useQuery({ queryKey: ["groups"], queryFn: () => got(client.GET("/api/groups")) });
  return (
    <Shown query={groups}>
      {(all) => {
        const running = all.filter((group) => group.state === "running").length;
        return (
          <>
            <h1>
              {all.length === 0
                ? words.noGroupsYet
                : running === 1
                  ? words.oneGroupIsRunning
                  : words.groupsAreRunning(running)}
            </h1>
            <p className="lead">
              {me.may_make_groups ? words.pinStudentsInCompareOr : words.theseAreTheGroupsYou}
            </p>
            <div className="board">
              {all.map((group) => (
                <Card key={group.id} group={group} />
              ))}
            </div>
          </>
        );
      }}
    </Shown>
  );
}
