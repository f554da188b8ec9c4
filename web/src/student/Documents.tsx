/** Documents on a student: attached, downloaded, removed for good. */
import { useQuery } from "@tanstack/react-query";
import { type FormEvent, useRef, useState } from "react";
import { client, got, type Schemas } from "../api/client";
import { useHiding } from "../people/Hiding";
import { Done } from "../step/Done";
import { Fault } from "../step/Fault";
import { Shown } from "../step/Shown";
import { useAct } from "../step/useAct";
import { Dialog } from "../ui/Dialog";
import { day } from "../words/format";
import { student as words } from "../words/steps/student";
import css from "./student.module.css";

type Document = Schemas["DocumentSeen"];
const KINDS = ["plan", "letter", "work sample", "report", "other"] as const;
const MEGABYTE = 1024 * 1024;

function size(bytes: number): string {
  return bytes >= MEGABYTE ? `${(bytes / MEGABYTE).toFixed(1)} MB` : `${Math.ceil(bytes / 1024)} kB`;
}

function Attach({ busy, onSend }: { busy: boolean; onSend: (form: FormData) => Promise<boolean> }) {
  const form = useRef<HTMLFormElement>(null);
  const send = async (event: FormEvent<HTMLFormElement>) => {
    event.preventDefault();
    const body = new FormData(event.currentTarget);
    if (!body.get("until")) body.delete("until");
    if (await onSend(body)) form.current?.reset();
  };
  return (
    <form ref={form} className={css.attach} onSubmit={send}>
      <label className="field">
        <span>{words.fileToAttach}</span>
        <input type="file" name="file" required />
      </label>
      <label className="field">
        <span>{words.kindOfDocument}</span>
        <select name="kind" defaultValue="plan">
          {KINDS.map((one) => (
            <option key={one} value={one}>
              {words.documentKinds[one]}
            </option>
          ))}
        </select>
      </label>
      <label className="field">
        <span>{words.keepUntil}</span>
        <input type="date" name="until" />
      </label>
      <label className="small">
        <input type="checkbox" name="shared" value="true" /> {words.shareNote}
      </label>
      <button type="submit" className="plain" disabled={busy}>
        {words.attach}
      </button>
      <span className="quiet small">{words.whatIsTaken}</span>
    </form>
  );
}

export function Documents({ id }: { id: string }) {
  const { hidden } = useHiding();
  const act = useAct("document");
  const [removing, setRemoving] = useState<Document | null>(null);
  const answer = useQuery({
    queryKey: ["student", "documents", id],
    queryFn: () =>
      got(client.GET("/api/students/{student_id}/documents", { params: { path: { student_id: id } } })),
  });
  const attach = async (form: FormData) => {
    form.set("student_id", id);
    const done = await act.run(
      () =>
        got(
          client.POST("/api/students/documents", {
            body: form as never,
            bodySerializer: (body) => body as unknown as FormData,
          }),
        ),
      (kept: { id: number; said: string }) => ({ said: kept.said, act: kept.id }),
    );
    return done !== null;
  };
  const remove = async (key: number) => {
    setRemoving(null);
    await act.run(
      () => got(client.DELETE("/api/students/documents/{key}", { params: { path: { key } } })),
      (kept: { said: string }) => ({ said: kept.said, act: null }),
    );
  };
  return (
    <section aria-label={words.documents} className={css.documents}>
      <h2>{words.documents}</h2>
      <div role="status" aria-live="polite">
        <Done said={act.said} act={act.last} undo={act.undo} />
      </div>
      <Fault said={act.fault?.message} />
      {hidden ? (
        <p className="quiet">{words.hidden}</p>
      ) : (
        <Shown query={answer}>
          {(data) => (
            <>
              {data.length === 0 && <p className="quiet small">{words.noDocuments}</p>}
              <ul>
                {data.map((one) => (
                  <li key={one.id}>
                    <a href={`/api/students/documents/${one.id}`} download>
                      {one.name}
                    </a>{" "}
                    <span className="quiet small">
                      {[
                        words.documentKinds[one.kind],
                        size(one.size),
                        one.by,
                        day(one.at.slice(0, 10)),
                        one.shared ? words.shared : words.notShared,
                        one.until && words.keptUntil(day(one.until)),
                      ]
                        .filter(Boolean)
                        .join(", ")}
                    </span>{" "}
                    {one.own && (
                      <button type="button" className="word small" onClick={() => setRemoving(one)}>
                        {words.remove}
                      </button>
                    )}
                  </li>
                ))}
              </ul>
              <Attach busy={act.busy} onSend={attach} />
            </>
          )}
        </Shown>
      )}
      {removing && (
        <Dialog title={words.removeForGood} onClose={() => setRemoving(null)}>
          <p>{words.removeMeans(removing.name)}</p>
          <div className="buttons">
            <button type="button" className="plain" onClick={() => setRemoving(null)}>
              {words.cancel}
            </button>
            <button type="button" className="act" onClick={() => remove(removing.id)}>
              {words.removeForGood}
            </button>
          </div>
        </Dialog>
      )}
    </section>
  );
}
