/** The ground of a standard: what it rests on, who lacks it, material, when it is taught, who is ready for more. */
import { useQuery } from "@tanstack/react-query";
import { type FormEvent, useState } from "react";
import { client, got, type Schemas } from "../../api/client";
import { type EvidenceAsked, usePanel } from "../../panel/PanelContext";
import { usePins } from "../../pins/PinContext";
import { asked, type Scope } from "../../scope/scope";
import { useAct } from "../../step/useAct";
import { needs as words } from "../../words/steps/needs";
import { GroundGraph } from "./GroundGraph";
import css from "./standards.module.css";

const WIDTH = 354;
const MOST = 5000;

interface Props {
  scope: Scope;
  evidence: EvidenceAsked;
  standard: string;
  onPick: (standard: string) => void;
}

/** The students who lack a standard. */
async function whoLack({ scope, evidence, standard }: Props) {
  const found = await got(
    client.GET("/api/needs/standards/drill-down", {
      params: { query: { ...asked(scope), ...evidence, standard, state: "lacking", count: MOST } },
    }),
  );
  return found.rows.map((row) => ({ id: row.student_id, name: row.name }));
}

function Taught({ taught }: { taught: Schemas["ClassTaught"][] }) {
  if (!taught.length) return <p className="quiet small">{words.noCalendar}</p>;
  const by = new Map<string, string[]>();
  for (const one of taught) by.set(one.taught, [...(by.get(one.taught) ?? []), one.section]);
  const said: Record<string, string> = {
    before: words.before,
    now: words.now,
    later: words.later,
    never: words.never,
  };
  return (
    <ul className={css.list}>
      {[...by].map(([when, sections]) => (
        <li key={when}>
          {words.taughtIn(
            said[when] ?? when,
            sections.length > 6 ? `${sections.length}` : sections.join(", "),
          )}
        </li>
      ))}
    </ul>
  );
}

function AddMaterial({ standard, onDone }: { standard: string; onDone: () => void }) {
  const act = useAct("material");
  const [title, setTitle] = useState("");
  const [link, setLink] = useState("");
  const [check, setCheck] = useState("");
  const send = async (event: FormEvent) => {
    event.preventDefault();
    const done = await act.run(
      () => got(client.POST("/api/needs/material", { body: { standard, title, link, check } })),
      (answer) => ({ said: answer.said, act: answer.id }),
    );
    if (done) onDone();
  };
  return (
    <form onSubmit={send} className={css.material}>
      <label className="field">
        <span>{words.title}</span>
        <input value={title} required maxLength={160} onChange={(event) => setTitle(event.target.value)} />
      </label>
      <label className="field">
        <span>{words.linkOrText}</span>
        <input value={link} maxLength={1000} onChange={(event) => setLink(event.target.value)} />
      </label>
      <label className="field">
        <span>{words.check}</span>
        <input value={check} maxLength={1000} onChange={(event) => setCheck(event.target.value)} />
      </label>
      {act.fault && (
        <p className="fault" role="alert">
          {act.fault.message}
        </p>
      )}
      <button type="submit" className="plain" disabled={act.busy}>
        {words.keep}
      </button>
    </form>
  );
}

