/** Setup: choose files, see what was understood, then bring them in together; and the history with undo. */
import { useQuery, useQueryClient } from "@tanstack/react-query";
import { type DragEvent, useRef, useState } from "react";
import { client, got, type Schemas } from "../api/client";
import { Shown } from "../step/Shown";
import { Busy } from "./Busy";
import { FaultBox } from "./FaultBox";
import { kindSaid } from "./kinds";
import { SetupParts } from "./SetupParts";
import { useWork } from "./useWork";
import { Waiting } from "./Waiting";

type Bundle = Schemas["BundleAnswer"];

export function SetupPage() {
  const cache = useQueryClient();
  const input = useRef<HTMLInputElement>(null);
  const [bundle, setBundle] = useState<Bundle | null>(null);
  const [over, setOver] = useState(false);
  const [asking, setAsking] = useState<number | null>(null);
  const history = useQuery({ queryKey: ["imports"], queryFn: () => got(client.GET("/api/imports")) });

  const { busy, fault, done, setDone, doing } = useWork();
  const choose = (files: File[]) => {
    const form = new FormData();
    for (const file of files) form.append("file", file);
    const what = files.length === 1 ? files[0]?.name : `${files.length} files`;
    return doing(`Reading ${what} …`, async () => {
      setBundle(null);
      setBundle(
        await got(
          client.POST("/api/imports/preview", {
            body: form as unknown as Schemas["Body_preview_api_imports_preview_post"],
            bodySerializer: (body) => body as unknown as FormData,
          }),
        ),
      );
    });
  };
  const undo = (id: number, file: string) =>
    doing(`Taking ${file} back …`, async () => {
      setAsking(null);
      await got(client.POST("/api/imports/{import_id}/undo", { params: { path: { import_id: id } } }));
      setDone(`${file} has been taken back.`);
      cache.invalidateQueries();
    });
  const onDrop = (event: DragEvent) => {
    event.preventDefault();
    setOver(false);
    if (event.dataTransfer.files.length) choose([...event.dataTransfer.files]);
  };
  return (
    <>
      <SetupParts />
      <h1>Bring in files</h1>
      <p className="lead">
        Rosters, scores, norms, cuts, standards, practice and more: as CSV or a spreadsheet with your own
        headers, as a OneRoster package, as CASE standards, one by one or several in a zip. Nothing is taken
        over before you have seen what is in it, and every import can be undone whole.
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
          multiple
          accept=".csv,.tsv,.txt,.xlsx,.xls,.ods,.zip,.json,text/csv"
          className="unseen"
          aria-label="Files to bring in"
          onChange={(event) => {
            const files = [...(event.target.files ?? [])];
            if (files.length) choose(files);
            event.target.value = "";
          }}
        />
        <button
          type="button"
          className={bundle ? "plain" : "act"}
          onClick={() => input.current?.click()}
          disabled={Boolean(busy)}
        >
          Choose files
        </button>
        <span className="quiet">or drop them here</span>
      </div>
      <div role="status" aria-live="polite">
        {busy && <Busy what={busy} />}
        {done && <p className="aside">{done}</p>}
      </div>
      {fault && <FaultBox fault={fault} />}
      {bundle && (
        <Waiting
          bundle={bundle}
          busy={Boolean(busy)}
          doing={doing}
          onChange={setBundle}
          onDone={(message) => {
            setDone(message);
            setBundle(null);
            cache.invalidateQueries();
          }}
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
                    <td style={{ whiteSpace: "normal", overflowWrap: "anywhere" }}>{row.file}</td>
                    <td>{kindSaid(row.kind)}</td>
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
