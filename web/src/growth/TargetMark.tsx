/** The target of a class, a grade or a school: the share that should meet its growth, and whether it is reached. */
import { Popover } from "antd";
import { type FormEvent, useState } from "react";
import { client, got, type Schemas } from "../api/client";
import { useMe } from "../people/me";
import { asked, type Scope } from "../scope/scope";
import { Fault } from "../step/Fault";
import { useAct } from "../step/useAct";
import { percent } from "../words/format";
import { growth as words } from "../words/steps/growth";

type Answer = Schemas["GrowthAnswer"];

/** Whether a choice of students is one that has a target. */
function hasTarget(scope: Scope): boolean {
  const lists = [scope.student, scope.group, scope.field];
  return !scope.all_but && !scope.language && !scope.strand && lists.every((list) => list.length === 0);
}

function Ask({ answer, scope, onDone }: { answer: Answer; scope: Scope; onDone: () => void }) {
  const target = useAct("target");
  const [share, setShare] = useState(String(Math.round((answer.target?.share ?? 0.6) * 100)));
  const send = async (value: number | null) => {
    const done = await target.run(
      () => got(client.PUT("/api/goals/target", { params: { query: asked(scope) }, body: { share: value } })),
      ({ said, act }) => ({ said, act }),
    );
    if (done) onDone();
  };
  return (
    <form
      className="picker"
      onSubmit={(event: FormEvent) => {
        event.preventDefault();
        send(Number(share) / 100);
      }}
    >
      <label className="field">
        <span>{words.of100OfTheseStudents}</span>
        <input
          type="number"
          min={1}
          max={100}
          required
          value={share}
          onChange={(event) => setShare(event.target.value)}
        />
      </label>
      <Fault said={target.fault?.message} />
      <div className="u-in-row">
        <button type="submit" className="plain">
          {words.keep}
        </button>
        {answer.target && (
          <button type="button" className="plain" onClick={() => send(null)}>
            {words.noTarget}
          </button>
        )}
      </div>
    </form>
  );
}

export function TargetMark({ answer, scope }: { answer: Answer; scope: Scope }) {
  const me = useMe();
  const [open, setOpen] = useState(false);
  const { target } = answer;
  const may = me.may_set_goals && hasTarget(scope);
  if (!target && !may) return null;
  const said = target
    ? `${percent(target.share)}, ${target.reached ? "reached" : words.notReached}`
    : words.setATarget;
  return (
    <div>
      <dt>{words.target}</dt>
      <dd className="target">
        {may ? (
          <Popover
            open={open}
            onOpenChange={setOpen}
            trigger="click"
            placement="bottomLeft"
            arrow={false}
            destroyOnHidden
            content={<Ask answer={answer} scope={scope} onDone={() => setOpen(false)} />}
          >
            <button type="button" className="word">
              {said}
            </button>
          </Popover>
        ) : (
          said
        )}
      </dd>
    </div>
  );
}
