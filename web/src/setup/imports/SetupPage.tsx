/** Setup: choose files, see what was understood, then bring them in together; and the history with undo. */
import { useQueryClient } from "@tanstack/react-query";
import { type DragEvent, useRef, useState } from "react";
import { client, got, type Schemas } from "../../api/client";
import { setup as words } from "../../words/steps/setup";
import { SetupParts } from "../SetupParts";
import { useWork } from "../useWork";
import { FirstDay, useFirstDay } from "./FirstDay";
import { History } from "./History";
import { ImportWork } from "./ImportWork";
import { Samples } from "./Samples";
import { useWatched, WatchedFolder } from "./WatchedFolder";

type Bundle = Schemas["BundleAnswer"];

export function SetupPage() {
  const cache = useQueryClient();
  const input = useRef<HTMLInputElement>(null);
  const [bundle, setBundle] = useState<Bundle | null>(null);
  const [over, setOver] = useState(false);
  const work = useWork();
  const above = [useFirstDay(), useWatched()];
  const { busy, doing } = work;
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
  const look = (name: string, ask: () => Promise<Bundle>) =>
    doing(words.reading(name), async () => {
      setBundle(null);
      setBundle(await ask());
      cache.invalidateQueries({ queryKey: ["imports", "watched"] });
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
      {!bundle && <FirstDay />}
      {!bundle && <Samples busy={Boolean(busy)} onTry={look} />}
      <WatchedFolder work={work} onTry={look} />
      {/* What came in above it later would move it from under the mouse. */}
      {above.every((one) => one.isFetched) && <History work={work} />}
    </>
  );
}
