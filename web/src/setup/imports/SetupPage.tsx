/** Setup: choose files, see what was understood, then bring them in together; and the history with undo. */
import { useQuery, useQueryClient } from "@tanstack/react-query";
import { type DragEvent, useRef, useState } from "react";
import { client, got, type Schemas } from "../../api/client";
import { Shown } from "../../step/Shown";
import { setup as words } from "../../words/steps/setup";
import { kindSaid } from "../kinds";
import { SetupParts } from "../SetupParts";
import { useWork } from "../useWork";
import { ImportWork } from "./ImportWork";

type Bundle = Schemas["BundleAnswer"];

export function SetupPage() {
  const cache = useQueryClient();
  const input = useRef<HTMLInputElement>(null);
  const [bundle, setBundle] = useState<Bundle | null>(null);
  const [over, setOver] = useState(false);
  const [asking, setAsking] = useState<number | null>(null);
  const history = useQuery({ queryKey: ["imports"], queryFn: () => got(client.GET("/api/imports")) });

  const work = useWork();
  const { busy, setDone, doing } = work;
  const choose = (files: File[]) => {
    const form = new FormData();
    for (const file of files) form.append("file", file);
    const what = files.length === 1 ? files[0]?.name : words.files2(files.length);
    return doing(words.reading(what), async () => {
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
    doing(words.takingBack(file), async () => {
      setAsking(null);
      await got(client.POST("/api/imports/{import_id}/undo", { params: { path: { import_id: id } } }));
      setDone(words.hasBeenTakenBack(file));
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
      <h1>{words.bringInFiles}</h1>
      <p className="lead">{words.rostersScoresNormsCutsStandards}</p>
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
          aria-label={words.filesToBringIn}
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
          {words.chooseFiles}
        </button>
        <span className="quiet">{words.orDropThemHere}</span>
      </div>
      <ImportWork work={work} bundle={bundle} onBundle={setBundle} />
      <h2 style={{ marginTop: 22 }}>{words.whatCameInSoFar}</h2>
      <Shown query={history}>
        {(rows) =>
          rows.length === 0 ? (
            <p className="quiet">{words.nothingYet}</p>
          ) : (
            <table className="rows" aria-label={words.imports}>
              <thead>
                <tr>
                  <th>{words.file}</th>
                  <th>{words.kind}</th>
                  <th>{words.whatItDid}</th>
                  <th>{words.who}</th>
                  <th>{words.when}</th>
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
                    <td>{row.by ?? words.commandLine}</td>
                    <td className="quiet">
                      {new Date(`${row.at}Z`).toLocaleString("en", {
                        dateStyle: "medium",
                        timeStyle: "short",
                      })}
                    </td>
                    <td className="num">
                      {row.state === "undone" && <span className="quiet">{words.undone}</span>}
                      {row.state === "done" && asking !== row.id && (
                        <button type="button" className="word" onClick={() => setAsking(row.id)}>
                          {words.undo}
                        </button>
                      )}
                      {asking === row.id && (
                        <>
                          <span className="quiet">{words.everythingItBroughtGoesWhat} </span>
                          <button type="button" className="word" onClick={() => undo(row.id, row.file)}>
                            {words.takeItBack}
                          </button>{" "}
                          <button type="button" className="word" onClick={() => setAsking(null)}>
                            {words.keepIt}
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
