/** The same table as a workbook or as plain text. */

/** ``path`` without its ending; ``query`` as it stands in the address. */
export function Download({ path, query, what }: { path: string; query?: string; what: string }) {
  const link = (form: string, word: string) => (
    <a
      className="word"
      style={{ color: "inherit" }}
      href={`/api/${path}.${form}${query ? `?${query}` : ""}`}
      aria-label={`${word}: ${what}`}
      download
    >
      {word}
    </a>
  );
  return (
    <span className="download">
      {link("xlsx", "Spreadsheet")} {link("csv", "CSV")}
    </span>
  );
}
