/** The weekly one-minute results of a group in one go: digits and Tab or Enter; a wild value asks. */
import { type FormEvent, type KeyboardEvent, useRef, useState } from "react";
import { client, got, type Schemas } from "../../api/client";
import { Name, useSaid } from "../../people/Hiding";
import { useMe } from "../../people/me";
import type { Act } from "../../step/useAct";
import { Dialog } from "../../ui/Dialog";
import { FormEnd } from "../../ui/FormEnd";
import { score } from "../../words/format";
import { followUp as words } from "../../words/steps/follow-up";
import css from "../followUp.module.css";
import { DayField } from "./DayField";

type Answer = Schemas["FollowUpAnswer"];
type Wild = Schemas["Wild"];

export function WeeklyForm(props: { answer: Answer; act: Act; onClose: () => void }) {
  const { answer, act } = props;
  const me = useMe();
  const said = useSaid();
  const students = [...answer.students].sort((one, other) => one.name.localeCompare(other.name));
  const [day, setDay] = useState(me.today);
  const [typed, setTyped] = useState<Record<string, string>>({});
  const [wild, setWild] = useState<Wild[]>([]);
  const form = useRef<HTMLFormElement>(null);
  const scores = Object.fromEntries(
    Object.entries(typed)
      .filter(([, value]) => value.trim() !== "")
      .map(([student, value]) => [student, Number(value)]),
  );
  const n = Object.keys(scores).length;
  const save = async (sure: boolean) => {
    if (!n) return;
    const body = { assessment: answer.assessment, subject: answer.subject, day, scores, sure };
    const path = { group_id: answer.group };
    const done = await act.run(
      () => got(client.POST("/api/follow-up/groups/{group_id}/results", { params: { path }, body })),
      (kept) => ({ said: kept.said, act: kept.id }),
    );
    if (done?.wild.length) setWild(done.wild);
    else if (done) props.onClose();
  };
  /** Enter goes on to the next student, and from the last one to saving. */
  const onKey = (event: KeyboardEvent) => {
    if (event.key !== "Enter") return;
    const fields = [...(form.current?.querySelectorAll<HTMLElement>("[data-score]") ?? [])];
    const next = fields[fields.indexOf(event.currentTarget as HTMLElement) + 1];
    if (!next) return;
    event.preventDefault();
    next.focus();
  };
  return (
    <Dialog title={words.weeklyOf(answer.name, answer.assessment)} wide onClose={props.onClose}>
      <form
        ref={form}
        onSubmit={(event: FormEvent) => {
          event.preventDefault();
          save(wild.length > 0);
        }}
      >
        <ol className={css.list}>
          {students.map((one, at) => (
            <li key={one.student_id} className={css.entry}>
              <label>
                <Name name={one.name} />{" "}
                <span className="quiet small">
                  {one.last_score == null ? "" : words.lastWas(score(one.last_score))}
                </span>
                <input
                  className="plain"
                  type="number"
                  min={0}
                  max={1000}
                  step="any"
                  data-score
                  autoFocus={at === 0}
                  aria-label={words.resultOf(said(one.name))}
                  value={typed[one.student_id] ?? ""}
                  onChange={(event) => {
                    setWild([]);
                    setTyped({ ...typed, [one.student_id]: event.target.value });
                  }}
                  onKeyDown={onKey}
                />
              </label>
            </li>
          ))}
        </ol>
        <DayField day={day} onChange={setDay} />
        {wild.length > 0 && (
          <div role="alert">
            {wild.map((one) => (
              <p key={one.student_id} className="fault">
                {words.isWild(said(one.name), score(one.score), score(one.usual))}
              </p>
            ))}
          </div>
        )}
        <FormEnd
          fault={act.fault?.message ?? ""}
          onClose={props.onClose}
          act={wild.length ? words.saveAllTheSame : words.saveResults(n)}
          disabled={act.busy || !n}
        />
      </form>
    </Dialog>
  );
}
