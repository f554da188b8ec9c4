/** Files that wait to be brought in together: each can be looked at, mended or left; then all come in, or none. */
import { useState } from "react";
import { client, got, type Schemas } from "../../api/client";
import { many } from "../../words/format";
import { setup as words } from "../../words/steps/setup";
import { kindSaid } from "../kinds";
import type { Changes } from "./Mapping";
import { Preview } from "./Preview";
import { Rehearsal } from "./Rehearsal";

type Bundle = Schemas["BundleAnswer"];

interface Props {
  bundle: Bundle;
  busy: boolean;
  doing: (what: string, work: () => Promise<void>) => Promise<void>;
  onChange: (bundle: Bundle | null) => void;
  onDone: (message: string) => void;
}

export function Waiting({ bundle, busy, doing, onChange, onDone }: Props) {
  const [open, setOpen] = useState<string | null>(null);
  const files = bundle.files;
  const shown = files.find((one) => one.draft === open) ?? files[0];
  if (!shown) return null;
  const unsure = files.filter((one) => one.mapping.to_confirm && !one.changes.confirmed);
  const asked = files.filter((one) => one.open_questions > 0);
  const lacking = files.filter((one) => one.mapping.missing.length > 0);
  const idle = files.every((one) => one.nothing_to_do);

  const bringIn = () =>
    doing(
      files.length === 1 ? words.bringingIn(shown.file) : words.bringingFilesIn(files.length),
      async () => {
        await got(client.POST("/api/imports/bring-in", { body: { drafts: files.map((one) => one.draft) } }));
        onDone(files.length === 1 ? words.isIn(shown.file) : words.filesAreIn(files.length));
      },
    );
  const change = (changes: Changes) =>
    doing(words.readingAgain(shown.file), async () => {
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
    doing(words.lookingAtTheOthersAgain, async () => {
      onChange(
        await got(client.POST("/api/imports/look", { body: { drafts: rest.map((one) => one.draft) } })),
      );
    });
  };

  return (
    <div className="u-above-14">
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
              ? words.oneFileCannotBeRead
              : words.filesCannotBeReadAnd(bundle.unread.length)}
          </p>
          <ul>
            {bundle.unread.map((one) => (
              <li key={one.draft}>{one.message}</li>
            ))}
          </ul>
        </div>
      )}
      {files.length > 1 && (
        <section aria-label={words.filesThatWait}>
          <h2>
            {files.length} {words.filesInTheOrderIn}
          </h2>
          <table className="rows" aria-label={words.files}>
            <thead>
              <tr>
                <th>{words.file}</th>
                <th>{words.kind}</th>
                <th className="num">{words.newWord}</th>
                <th className="num">{words.changed}</th>
                <th className="num">{words.refused2}</th>
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
                    {unsure.includes(one) && <span className="quiet"> {words.toBeLookedAt}</span>}
                    {asked.includes(one) && (
                      <span className="quiet"> {words.hasQuestions(one.open_questions)}</span>
                    )}
                    {lacking.includes(one) && <span className="quiet"> {words.lacksAColumn}</span>}
                  </td>
                  <td className="num">{many(one.counts.new ?? 0)}</td>
                  <td className="num">{many(one.counts.changed ?? 0)}</td>
                  <td className="num">{many(one.refused)}</td>
                  <td className="num">
                    <button type="button" className="word" onClick={() => leave(one.draft)} disabled={busy}>
                      {words.leaveIt}
                    </button>
                  </td>
                </tr>
              ))}
            </tbody>
          </table>
          <div className="u-in-row u-above-14 u-below-10">
            {idle ? (
              <p className="aside">{words.everythingInTheseFilesIs}</p>
            ) : (
              <button
                type="button"
                className="act"
                onClick={bringIn}
                disabled={busy || unsure.length > 0 || asked.length > 0 || lacking.length > 0}
              >
                {words.bringAll} {files.length}
              </button>
            )}
            <button type="button" className="plain" onClick={() => onChange(null)} disabled={busy}>
              {words.leaveThemAll}
            </button>
            {(unsure.length > 0 || asked.length > 0 || lacking.length > 0) && (
              <span className="quiet">{words.firstLookAtTheFiles}</span>
            )}
          </div>
        </section>
      )}
      {files.length > 1 && unsure.length + asked.length + lacking.length === 0 && !idle && (
        <Rehearsal
          drafts={files.map((one) => one.draft)}
          reading={JSON.stringify(files.map((one) => one.changes))}
        />
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
