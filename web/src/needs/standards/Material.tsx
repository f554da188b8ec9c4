/** Material on a standard: what there is, given to students or a group, done or not done, and more of it. */

import { useQuery } from "@tanstack/react-query";
import { type FormEvent, useState } from "react";
import { client, got } from "../../api/client";
import { Name } from "../../people/Hiding";
import { usePins } from "../../pins/PinContext";
import { Done } from "../../step/Done";
import { Fault } from "../../step/Fault";
import { useAct } from "../../step/useAct";
import { needs as words } from "../../words/steps/needs";
import css from "./standards.module.css";

interface MaterialProps {
  standard: string;
  lacking: number;
  whoLack: () => Promise<{ id: string }[]>;
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
      <Fault said={act.fault?.message} />
      <button type="submit" className="plain" disabled={act.busy}>
        {words.keep}
      </button>
    </form>
  );
}

export function Material(props: MaterialProps) {
  const { standard, lacking, whoLack } = props;
  const { pinned } = usePins();
  const act = useAct("material");
  const [adding, setAdding] = useState(false);
  const groups = useQuery({ queryKey: ["groups"], queryFn: () => got(client.GET("/api/groups")) });
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
  const giveGroup = (key: number, group: number) =>
    act.run(
      () =>
        got(
          client.POST("/api/needs/material/{key}/give", {
            params: { path: { key } },
            body: { students: [], group_id: group },
          }),
        ),
      (done) => ({ said: done.said, act: done.id }),
    );
  const mark = (key: number, student: string, done: boolean) =>
    act.run(
      () =>
        got(
          client.POST("/api/needs/material/{key}/done", {
            params: { path: { key } },
            body: { students: [student], done },
          }),
        ),
      (answer) => ({ said: answer.said, act: answer.id }),
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
            <details className="small">
              <summary>
                {words.given(one.given.length, one.given.filter((student) => student.done_on).length)}
              </summary>
              <ul className={css.list}>
                {one.given.map((student) => (
                  <li key={student.student_id}>
                    <label>
                      <input
                        type="checkbox"
                        checked={student.done_on != null}
                        disabled={act.busy || !found.data.may_change}
                        onChange={(event) => mark(one.id, student.student_id, event.target.checked)}
                      />{" "}
                      <Name name={student.name} /> <span className="quiet">{words.doneWord}</span>
                    </label>
                  </li>
                ))}
              </ul>
            </details>
          )}
          {found.data.may_change && (
            <div className="u-in-row">
              {lacking > 0 && (
                <button
                  type="button"
                  className="plain"
                  disabled={act.busy}
                  onClick={() => give(one.id, whoLack)}
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
              {(groups.data?.length ?? 0) > 0 && (
                <select
                  className="plain"
                  aria-label={words.giveToGroup(one.title)}
                  value=""
                  disabled={act.busy}
                  onChange={(event) => {
                    if (event.target.value) giveGroup(one.id, Number(event.target.value));
                  }}
                >
                  <option value="">{words.toAGroup}</option>
                  {groups.data?.map((group) => (
                    <option key={group.id} value={group.id}>
                      {group.name}
                    </option>
                  ))}
                </select>
              )}
            </div>
          )}
        </div>
      ))}
      <div role="status" aria-live="polite">
        <Done said={act.said} act={act.last} undo={act.undo} />
      </div>
      <Fault said={act.fault?.message} />
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
