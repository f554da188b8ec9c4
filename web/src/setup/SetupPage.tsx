/** Setup: choose a file, see what was understood, then bring it in; and the history with undo. */
import { useQuery, useQueryClient } from "@tanstack/react-query";
import { type DragEvent, useRef, useState } from "react";
import { client, got, type Refused, type Schemas } from "../api/client";
import { Shown } from "../look/Shown";
import { Preview } from "./Preview";
import { SetupParts } from "./SetupParts";

type Draft = Schemas["PreviewAnswer"];

const KINDS: Record<string, string> = {
  scores: "scores",
  norms: "norms",
  growth_norms: "growth norms",
  cuts: "cuts",
};

export function SetupPage() {
  const cache = useQueryClient();
  const input = useRef<HTMLInputElement>(null);
  const [draft, setDraft] = useState<Draft | null>(null);
  const [busy, setBusy] = useState("");
  const [fault, setFault] = useState<Refused | null>(null);
  const [done, setDone] = useState("");
  const [over, setOver] = useState(false);
  const [asking, setAsking] = useState<number | null>(null);
  const history = useQuery({ queryKey: ["imports"], queryFn: () => got(client.GET("/api/imports")) });

  const choose = async (file: File) => {
    setBusy(`Reading ${file.name} …`);
    setFault(null);
    setDone("");
    setDraft(null);
    const form = new FormData();
    form.append("file", file);
    try {
      setDraft(
        await got(
          client.POST("/api/imports/preview", {
            body: form as unknown as Schemas["Body_preview_api_imports_preview_post"],
            bodySerializer: (body) => body as unknown as FormData,
          }),
        ),
      );
    } catch (error) {
      setFault(error as Refused);
    }
    setBusy("");
  };
  const change = async (told: Draft, changes: Schemas["DraftChanges"]) => {
    setBusy(`Reading ${told.file} again …`);
    setFault(null);
    try {
      setDraft(
        await got(
          client.POST("/api/imports/{draft}/changes", {
            params: { path: { draft: told.draft } },
            body: changes,
          }),
        ),
      );
    } catch (error) {
      setFault(error as Refused);
    }
    setBusy("");
  };
  const bringIn = async (told: Draft) => {
    setBusy(`Bringing ${told.file} in …`);
    setFault(null);
    try {
      await got(client.POST("/api/imports/{draft}/bring-in", { params: { path: { draft: told.draft } } }));
      setDone(`${told.file} is in.`);
      setDraft(null);
      cache.invalidateQueries();
    } catch (error) {
      setFault(error as Refused);
    }
    setBusy("");
  };
  const undo = async (id: number, file: string) => {
    setAsking(null);
    setFault(null);
    setBusy(`Taking ${file} back …`);
    try {
      await got(client.POST("/api/imports/{import_id}/undo", { params: { path: { import_id: id } } }));
      setDone(`${file} has been taken back.`);
      cache.invalidateQueries();
    } catch (error) {
      setFault(error as Refused);
    }
    setBusy("");
  };
  const onDrop = (event: DragEvent) => {
    event.preventDefault();
    setOver(false);
    const file = event.dataTransfer.files[0];
    if (file) choose(file);
  };
  return (
    <>
      <SetupParts />
      <h1>Bring in files</h1>
      <p className="lead">
        Scores, norms, growth norms and cuts, as CSV or a spreadsheet, with your own headers. Nothing is taken
        over before you have seen what is in the file, and every import can be undone whole.
      </p>
      {/* biome-ignore lint/a11y/noStaticElementInteractions: dropping is a second way; the button is the first */}
      <div
        className={over ? "drop over" : "drop"}
        onDragOver={(event) => {
          event.preventDefault();
          setOver(true);
        }}
        onDragLeave={() => setOver(false)}
        onDrop={onDrop}
      >
        <input
          ref={input}
          type="file"
          accept=".csv,.tsv,.txt,.xlsx,.xls,.ods,text/csv"
          className="unseen"
          aria-label="File to bring in"
          onChange={(event) => {
            const file = event.target.files?.[0];
            if (file) choose(file);
            event.target.value = "";
          }}
        />
        <button
          type="button"
          className={draft ? "plain" : "act"}
          onClick={() => input.current?.click()}
          disabled={Boolean(busy)}
        >
          Choose a file
        </button>
        <span className="quiet">or drop it here</span>
      </div>
      <div role="status" aria-live="polite">
        {busy && <p>{busy}</p>}
        {done && <p className="aside">{done}</p>}
      </div>
      {fault && (
        <div className="fault" role="alert">
          <p>{fault.message}</p>
          {fault.faults.length > 1 && (
            <ul>
              {fault.faults.slice(0, 20).map((one) => (
                <li key={`${one.line}${one.column}${one.message}`}>
                  line {one.line}
                  {one.column && `, column ${one.column}`}: {one.message}
                </li>
              ))}
            </ul>
          )}
        </div>
      )}
      {draft && (
        <Preview
          draft={draft}
          kind={KINDS[draft.kind] ?? draft.kind}
          busy={Boolean(busy)}
          onBringIn={() => bringIn(draft)}
          onChange={(changes) => change(draft, changes)}
          onLeave={() => setDraft(null)}
        />
      )}
      <h2 style={{ marginTop: 22 }}>What came in so far</h2>
      <Shown query={history}>
        {(rows) =>
          rows.length === 0 ? (
            <p className="quiet">Nothing yet.</p>
          ) : (
            <table className="rows" aria-label="Imports">
              <thead>
                <tr>
                  <th>File</th>
                  <th>Kind</th>
                  <th>What it did</th>
                  <th>Who</th>
                  <th>When</th>
                  <th />
                </tr>
              </thead>
              <tbody>
                {rows.map((row) => (
                  <tr key={row.id}>
                    <td>{row.file}</td>
                    <td>{KINDS[row.kind] ?? row.kind}</td>
                    <td>
                      {["new", "changed", "refused"]
                        .filter((name) => row.counts[name])
                        .map((name) => `${row.counts[name]} ${name}`)
                        .join(", ")}
                    </td>
                    <td>{row.by ?? "command line"}</td>
                    <td className="quiet">
                      {new Date(`${row.at}Z`).toLocaleString("en", {
                        dateStyle: "medium",
                        timeStyle: "short",
                      })}
                    </td>
                    <td className="num">
                      {row.state === "undone" && <span className="quiet">undone</span>}
                      {row.state === "done" && asking !== row.id && (
                        <button type="button" className="word" onClick={() => setAsking(row.id)}>
                          Undo
                        </button>
                      )}
                      {asking === row.id && (
                        <>
                          <span className="quiet">
                            Everything it brought goes, what it changed comes back.{" "}
                          </span>
                          <button type="button" className="word" onClick={() => undo(row.id, row.file)}>
                            Take it back
                          </button>{" "}
                          <button type="button" className="word" onClick={() => setAsking(null)}>
                            Keep it
                          </button>
                        </>
                      )}
                    </td>
                  </tr>
                ))}
              </tbody>
            </table>
          )
        }
      </Shown>
    </>
  );
}
