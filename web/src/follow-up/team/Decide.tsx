/** The team's decision about a student's help: what, who, when to look again; it is kept with today's evidence. */
import { type FormEvent, useEffect, useRef, useState } from "react";
import { client, got, type Schemas } from "../../api/client";
import { useMe } from "../../people/me";
import { asked, type Scope } from "../../scope/scope";
import { Fault } from "../../step/Fault";
import type { Act } from "../../step/useAct";
import { weeksLater } from "../../words/days";
import { followUp as words } from "../../words/steps/follow-up";
import css from "../followUp.module.css";

type Kind = Schemas["DecisionAsked"]["kind"];

const KINDS = Object.entries(words.decisions) as [Kind, string][];
/** Weeks until a team looks again, where it says nothing else. */
const REVIEW = 6;

/** A group the student is in, with what the rule says there. */
interface InGroup {
  group: number;
  name: string;
  series: Schemas["Series"];
}

export function Decide(props: {
  student: string;
  groups: InGroup[];
  scope: Scope;
  /** The meeting at which it is decided; null: between meetings. */
  meeting: number | null;
  act: Act;
  onDecided: () => void;
}) {
  const { groups, act } = props;
  const me = useMe();
  const said = groups[0]?.series;
  const first: Kind = said?.confirmed && (said.act === "change" || said.act === "raise") ? said.act : "stay";
  const [kind, setKind] = useState<Kind>(first);
  const [text, setText] = useState("");
  const [who, setWho] = useState("");
  const [review, setReview] = useState(weeksLater(me.today, REVIEW));
  const [group, setGroup] = useState(groups[0] ? String(groups[0].group) : "");
  const field = useRef<HTMLSelectElement>(null);
  // The team goes through its list by keyboard: the next student's decision is at hand at once.
  useEffect(() => field.current?.focus({ preventScroll: true }), []);
  const send = async (event: FormEvent) => {
    event.preventDefault();
    const body = {
      student_id: props.student,
      kind,
      text: text || null,
      who: who || null,
      review_on: review || null,
      group_id: group ? Number(group) : null,
      meeting_id: props.meeting,
    };
    const done = await act.run(
      () =>
        got(client.POST("/api/follow-up/team/decisions", { params: { query: asked(props.scope) }, body })),
      (kept) => ({ said: kept.said, act: kept.act }),
    );
    if (done) props.onDecided();
  };
  return (
    <form className={css.decide} onSubmit={send} aria-label={words.decision}>
      <label className="field">
        <span>{words.decision}</span>
        <select ref={field} value={kind} onChange={(event) => setKind(event.target.value as Kind)}>
          {KINDS.map(([one, word]) => (
            <option key={one} value={one}>
              {word}
            </option>
          ))}
        </select>
      </label>
      {groups.length > 1 && (
        <label className="field">
          <span>{words.group}</span>
          <select value={group} onChange={(event) => setGroup(event.target.value)}>
            {groups.map((one) => (
              <option key={one.group} value={one.group}>
                {one.name}
              </option>
            ))}
          </select>
        </label>
      )}
      <label className="field">
        <span>{words.inWords}</span>
        <input
          maxLength={500}
          value={text}
          required={kind === "other"}
          onChange={(event) => setText(event.target.value)}
        />
      </label>
      <label className="field">
        <span>{words.whoDoesIt}</span>
        <input maxLength={160} value={who} onChange={(event) => setWho(event.target.value)} />
      </label>
      <label className="field">
        <span>{words.reviewDate}</span>
        <input
          type="date"
          min={me.today}
          value={review}
          onChange={(event) => setReview(event.target.value)}
        />
      </label>
      <button type="submit" className="act" disabled={act.busy}>
        {words.saveDecision}
      </button>
      <Fault said={act.fault?.message} />
    </form>
  );
}
