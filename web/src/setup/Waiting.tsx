/** Files that wait to be brought in together: each can be looked at, mended or left; then all come in, or none. */
import { useState } from "react";
import { client, got, type Schemas } from "../api/client";
import { kindSaid } from "./kinds";
import type { Changes } from "./Mapping";
import { Preview } from "./Preview";

type Bundle = Schemas["BundleAnswer"];

interface Props {
  bundle: Bundle;
  busy: boolean;
  doing: (what: string, work: () => Promise<void>) => Promise<void>;
  onChange: (bundle: Bundle | null) => void;
  onDone: (message: string) => void;
}

const many = (n: number) => n.toLocaleString("en");

export function Waiting({ bundle, busy, doing, onChange, onDone }: Props) {
  const [open, setOpen] = useState<string | null>(null);
  const files = bundle.files;
  const shown = files.find((one) => one.draft === open) ?? files[0];
  if (!shown) return null;
  const unsure = files.filter((one) => one.mapping.to_confirm && !one.changes.confirmed);
  const lacking = files.filter((one) => one.mapping.missing.length > 0);
  const idle = files.every((one) => one.nothing_to_do);

  const bringIn = () =>
    doing(
      files.length === 1 ? `Bringing ${shown.file} in …` : `Bringing ${files.length} files in …`,
      async () => {
        await got(client.POST("/api/imports/bring-in", { body: { drafts: files.map((one) => one.draft) } }));
        onDone(files.length === 1 ? `${shown.file} is in.` : `${files.length} files are in.`);
      },
    );
  const change = (changes: Changes) =>
    doing(`Reading ${shown.file} again …`, async () => {
      onChange(
        await got(
          client.POST("/api/imports/{draft}/changes", {
            params: { path: { draft: shown.draft }, query: { beside: files.map((one) => one.draft) } },
            body: changes,
          }),
        ),
      );
    });
  const leave = (draft: string) => {
    const rest = files.filter((one) => one.draft !== draft);
    if (rest.length === 0) {
      onChange(null);
      return;
    }
    doing("Looking at the others again …", async () => {
      onChange(
        await got(client.POST("/api/imports/look", { body: { drafts: rest.map((one) => one.draft) } })),
      );
    });
  };

  return (
    <div style={{ marginTop: 16 }}>
      {bundle.notices?.map((notice) => (
        <p className="quiet" key={notice}>
          {notice[0]?.toUpperCase()}
          {notice.slice(1)}.
        </p>
      ))}
      {bundle.unread.length > 0 && (
        <div className="fault" role="alert">
          <p>
            {bundle.unread.length === 1
              ? "One file cannot be read and stays out:"
              : `${bundle.unread.length} files cannot be read and stay out:`}
          </p>
          <ul>
            {bundle.unread.map((one) => (
              <li key={one.draft}>{one.message}</li>
            ))}
          </ul>
        </div>
      )}
      {files.length > 1 && (
        <section aria-label="Files that wait">
          <h2>{files.length} files, in the order in which they come in</h2>
          <table className="rows" aria-label="Files">
            <thead>
              <tr>
                <th>File</th>
                <th>Kind</th>
                <th className="num">New</th>
                <th className="num">Changed</th>
                <th className="num">Refused</th>
                <th />
              </tr>
            </thead>
            <tbody>
              {files.map((one) => (
                <tr key={one.draft} className={one === shown ? "chosen" : undefined}>
                  <td>
                    <button
                      type="button"
                      className="word"
                      aria-pressed={one === shown}
                      onClick={() => setOpen(one.draft)}
                    >
                      {one.file}
                    </button>
                  </td>
                  <td>
                    {kindSaid(one.kind)}
                    {unsure.includes(one) && <span className="quiet"> △ to be looked at</span>}
                    {lacking.includes(one) && <span className="quiet"> △ lacks a column</span>}
                  </td>
                  <td className="num">{many(one.counts.new ?? 0)}</td>
                  <td className="num">{many(one.counts.changed ?? 0)}</td>
                  <td className="num">{many(one.refused)}</td>
                  <td className="num">
                    <button type="button" className="word" onClick={() => leave(one.draft)} disabled={busy}>
                      Leave it
                    </button>
                  </td>
                </tr>
              ))}
            </tbody>
          </table>
          <div style={{ display: "flex", gap: 10, margin: "12px 0", alignItems: "baseline" }}>
            {idle ? (
              <p className="aside">Everything in these files is there already; nothing would change.</p>
            ) : (
              <button
                type="button"
                className="act"
                onClick={bringIn}
                disabled={busy || unsure.length > 0 || lacking.length > 0}
              >
                Bring all {files.length} in
              </button>
            )}
            <button type="button" className="plain" onClick={() => onChange(null)} disabled={busy}>
              Leave them all
            </button>
            {(unsure.length > 0 || lacking.length > 0) && (
              <span className="quiet">First look at the files with a triangle.</span>
            )}
          </div>
        </section>
      )}
      <Preview
        draft={shown}
        alone={files.length === 1}
        busy={busy}
        onBringIn={bringIn}
        onChange={change}
        onLeave={() => leave(shown.draft)}
      />
    </div>
  );
}
