/** Which column of the file is which of Bodkin's, what its values mean, and how its dates are written. */
import type { Schemas } from "../../api/client";
import { setup as words } from "../../words/steps/setup";

type Draft = Schemas["PreviewAnswer"];
export type Changes = Schemas["DraftChanges"];

/** What is on screen, as the person's own word: every choice written out. */
export function spelledOut(draft: Draft): Changes {
  const { mapping, changes } = draft;
  const columns: Record<string, string> = {};
  for (const one of mapping.headers) {
    if (one.column && one.column !== one.name) columns[one.name] = one.column;
  }
  const values: Record<string, Record<string, string>> = {};
  for (const one of mapping.values) {
    if (one.read_as) values[one.column] = { ...values[one.column], [one.value]: one.read_as };
  }
  return { ...changes, kind: draft.kind, by_hand: true, columns, values, day_format: mapping.day_format };
}

const WHENCE: Record<string, string> = {
  "as it is": words.theFileHasBodkinS,
  remembered: words.readAsItWasConfirmed,
  proposed: words.guessedFromTheHeadersAnd,
  "by hand": words.readAsYouSayBodkin,
};
const HINTS: Record<string, string> = {
  grade: words.kOr1To12,
  season: words.fallWinterOrSpring,
  window: "2026-27 fall",
};

/** What every part of the preview that asks something needs. */
export interface Asking {
  draft: Draft;
  busy: boolean;
  onChange: (changes: Changes) => void;
}

export function Mapping({ draft, busy, onChange }: Asking) {
  const { mapping } = draft;
  const now = spelledOut(draft);
  const stand = (name: string, column: string) => {
    const columns = Object.fromEntries(
      Object.entries(now.columns ?? {}).filter(([header, other]) => header !== name && other !== column),
    );
    // A header that is Bodkin's own name and is kept out must be sent somewhere else.
    onChange({
      ...now,
      columns: column === name ? columns : { ...columns, ...(column && { [name]: column }) },
    });
  };
  const means = (column: string, value: string, ours: string) => {
    const meanings = { ...now.values?.[column] };
    delete meanings[value];
    if (ours.trim()) meanings[value] = ours.trim();
    onChange({ ...now, values: { ...now.values, [column]: meanings } });
  };
  const free = mapping.choices.map((one) => one.name);
  return (
    <details className="mapping" open={mapping.to_confirm || mapping.missing.length > 0}>
      <summary>
        {words.howTheFileIsRead} <span className="quiet">{WHENCE[mapping.source]}</span>
      </summary>
      {mapping.missing.length > 0 && (
        <p className="fault" role="alert">
          {words.nothingInTheFileStands} {mapping.missing.join(", ")} {words.yetSayWhichColumnIt}
        </p>
      )}
      <div className="columns">
        <table className="rows" aria-label={words.columns}>
          <thead>
            <tr>
              <th>{words.inTheFile}</th>
              <th>{words.is}</th>
            </tr>
          </thead>
          <tbody>
            {mapping.headers.map((one) => (
              <tr key={one.name}>
                <td>{one.title}</td>
                <td>
                  <select
                    className="input"
                    aria-label={words.is2(one.title)}
                    value={one.column ?? ""}
                    disabled={busy || one.column === one.name}
                    onChange={(event) => stand(one.name, event.target.value)}
                  >
                    <option value="">{words.keptOut}</option>
                    {free.map((name) => (
                      <option key={name} value={name}>
                        {name.replaceAll("_", " ")}
                      </option>
                    ))}
                  </select>
                </td>
              </tr>
            ))}
          </tbody>
        </table>
        <div>
          {mapping.values.length > 0 && (
            <table className="rows" aria-label={words.values}>
              <thead>
                <tr>
                  <th>{words.column2}</th>
                  <th>{words.inTheFile}</th>
                  <th>{words.means}</th>
                </tr>
              </thead>
              <tbody>
                {mapping.values.map((one) => (
                  <tr key={`${one.column} ${one.value}`}>
                    <td>{one.column}</td>
                    <td>{one.value}</td>
                    <td>
                      <input
                        className="input"
                        aria-label={words.means2(one.value)}
                        defaultValue={one.read_as ?? ""}
                        placeholder={HINTS[one.column]}
                        disabled={busy}
                        onBlur={(event) => {
                          if (event.target.value !== (one.read_as ?? ""))
                            means(one.column, one.value, event.target.value);
                        }}
                      />
                    </td>
                  </tr>
                ))}
              </tbody>
            </table>
          )}
          {(mapping.day_formats.length > 1 || mapping.day_format) && (
            <p>
              <label>
                {words.datesAreWritten}{" "}
                <select
                  className="input"
                  style={{ width: "auto" }}
                  value={mapping.day_format ?? "%Y-%m-%d"}
                  disabled={busy}
                  onChange={(event) => onChange({ ...now, day_format: event.target.value })}
                >
                  {[...new Set([mapping.day_format ?? "%Y-%m-%d", ...mapping.day_formats])].map((way) => (
                    <option key={way} value={way}>
                      {mapping.day_words[way] ?? way}
                    </option>
                  ))}
                </select>
              </label>
              {mapping.day_formats.length > 1 && <span className="quiet"> {words.everyDateOfTheFile}</span>}
            </p>
          )}
        </div>
      </div>
    </details>
  );
}
