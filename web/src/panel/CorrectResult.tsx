/** Correcting one cell of a result, with the reason; what was corrected before stands below. */
import { useQuery } from "@tanstack/react-query";
import { type FormEvent, useState } from "react";
import { client, got, type Schemas } from "../api/client";
import { Fault } from "../step/Fault";
import { useAct } from "../step/useAct";
import { Dialog } from "../ui/Dialog";
import { panel as words } from "../words/around/panel";
import { day, moment, score } from "../words/format";

type Result = Schemas["ResultAnswer"];
type Column = Schemas["CorrectionAsked"]["column"];

const CELLS: [Column, string][] = [
  ["score", words.score],
  ["tested_on", words.dateTested],
  ["window", words.window],
  ["language", words.language],
];

const cell = (result: Result, column: Column) =>
  column === "score" ? String(result.score) : (result[column] ?? "");

const saidOf = (result: Result) =>
  [
    `${result.assessment}, ${result.subject}`,
    result.window ?? words.outside,
    day(result.tested_on),
    score(result.score),
  ]
    .filter(Boolean)
    .join(" · ");

function Corrections({ result }: { result: Result }) {
  if (result.corrections.length === 0) return null;
  return (
    <>
      <h3>{words.correctedBefore}</h3>
      <ul>
        {result.corrections.map((one) => (
          <li key={`${one.column} ${one.at}`}>
            {words.fromTo(
              one.column.replace("_", " "),
              one.before ?? words.nothing,
              one.after ?? words.nothing,
            )}
            <span className="quiet">
              {" "}
              · {one.why} · {one.by} · {moment(one.at)}
            </span>
          </li>
        ))}
      </ul>
    </>
  );
}

export function CorrectResult({ id, name, onClose }: { id: string; name: string; onClose: () => void }) {
  const act = useAct("decision");
  const [key, setKey] = useState<number | null>(null);
  const [column, setColumn] = useState<Column>("score");
  const [value, setValue] = useState<string | null>(null);
  const [why, setWhy] = useState("");
  const found = useQuery({
    queryKey: ["student", id, "results"],
    queryFn: () =>
      got(client.GET("/api/students/{student_id}/results", { params: { path: { student_id: id } } })),
  });
  const result = found.data?.find((one) => one.id === key) ?? found.data?.[0];
  const send = (event: FormEvent) => {
    event.preventDefault();
    if (!result) return;
    act.run(
      () =>
        got(
          client.POST("/api/students/results/{result_id}/corrections", {
            params: { path: { result_id: result.id } },
            body: { column, value: value ?? cell(result, column), why: why.trim() },
          }),
        ),
      (done) => {
        setValue(null);
        setWhy("");
        return { said: done.said, act: done.id };
      },
    );
  };
  return (
    <Dialog title={words.correctAResultOf(name)} onClose={onClose}>
      {found.isError && <p className="fault">{found.error.message}</p>}
      {found.data && !result && <p className="quiet">{words.noResultsYet}</p>}
      {result && (
        <form onSubmit={send}>
          <label className="field">
            <span>{words.result}</span>
            <select
              value={result.id}
              onChange={(event) => {
                setKey(Number(event.target.value));
                setValue(null);
              }}
            >
              {found.data?.map((one) => (
                <option key={one.id} value={one.id}>
                  {saidOf(one)}
                </option>
              ))}
            </select>
          </label>
          <label className="field">
            <span>{words.whatIsWrong}</span>
            <select
              value={column}
              onChange={(event) => {
                setColumn(event.target.value as Column);
                setValue(null);
              }}
            >
              {CELLS.map(([cellName, label]) => (
                <option key={cellName} value={cellName}>
                  {label}
                </option>
              ))}
            </select>
          </label>
          <label className="field">
            <span>{words.shouldBe}</span>
            <input
              type={column === "tested_on" ? "date" : "text"}
              inputMode={column === "score" ? "decimal" : undefined}
              value={value ?? cell(result, column)}
              onChange={(event) => setValue(event.target.value)}
            />
          </label>
          <label className="field">
            <span>{words.whyIsIt}</span>
            <input value={why} onChange={(event) => setWhy(event.target.value)} required maxLength={255} />
          </label>
          <Fault said={act.fault?.message} />
          {act.said && (
            <p className="aside" role="status">
              {act.said}{" "}
              {act.last !== null && (
                <button type="button" className="word" onClick={() => act.undo(act.last as number)}>
                  {words.undo}
                </button>
              )}
            </p>
          )}
          <div className="buttons">
            <button type="submit" className="act" disabled={act.busy || !why.trim()}>
              {words.correct}
            </button>
            <button type="button" className="plain" onClick={onClose}>
              {words.close}
            </button>
          </div>
          <Corrections result={result} />
        </form>
      )}
    </Dialog>
  );
}
