/** A session for the whole group: everybody came but those whose numbers are typed; few keys for many students. */
import { type FormEvent, useState } from "react";
import { client, got, type Schemas } from "../../api/client";
import { Name } from "../../people/Hiding";
import { useMe } from "../../people/me";
import type { Act } from "../../step/useAct";
import { Dialog } from "../../ui/Dialog";
import { FormEnd } from "../../ui/FormEnd";
import { followUp as words } from "../../words/steps/follow-up";
import css from "../followUp.module.css";
import { DayField } from "./DayField";

type Answer = Schemas["FollowUpAnswer"];

/** Numbers in a text such as "3 7" or "3,7", within 1 to `most`. */
export function numbersIn(text: string, most: number): Set<number> {
  const found = text.split(/\D+/).filter(Boolean).map(Number);
  return new Set(found.filter((one) => one >= 1 && one <= most));
}

/** The typed numbers with one put in, or taken out where it is there: a tap on a name does what typing does. */
export function toggled(typed: string, number: number, most: number): string {
  const now = numbersIn(typed, most);
  if (!now.delete(number)) now.add(number);
  return [...now].sort((one, other) => one - other).join(" ");
}

export function SessionForm(props: { answer: Answer; act: Act; onClose: () => void }) {
  const { answer, act } = props;
  const me = useMe();
  const students = [...answer.students].sort((one, other) => one.name.localeCompare(other.name));
  const before = answer.sessions.filter((one) => one.held).at(-1);
  const [day, setDay] = useState(me.today);
  const [minutes, setMinutes] = useState(String(before?.minutes ?? 30));
  const [typed, setTyped] = useState("");
  const [note, setNote] = useState("");
  const away = numbersIn(typed, students.length);
  const send = async (event: FormEvent) => {
    event.preventDefault();
    const body = {
      day,
      minutes: Number(minutes),
      away: students.filter((_, at) => away.has(at + 1)).map((one) => one.student_id),
      note: note || null,
    };
    const path = { group_id: answer.group };
    const done = await act.run(
      () => got(client.POST("/api/follow-up/groups/{group_id}/sessions", { params: { path }, body })),
      (kept) => ({ said: kept.said, act: kept.id }),
    );
    if (done) props.onClose();
  };
  return (
    <Dialog title={words.enterSessionOf(answer.name)} onClose={props.onClose}>
      <form onSubmit={send}>
        <label className="field">
          <span>{words.away}</span>
          <input
            autoFocus
            value={typed}
            inputMode="numeric"
            onChange={(event) => setTyped(event.target.value)}
          />
        </label>
        <ol className={css.list}>
          {students.map((one, at) => (
            <li key={one.student_id}>
              <button
                type="button"
                className={css.tap}
                aria-pressed={away.has(at + 1)}
                title={words.tapAway}
                onClick={() => setTyped(toggled(typed, at + 1, students.length))}
              >
                {at + 1}{" "}
                <span className={away.has(at + 1) ? css.gone : undefined}>
                  <Name name={one.name} />
                </span>
              </button>
            </li>
          ))}
        </ol>
        <p role="status">
          {Number(minutes) > 0
            ? words.cameCount(students.length - away.size, students.length)
            : words.notHeld}
        </p>
        <div className="two">
          <label className="field">
            <span>{words.minutesField}</span>
            <input
              type="number"
              min={0}
              max={600}
              required
              value={minutes}
              onChange={(event) => setMinutes(event.target.value)}
            />
          </label>
          <DayField day={day} onChange={setDay} />
        </div>
        <label className="field">
          <span>{words.note}</span>
          <input value={note} maxLength={255} onChange={(event) => setNote(event.target.value)} />
        </label>
        <FormEnd
          fault={act.fault?.message ?? ""}
          onClose={props.onClose}
          act={words.save}
          disabled={act.busy}
        />
      </form>
    </Dialog>
  );
}
