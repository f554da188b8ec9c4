/** Notes on a student in two places that cannot be confused: for the family, and internal ones. */
import { useQuery } from "@tanstack/react-query";
import { type FormEvent, useState } from "react";
import { client, got, type Schemas } from "../api/client";
import { useHiding } from "../people/Hiding";
import { Done } from "../step/Done";
import { Fault } from "../step/Fault";
import { Shown } from "../step/Shown";
import { type Act, useAct } from "../step/useAct";
import { day } from "../words/format";
import { student as words } from "../words/steps/student";
import css from "./student.module.css";

type Note = Schemas["NoteSeen"];
type Audience = "family" | "internal";

const TITLES = { family: words.notesForTheFamily, internal: words.internalNotes };
const outcome = (kept: { id: number; said: string }) => ({ said: kept.said, act: kept.id });

/** A new note, or an own one changed; who will see it is said on the button. */
function NoteForm(props: {
  audience: Audience;
  note?: Note;
  busy: boolean;
  onSave: (text: string, shared: boolean) => Promise<boolean>;
  onClose?: () => void;
}) {
  const { audience, note } = props;
  const [text, setText] = useState(note?.text ?? "");
  const [shared, setShared] = useState(note?.shared ?? false);
  const send = async (event: FormEvent) => {
    event.preventDefault();
    if ((await props.onSave(text, shared)) && !note) setText("");
  };
  return (
    <form onSubmit={send}>
      <label className="field">
        <span>{note ? words.changeNote : words.newNote(audience)}</span>
        <textarea
          rows={2}
          maxLength={1000}
          required
          value={text}
          onChange={(event) => setText(event.target.value)}
        />
      </label>
      {audience === "internal" && (
        <label className="small">
          <input type="checkbox" checked={shared} onChange={(event) => setShared(event.target.checked)} />{" "}
          {words.shareNote}
        </label>
      )}{" "}
      <button type="submit" className="plain" disabled={props.busy || !text.trim()}>
        {audience === "family" ? words.saveForFamily : shared ? words.saveShared : words.saveOwn}
      </button>{" "}
      {props.onClose && (
        <button type="button" className="word" onClick={props.onClose}>
          {words.cancel}
        </button>
      )}
    </form>
  );
}

function OneNote({ note, audience, act }: { note: Note; audience: Audience; act: Act }) {
  const [changing, setChanging] = useState(false);
  const path = { key: note.id };
  const withdraw = () =>
    act.run(() => got(client.DELETE("/api/students/notes/{key}", { params: { path } })), outcome);
  const change = async (text: string, shared: boolean) => {
    const body = { text, shared };
    const done = await act.run(
      () => got(client.POST("/api/students/notes/{key}", { params: { path }, body })),
      outcome,
    );
    if (done) setChanging(false);
    return done !== null;
  };
  if (changing)
    return (
      <li>
        <NoteForm
          audience={audience}
          note={note}
          busy={act.busy}
          onSave={change}
          onClose={() => setChanging(false)}
        />
      </li>
    );
  return (
    <li>
      {note.text}
      <br />
      <span className="quiet small">
        {[day(note.day), note.by, audience === "internal" && (note.shared ? words.shared : words.notShared)]
          .filter(Boolean)
          .join(", ")}{" "}
        {note.own && (
          <>
            <button type="button" className="word" onClick={() => setChanging(true)}>
              {words.change}
            </button>{" "}
            <button type="button" className="word" onClick={withdraw}>
              {words.withdraw}
            </button>
          </>
        )}
      </span>
      {note.earlier.length > 0 && (
        <details className="small">
          <summary>{words.before(note.earlier.length)}</summary>
          {note.earlier.map((one) => (
            <p key={`${one.until}${one.text}`} className="quiet">
              {words.untilDay(day(one.until))} {one.text}
            </p>
          ))}
        </details>
      )}
    </li>
  );
}

export function Notes({ id }: { id: string }) {
  const { hidden } = useHiding();
  const act = useAct("note");
  const answer = useQuery({
    queryKey: ["student", "notes", id],
    queryFn: () =>
      got(client.GET("/api/students/{student_id}/notes", { params: { path: { student_id: id } } })),
  });
  const write = (audience: Audience) => async (text: string, shared: boolean) => {
    const body = { audience, text, shared };
    const path = { student_id: id };
    const done = await act.run(
      () => got(client.POST("/api/students/{student_id}/notes", { params: { path }, body })),
      outcome,
    );
    return done !== null;
  };
  return (
    <Shown query={answer}>
      {(data) => (
        <>
          <div role="status" aria-live="polite">
            <Done said={act.said} act={act.last} undo={act.undo} />
          </div>
          <Fault said={act.fault?.message} />
          <div className={css.notes}>
            {(["family", "internal"] as const).map((audience) => (
              <section key={audience} className={css[audience]} aria-label={TITLES[audience]}>
                <h2>{TITLES[audience]}</h2>
                <p className="quiet small">{words.whoSees[audience]}</p>
                {hidden && audience === "internal" ? (
                  <p className="quiet">{words.hidden}</p>
                ) : (
                  <>
                    <ul>
                      {data[audience].map((note) => (
                        <OneNote key={note.id} note={note} audience={audience} act={act} />
                      ))}
                    </ul>
                    <NoteForm audience={audience} busy={act.busy} onSave={write(audience)} />
                  </>
                )}
              </section>
            ))}
          </div>
        </>
      )}
    </Shown>
  );
}