function Material(props: Props & { lacking: number }) {
  const { standard, lacking } = props;
  const { pinned } = usePins();
  const act = useAct("material");
  const [adding, setAdding] = useState(false);
  const found = useQuery({
    queryKey: ["needs", "material", standard],
    queryFn: () => got(client.GET("/api/needs/material", { params: { query: { standard } } })),
  });
  if (!found.data) return null;
  const give = (key: number, students: () => Promise<{ id: string }[]>) =>
    act.run(
      async () => {
        const ids = (await students()).map((one) => one.id);
        return got(
          client.POST("/api/needs/material/{key}/give", {
            params: { path: { key } },
            body: { students: ids },
          }),
        );
      },
      (done) => ({ said: done.said, act: done.id }),
    );
  const link = (text: string) =>
    /^https?:\/\//.test(text) ? (
      <a href={text} rel="noreferrer">
        {text}
      </a>
    ) : (
      text
    );
  return (
    <>
      <h3>{words.material}</h3>
      {!found.data.materials.length && <p className="quiet small">{words.noMaterial}</p>}
      {found.data.materials.map((one) => (
        <div key={one.id} className={css.material}>
          <b>{one.title}</b>
          {one.link && <p className="small">{link(one.link)}</p>}
          {one.check && (
            <p className="small quiet">
              {words.check}: {one.check}
            </p>
          )}
          {one.given.length > 0 && (
            <p className="small">
              {words.given(one.given.length, one.given.filter((student) => student.done_on).length)}
            </p>
          )}
          {found.data.may_change && (
            <div style={{ display: "flex", gap: 10, flexWrap: "wrap" }}>
              {lacking > 0 && (
                <button
                  type="button"
                  className="plain"
                  disabled={act.busy}
                  onClick={() => give(one.id, () => whoLack(props))}
                >
                  {words.giveTo(lacking)}
                </button>
              )}
              {pinned.length > 0 && (
                <button
                  type="button"
                  className="plain"
                  disabled={act.busy}
                  onClick={() => give(one.id, async () => pinned)}
                >
                  {words.giveToPins(pinned.length)}
                </button>
              )}
            </div>
          )}
        </div>
      ))}
      <div role="status" aria-live="polite">
        {act.said && (
          <p className="aside">
            {act.said}.{" "}
            {act.last !== null && (
              <button type="button" className="word" onClick={() => act.undo(act.last as number)}>
                {words.undo}
              </button>
            )}
          </p>
        )}
      </div>
      {act.fault && (
        <p className="fault" role="alert">
          {act.fault.message}
        </p>
      )}
      {found.data.may_change &&
        (adding ? (
          <AddMaterial standard={standard} onDone={() => setAdding(false)} />
        ) : (
          <button type="button" className="word" onClick={() => setAdding(true)}>
            {words.addMaterial}
          </button>
        ))}
    </>
  );
}

export function Ground(props: Props) {
  const { scope, evidence, standard, onPick } = props;
  const { open } = usePanel();
  const { act } = usePins();
  const found = useQuery({
    queryKey: ["needs", "ground", scope, evidence, standard],
    queryFn: () =>
      got(
        client.GET("/api/needs/standards/ground", {
          params: { query: { ...asked(scope), ...evidence, standard } },
        }),
      ),
    placeholderData: (before) => before,
  });
  if (found.isError) return <p className="fault">{found.error.message}</p>;
  const ground = found.data;
  if (!ground) return null;
  const own = ground.steps.at(-1);
  return (
    <section className={css.ground} aria-label={words.groundBelow(ground.standard)}>
      <h2>{words.groundBelow(ground.standard)}</h2>
      <p className="small">{ground.text}</p>
      {own && own.lacking > 0 ? (
        <p style={{ display: "flex", gap: 12, alignItems: "baseline", margin: "6px 0" }}>
          <button
            type="button"
            className="open"
            onClick={() => open({ needs: { of: "standard", standard, state: "lacking", evidence } })}
          >
            {words.lackOf(own.lacking, own.evidence)}
          </button>
          <button
            type="button"
            className="plain"
            onClick={async () => act({ type: "add", students: await whoLack(props) })}
          >
            {words.pinThem(own.lacking)}
          </button>
        </p>
      ) : (
        <p className="quiet small">{words.noneLack}</p>
      )}
      {ground.steps.length > 1 ? (
        <GroundGraph steps={ground.steps} width={WIDTH} onPick={onPick} />
      ) : (
        <p className="quiet small">{words.restsOnNothing}</p>
      )}
      <Material {...props} lacking={own?.lacking ?? 0} />
      <h3>{words.taught}</h3>
      <Taught taught={ground.taught} />
      {ground.beyond.length > 0 && (
        <>
          <h3>{words.beyondIt}</h3>
          <ul className={css.list}>
            {ground.beyond.map((one) => (
              <li key={one.standard}>
                <button type="button" className="open" title={one.text} onClick={() => onPick(one.standard)}>
                  {one.standard}
                </button>{" "}
                <span className="quiet">{words.ready(one.n)}</span>
              </li>
            ))}
          </ul>
        </>
      )}
    </section>
  );
}
