/** Which column of the file is which of Bodkin's, what its values mean, and how its dates are written. */
import type { Schemas } from "../api/client";

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
  "as it is": "The file has Bodkin's own headers.",
  remembered: "Read as it was confirmed for an earlier file with these headers.",
  proposed: "Guessed from the headers and values: look them over once, then Bodkin remembers.",
  "by hand": "Read as you say; Bodkin remembers it for the next file with these headers.",
};
const HINTS: Record<string, string> = {
  grade: "K or 1 to 12",
  season: "fall, winter or spring",
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
        How the file is read <span className="quiet">{WHENCE[mapping.source]}</span>
      </summary>
      {mapping.missing.length > 0 && (
        <p className="fault" role="alert">
          Nothing in the file stands for {mapping.missing.join(", ")} yet. Say which column it is.
        </p>
      )}
      <div className="columns">
        <table className="rows" aria-label="Columns">
          <thead>
            <tr>
              <th>In the file</th>
              <th>Is</th>
            </tr>
          </thead>
          <tbody>
            {mapping.headers.map((one) => (
              <tr key={one.name}>
                <td>{one.title}</td>
                <td>
                  <select
                    className="input"
                    aria-label={`${one.title} is`}
                    value={one.column ?? ""}
                    disabled={busy || one.column === one.name}
                    onChange={(event) => stand(one.name, event.target.value)}
                  >
                    <option value="">kept out</option>
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
            <table className="rows" aria-label="Values">
              <thead>
                <tr>
                  <th>Column</th>
                  <th>In the file</th>
                  <th>Means</th>
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
                        aria-label={`${one.value} means`}
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
                Dates are written{" "}
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
              {mapping.day_formats.length > 1 && (
                <span className="quiet"> Every date of the file fits more than one way; make sure.</span>
              )}
            </p>
          )}
        </div>
      </div>
    </details>
  );
}
