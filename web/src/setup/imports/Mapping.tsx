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
const OWN = "%Y-%m-%d";
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

interface DatesProps {
  mapping: Draft["mapping"];
  busy: boolean;
  onChange: (way: string) => void;
}

/** How dates are written, each way with the same dates of the file written out. */
function Dates({ mapping, busy, onChange }: DatesProps) {
  const chosen = mapping.day_format ?? OWN;
  const ways = [...new Set([chosen, ...mapping.day_formats])];
  return (
    <fieldset className="dates">
      <legend>{words.datesAreWritten}</legend>
      {ways.map((way) => (
        <label key={way}>
          <input
            type="radio"
            name="day-format"
            checked={way === chosen}
            disabled={busy}
            onChange={() => onChange(way)}
          />{" "}
          {mapping.day_words[way] ?? way}
          <span className="quiet small">
            {" "}
            {(mapping.day_samples[way] ?? [])
              .map((one) => `${one.written} ${one.read ? words.isThisDay(one.read) : words.cannotBeReadSo}`)
              .join("; ")}
          </span>
        </label>
      ))}
      {mapping.day_formats.length > 1 && <p className="quiet">{words.everyDateOfTheFile}</p>}
      {mapping.days_unread > 0 && <p className="fault">{words.datesDoNotFit(mapping.days_unread)}</p>}
    </fieldset>
  );
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
      {mapping.sheets.length > 1 && (
        <p>
          <label>
            {words.readFromSheet}{" "}
            <select
              className="input hour"
              value={mapping.sheet ?? ""}
              disabled={busy}
              onChange={(event) =>
                // Another sheet is another table: what was said of the first says nothing of it.
                onChange({
                  sheet: event.target.value,
                  by_hand: false,
                  confirmed: false,
                  columns: {},
                  values: {},
                  answers: {},
                  edits: [],
                })
              }
            >
              {mapping.sheets.map((name) => (
                <option key={name}>{name}</option>
              ))}
            </select>
          </label>
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
            <Dates
              mapping={mapping}
              busy={busy}
              onChange={(day_format) => onChange({ ...now, day_format })}
            />
          )}
        </div>
      </div>
    </details>
  );
}
