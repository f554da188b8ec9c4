/** A group's record as it reads, and what its rules say of the students. */
import type { Schemas } from "../api/client";
import { usePanel } from "../panel/PanelContext";
import { Name } from "../people/Hiding";
import { usePins } from "../pins/PinContext";
import { day } from "../words/format";
import { groups as words } from "../words/steps/groups";
import css from "./board.module.css";

type Group = Schemas["GroupAnswer"];
type Check = Schemas["RuleCheck"];
type Met = Schemas["RuleMet"];

/** Names in a sentence before the rest is only counted. */
const NAMED = 6;

export function Record({ group }: { group: Group }) {
  const adults = [group.adult, group.second_adult].filter(Boolean).join(words.and2);
  const time =
    group.times_a_week && group.minutes ? words.minutesTimes(group.minutes, group.times_a_week) : null;
  return (
    <>
      <p className="quiet small">
        {[
          group.tier && words.tierOf(group.tier),
          adults || words.nobodyLeadsItYet,
          group.slots.join(", "),
          time,
          words.to(day(group.first_day), day(group.last_day)),
          group.state,
        ]
          .filter(Boolean)
          .join(" · ")}
      </p>
      {(group.entry_rule || group.exit_rule) && (
        <p className="quiet small">
          {group.entry_rule && words.inWhen(group.entry_rule)}{" "}
          {group.exit_rule && words.outWhen(group.exit_rule)}
        </p>
      )}
      {group.material.map((one) => (
        <p key={one.title} className="quiet small">
          {words.materialDone(one.title, one.done, one.given)}
        </p>
      ))}
    </>
  );
}

function Names({ students }: { students: Met[] }) {
  const { openStudent } = usePanel();
  return (
    <>
      {students.slice(0, NAMED).map((one, at) => (
        <span key={one.student_id}>
          {at > 0 && ", "}
          <button
            type="button"
            className="open"
            onClick={() => openStudent({ id: one.student_id, name: one.name })}
          >
            <Name name={one.name} />
          </button>
        </span>
      ))}
      {students.length > NAMED && words.andMore(students.length - NAMED)}
    </>
  );
}

/** Each sentence of the rules with its one act. */
export function Rules(props: {
  group: Group;
  check: Check;
  change: (body: Schemas["GroupChange"], said: string) => Promise<unknown>;
}) {
  const { group, check, change } = props;
  const { act } = usePins();
  const { leaves, waits, unknown, notes } = check;
  const ids = (students: Met[]) => students.map((one) => one.student_id);
  const room = group.most == null ? waits.length : group.most - group.members.length;
  return (
    <div className={css.rules}>
      {leaves.length > 0 && (
        <p>
          {words.haveMetExit(leaves.length)} <Names students={leaves} />.{" "}
          {group.may_change && (
            <button
              type="button"
              className="word"
              onClick={() => change({ add: [], remove: ids(leaves) }, words.tookOut(leaves.length))}
            >
              {words.takeThemOut(leaves.length)}
            </button>
          )}
        </p>
      )}
      {waits.length > 0 && (
        <p>
          {words.waitForPlace(waits.length)} <Names students={waits} />.{" "}
          {group.may_change && room >= waits.length ? (
            <button
              type="button"
              className="word"
              onClick={() => change({ add: ids(waits), remove: [] }, words.putInAll(waits.length))}
            >
              {words.addThem(waits.length)}
            </button>
          ) : (
            <button
              type="button"
              className="word"
              onClick={() =>
                act({ type: "add", students: waits.map((one) => ({ id: one.student_id, name: one.name })) })
              }
            >
              {words.pinThem(waits.length)}
            </button>
          )}
        </p>
      )}
      {unknown.length > 0 && (
        <p className="quiet">
          {words.cannotTell(unknown.length)} <Names students={unknown} />.
        </p>
      )}
      {notes.map((note) => (
        <p key={note} className="quiet">
          {note}
        </p>
      ))}
    </div>
  );
}
