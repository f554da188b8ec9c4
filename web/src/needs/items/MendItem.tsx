/** Correct an item: another key, a second right answer, or dropped; what would change is shown first. */
import { type FormEvent, useState } from "react";
import { client, got, type Schemas } from "../../api/client";
import { Name } from "../../people/Hiding";
import { useAct } from "../../step/useAct";
import { Dialog } from "../../ui/Dialog";
import { FormEnd } from "../../ui/FormEnd";
import { needs as words } from "../../words/steps/needs";

type Preview = Schemas["MendPreview"];

const SHOWN = 8;

function short(value: number | null | undefined): string {
  return value == null ? "–" : String(Math.round(value * 100) / 100);
}

export function MendItem(props: {
  test: string;
  row: Schemas["ItemRow"];
  onClose: () => void;
  onDone: (said: string, act: number) => void;
}) {
  const { test, row } = props;
  const act = useAct("item");
  const [keys, setKeys] = useState(row.keys);
  const [dropped, setDropped] = useState(row.dropped);
  const [why, setWhy] = useState("");
  const [preview, setPreview] = useState<Preview | null>(null);
  const options = [...new Set([...row.options.map((one) => one.option), ...row.keys])];
  const body = { test, item: row.item, keys, dropped };
  const change = (next: () => void) => {
    setPreview(null);
    next();
  };
  const look = async () => {
    const found = await act.run(
      () => got(client.POST("/api/needs/items/preview", { body })),
      () => ({ said: "", act: null }),
    );
    setPreview(found);
  };
  const send = async (event: FormEvent) => {
    event.preventDefault();
    const done = await act.run(
      () => got(client.POST("/api/needs/items/mend", { body: { ...body, why } })),
      (answer) => ({ said: answer.said, act: answer.id }),
    );
    if (done) props.onDone(done.said, done.id);
  };
  return (
    <Dialog title={words.correctItem(row.item)} onClose={props.onClose}>
      <form onSubmit={send}>
        <fieldset className="u-bare u-below-10">
          <legend className="quiet small">{words.rightAnswers}</legend>
          {options.map((option) => (
            <label key={option} className="pick" style={{ display: "inline-flex", marginRight: 14 }}>
              <input
                type="checkbox"
                checked={keys.includes(option)}
                onChange={(event) =>
                  change(() =>
                    setKeys(event.target.checked ? [...keys, option] : keys.filter((one) => one !== option)),
                  )
                }
              />{" "}
              {option}
            </label>
          ))}
        </fieldset>
        <label className="pick">
          <input
            type="checkbox"
            checked={dropped}
            onChange={(event) => change(() => setDropped(event.target.checked))}
          />{" "}
          {words.drop}
        </label>
        <label className="field">
          <span>{words.why}</span>
          <input value={why} required maxLength={255} onChange={(event) => setWhy(event.target.value)} />
        </label>
        <button type="button" className="plain" disabled={act.busy || !keys.length} onClick={look}>
          {words.preview}
        </button>
        <div role="status" aria-live="polite">
          {preview && (
            <section className="aside" aria-label={words.whatChanges}>
              <p>
                {words.changes(preview.changed, preview.n)};{" "}
                {words.means(short(preview.mean_before), short(preview.mean_after))};{" "}
                {words.statesFollow(preview.states_changed)}.
              </p>
              <ul className="u-indented u-above-8">
                {preview.students.slice(0, SHOWN).map((one) => (
                  <li key={one.student_id}>
                    <Name name={one.name} />: {short(one.before)} → {short(one.after)}
                  </li>
                ))}
                {preview.students.length > SHOWN && <li>… {words.of(preview.students.length)}</li>}
              </ul>
            </section>
          )}
        </div>
        <FormEnd
          fault={act.fault?.message ?? ""}
          onClose={props.onClose}
          act={words.scoreAgain}
          disabled={act.busy || !preview || !keys.length}
        />
      </form>
    </Dialog>
  );
}
