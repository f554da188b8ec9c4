/** Quick entry: paste names, choose standards, then one key a cell. */
import { useQuery } from "@tanstack/react-query";
import { useState } from "react";
import { client, got, type Schemas } from "../../api/client";
import { useSaid } from "../../people/Hiding";
import { useMe } from "../../people/me";
import { usePins } from "../../pins/PinContext";
import { asked, type Scope } from "../../scope/scope";
import { Fault } from "../../step/Fault";
import { useAct } from "../../step/useAct";
import { needs as words } from "../../words/steps/needs";
import { Pad, type PadStudent } from "./Pad";
import css from "./standards.module.css";

type Pasted = Schemas["PastedName"];

const MOST_SCOPE = 60;

/** Doubtful names with the students who may be meant, and those nobody has. */
function Doubts(props: {
  names: Pasted[];
  chosen: Record<number, string>;
  choose: (at: number, id: string) => void;
}) {
  const doubtful = props.names.map((one, at) => ({ one, at })).filter(({ one }) => one.state === "doubtful");
  const unknown = props.names.filter((one) => one.state === "unknown");
  return (
    <>
      {doubtful.length > 0 && <h2>{words.doubtful}</h2>}
      {doubtful.map(({ one, at }) => (
        <label key={`${at} ${one.text}`} className="field u-narrow">
          <span>{words.whoIs(one.text)}</span>
          <select value={props.chosen[at] ?? ""} onChange={(event) => props.choose(at, event.target.value)}>
            <option value="">{words.nobody}</option>
            {one.choices.map((choice) => (
              <option key={choice.student_id} value={choice.student_id}>
                {choice.name}
                {choice.section ? `, ${choice.section}` : ""}
              </option>
            ))}
          </select>
        </label>
      ))}
      {unknown.length > 0 && (
        <p className="aside">
          {words.unknownNames(unknown.length)}
          {unknown.map((one) => one.text).join("; ")}
        </p>
      )}
    </>
  );
}

export function QuickEntry({ scope }: { scope: Scope }) {
  const me = useMe();
  const said = useSaid();
  const { pinned } = usePins();
  const act = useAct("mastery");
  const [text, setText] = useState("");
  const [names, setNames] = useState<Pasted[]>([]);
  const [chosen, setChosen] = useState<Record<number, string>>({});
  const [others, setOthers] = useState<PadStudent[]>([]);
  const [standards, setStandards] = useState<string[]>([]);
  const [on, setOn] = useState(me.today);
  const [source, setSource] = useState<string>(words.sourceFirst);
  const [running, setRunning] = useState(false);
  const seen = useQuery({
    queryKey: ["needs", "standards", scope, {}],
    queryFn: () => got(client.GET("/api/needs/standards", { params: { query: asked(scope) } })),
  });
  const columns = seen.data?.columns ?? [];
  const inScope = (seen.data?.students ?? []).slice(0, MOST_SCOPE);
  const find = async () => {
    const found = await act.run(
      () => got(client.POST("/api/needs/entries/names", { body: { text } })),
      () => ({ said: "", act: null }),
    );
    if (found) {
      setNames(found);
      setChosen({});
    }
  };
  const pasted = names.flatMap((one, at) => {
    const id = one.state === "sure" ? one.choices[0]?.student_id : chosen[at];
    const choice = one.choices.find((each) => each.student_id === id);
    return choice ? [{ id: choice.student_id, name: choice.name }] : [];
  });
  const students = [...new Map([...pasted, ...others].map((one) => [one.id, one])).values()];
  if (running) {
    return (
      <Pad
        students={students}
        standards={columns.filter((column) => standards.includes(column.standard))}
        on={on}
        source={source}
        onDone={() => setRunning(false)}
      />
    );
  }
  return (
    <>
      <h1>{words.quickEntry}</h1>
      <p className="lead">{words.padKeys}</p>
      <div className={css.two}>
        <div>
          <label className="field">
            <span>
              {words.paste}. {words.pasteHint}
            </span>
            <textarea rows={8} value={text} onChange={(event) => setText(event.target.value)} />
          </label>
          <p className="u-in-row">
            <button type="button" className="plain" disabled={!text.trim() || act.busy} onClick={find}>
              {words.findThem}
            </button>
            {pinned.length > 0 && (
              <button type="button" className="plain" onClick={() => setOthers(pinned)}>
                {words.orPinned(pinned.length)}
              </button>
            )}
            {inScope.length > 0 && (
              <button
                type="button"
                className="plain"
                onClick={() => setOthers(inScope.map((one) => ({ id: one.student_id, name: one.name })))}
              >
                {words.orScope(inScope.length)}
              </button>
            )}
          </p>
          <Fault said={act.fault?.message} />
          <Doubts names={names} chosen={chosen} choose={(at, id) => setChosen({ ...chosen, [at]: id })} />
          {students.length > 0 && (
            <p role="status">
              <b>{students.length}</b>{" "}
              <span className="quiet">{students.map((one) => said(one.name)).join(", ")}</span>
            </p>
          )}
        </div>
        <div>
          <label className="field">
            <span>{words.day}</span>
            <input type="date" value={on} max={me.today} onChange={(event) => setOn(event.target.value)} />
          </label>
          <label className="field">
            <span>{words.source}</span>
            <input value={source} maxLength={160} onChange={(event) => setSource(event.target.value)} />
          </label>
          <label className="field">
            <span>{words.whichStandards}</span>
            <select
              value=""
              onChange={(event) => {
                if (event.target.value) setStandards([...standards, event.target.value]);
              }}
            >
              <option value="">{words.addStandard}</option>
              {columns
                .filter((column) => !standards.includes(column.standard))
                .map((column) => (
                  <option key={column.standard} value={column.standard}>
                    {column.standard} {column.text}
                  </option>
                ))}
            </select>
          </label>
          <ul className={css.list}>
            {standards.map((standard) => (
              <li key={standard}>
                {standard}{" "}
                <button
                  type="button"
                  className="word"
                  aria-label={`remove ${standard}`}
                  onClick={() => setStandards(standards.filter((one) => one !== standard))}
                >
                  ×
                </button>
              </li>
            ))}
          </ul>
          <button
            type="button"
            className="act"
            disabled={!students.length || !standards.length || !on || !source.trim()}
            title={students.length && standards.length ? undefined : words.needNames}
            onClick={() => setRunning(true)}
          >
            {words.start}
          </button>
        </div>
      </div>
    </>
  );
}
