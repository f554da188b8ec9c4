/** A new meeting: its day, who is there, and the students to talk about, filled from the rules. */
import { type FormEvent, useState } from "react";
import { client, got, type Schemas } from "../../api/client";
import { Name } from "../../people/Hiding";
import { useMe } from "../../people/me";
import { usePins } from "../../pins/PinContext";
import type { Act } from "../../step/useAct";
import { Dialog } from "../../ui/Dialog";
import { FormEnd } from "../../ui/FormEnd";
import { followUp as words } from "../../words/steps/follow-up";
import css from "../followUp.module.css";

export function NewMeeting(props: {
  suggested: Schemas["Suggested"][];
  act: Act;
  onClose: () => void;
  onMade: (key: number) => void;
}) {
  const me = useMe();
  const { act } = props;
  const { pinned: pins } = usePins();
  const known = new Set(props.suggested.map((one) => one.student_id));
  const listed = [
    ...props.suggested.map((one) => ({ id: one.student_id, name: one.name, why: one.reasons.join("; ") })),
    ...pins
      .filter((one) => !known.has(one.id))
      .map((one) => ({ id: one.id, name: one.name, why: words.pinnedWhy })),
  ];
  const [day, setDay] = useState(me.today);
  const [name, setName] = useState(words.meetingName);
  const [present, setPresent] = useState("");
  const [left, setLeft] = useState<Set<string>>(new Set());
  const chosen = listed.filter((one) => !left.has(one.id));
  const send = async (event: FormEvent) => {
    event.preventDefault();
    const body = {
      day,
      name,
      present: present || null,
      students: Object.fromEntries(chosen.map((one) => [one.id, one.why.slice(0, 160)])),
    };
    const done = await act.run(
      () => got(client.POST("/api/follow-up/team/meetings", { body })),
      (kept) => ({ said: kept.said, act: kept.act }),
    );
    if (done) props.onMade(done.key);
  };
  return (
    <Dialog title={words.newMeeting} wide onClose={props.onClose}>
      <form onSubmit={send}>
        <div className="two">
          <label className="field">
            <span>{words.nameOfMeeting}</span>
            <input
              autoFocus
              required
              maxLength={160}
              value={name}
              onChange={(e) => setName(e.target.value)}
            />
          </label>
          <label className="field">
            <span>{words.day}</span>
            <input type="date" required value={day} onChange={(e) => setDay(e.target.value)} />
          </label>
        </div>
        <label className="field">
          <span>{words.present}</span>
          <input maxLength={255} value={present} onChange={(e) => setPresent(e.target.value)} />
        </label>
        <p>
          {words.onTheList(chosen.length)}{" "}
          <button
            type="button"
            className="word"
            onClick={() => setLeft(left.size ? new Set() : new Set(listed.map((one) => one.id)))}
          >
            {left.size ? words.all : words.none}
          </button>
        </p>
        <ul className={css.suggested}>
          {listed.map((one) => (
            <li key={one.id}>
              <label>
                <input
                  type="checkbox"
                  checked={!left.has(one.id)}
                  onChange={(event) => {
                    const next = new Set(left);
                    if (event.target.checked) next.delete(one.id);
                    else next.add(one.id);
                    setLeft(next);
                  }}
                />{" "}
                <Name name={one.name} /> <span className="quiet small">{one.why}</span>
              </label>
            </li>
          ))}
        </ul>
        <FormEnd
          fault={act.fault?.message ?? ""}
          onClose={props.onClose}
          act={words.beginMeeting}
          disabled={act.busy || !chosen.length}
        />
      </form>
    </Dialog>
  );
}
