/** What was understood of a file: counts, rows to look at, and what is refused and why. */
import type { Schemas } from "../../api/client";
import { many } from "../../words/format";
import { setup as words } from "../../words/steps/setup";
import { kindSaid } from "../kinds";
import { type Changes, Mapping, spelledOut } from "./Mapping";
import { Questions } from "./Questions";
import { Refused } from "./Refused";
import { Rehearsal } from "./Rehearsal";

interface Props {
  draft: Schemas["PreviewAnswer"];
  alone: boolean;
  busy: boolean;
  onBringIn: () => void;
  onChange: (changes: Changes) => void;
  onLeave: () => void;
}

/** What one of a kind is called; the rest of the words stand for many. */
const ONE: Record<string, string> = {
  assessments: "assessment",
  schools: "school",
  school_years: words.schoolYear,
  windows: "window",
  classes: "class",
  teachers: "teacher",
  programs: "program",
  students: "student",
  names_changed: words.nameChanged,
};

const WORDS: Record<string, string> = {
  new: "new",
  changed: "changed",
  same: words.alreadyThere,
  without_score: words.withoutAScore,
  school_years: words.schoolYears,
  names_changed: words.namesChanged,
};

const said = (name: string) => WORDS[name] ?? name;

export function Preview({ draft, alone, busy, onBringIn, onChange, onLeave }: Props) {
  const adds = Object.entries(draft.adds);
  const good = draft.rows - draft.refused;
  const waits = draft.mapping.to_confirm && !draft.changes.confirmed;
  return (
    <section aria-label={words.whatTheFileHolds}>
      <h2>
        {draft.file}: {kindSaid(draft.kind)}, {many(draft.rows)} {words.rows2}
      </h2>
      <div className="tally">
        {Object.entries(draft.counts)
          .filter(([name, n]) => n > 0 || name === "new" || name === "changed")
          .map(([name, n]) => (
            <div key={name}>
              {many(n)}
              <span>{said(name)}</span>
            </div>
          ))}
        <div>
          {many(draft.refused)}
          <span>{words.refused}</span>
        </div>
      </div>
      {adds.length > 0 && (
        <p className="quiet">
          {words.alsoAdded}{" "}
          {adds
            .map(([name, n]) =>
              n === 1 ? `1 ${ONE[name] ?? said(name).replace(/s$/, "")}` : `${many(n)} ${said(name)}`,
            )
            .join(", ")}
          .
        </p>
      )}
      {draft.unknown_columns.length > 0 && (
        <p className="quiet">
          {words.theseColumnsAreNotKnown} {draft.unknown_columns.join(", ")}.
        </p>
      )}
      {draft.notices.map((notice) => (
        <p className="quiet" key={notice}>
          {notice[0]?.toUpperCase()}
          {notice.slice(1)}.
        </p>
      ))}
      {draft.seen_before && <p className="quiet">{words.thisVeryFileHasBeen}</p>}
      <div className="u-in-row u-above-14 u-below-10">
        {draft.mapping.missing.length > 0 ? null : waits ? (
          <button
            type="button"
            className="act"
            onClick={() => onChange({ ...spelledOut(draft), confirmed: true })}
            disabled={busy}
          >
            {words.thisIsHowTheFile}
          </button>
        ) : !alone ? null : draft.nothing_to_do ? (
          <p className="aside">{words.everythingInThisFileIs}</p>
        ) : (
          <button
            type="button"
            className="act"
            onClick={onBringIn}
            disabled={busy || draft.open_questions > 0}
          >
            {draft.refused
              ? words.bringInThe(good === 1 ? "good row" : `${many(good)} good rows`)
              : words.bringItIn}
          </button>
        )}
        {alone && (
          <button type="button" className="plain" onClick={onLeave} disabled={busy}>
            {words.leaveIt}
          </button>
        )}
        {!waits && draft.open_questions > 0 && (
          <span className="quiet">{words.answerFirst(draft.open_questions)}</span>
        )}
      </div>
      {(draft.mapping.source !== "as it is" || draft.mapping.sheets.length > 1) && (
        <Mapping draft={draft} busy={busy} onChange={onChange} />
      )}
      {/* Who is who and single cells come after how the whole file is read. */}
      <Questions draft={draft} busy={busy || waits} onChange={onChange} />
      {alone &&
        !waits &&
        !draft.nothing_to_do &&
        draft.open_questions === 0 &&
        draft.mapping.missing.length === 0 && (
          <Rehearsal drafts={[draft.draft]} reading={JSON.stringify(draft.changes)} />
        )}
      <Refused draft={draft} busy={busy || draft.mapping.to_confirm} onChange={onChange} />
      {draft.sample.length > 0 && (
        <>
          <h2 className="u-above-14">{words.rows}</h2>
          {/* biome-ignore lint/a11y/noNoninteractiveTabindex: the list scrolls on its own */}
          <section className="scroll" tabIndex={0} aria-label={words.rowsThatAreNewOr}>
            <table className="rows">
              <thead>
                <tr>
                  <th className="num">{words.line2}</th>
                  <th>{words.what}</th>
                  <th>{words.becomes}</th>
                </tr>
              </thead>
              <tbody>
                {draft.sample.map((row) => (
                  <tr key={`${row.line} ${row.what}`}>
                    <td className="num">{row.line}</td>
                    <td>{row.what}</td>
                    <td className="u-wraps">
                      {row.act}
                      {row.detail && <span className="quiet">: {row.detail}</span>}
                    </td>
                  </tr>
                ))}
              </tbody>
            </table>
          </section>
          <p className="quiet small">
            {words.theFirst} {draft.sample.length} {words.rowsThatAreNewOr2}
          </p>
        </>
      )}
    </section>
  );
}
