import { ui as words } from "../words/around/ui";
/** The same table as a workbook or as plain text. */

/** ``path`` without its ending; ``query`` as in the address; ``named``: say what it is, where several stand together. */
export function Download(props: { path: string; query?: string; what: string; named?: boolean }) {
  const { path, query, what, named } = props;
  const link = (form: string, word: string) => (
    <a
      className="word u-ink"
      href={`/api/${path}.${form}${query ? `?${query}` : ""}`}
      aria-label={`${word}: ${what}`}
      download
    >
      {word}
    </a>
  );
  return (
    <span className="download">
      {named && <span className="quiet">{what}: </span>}
      {link("xlsx", words.spreadsheet)} {link("csv", words.csv)}
    </span>
  );
}
