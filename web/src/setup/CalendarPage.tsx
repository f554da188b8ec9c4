/** Setup: school years, windows and closures, drawn over the year and edited in place. */
import { useQuery } from "@tanstack/react-query";
import { useState } from "react";
import { client, got, type Schemas } from "../api/client";
import { Shown } from "../step/Shown";
import { useWidth } from "../ui/useWidth";
import { setup as words } from "../words/steps/setup";
import { EditBar } from "./EditBar";
import { SetupParts } from "./SetupParts";
import { TimeZone } from "./TimeZone";
import { useEdited } from "./useEdited";

type Row = Schemas["CalendarRow"];
type Edited = { kind: string; name: string; from: string; to: string };

const day = (text: string) => Date.parse(text) / 86_400_000;
const said = (text: string | null | undefined) =>
  text
    ? new Date(`${text}T12:00:00Z`).toLocaleDateString("en", {
        day: "numeric",
        month: "short",
        year: "numeric",
      })
    : words.notKnown;

/** The school year whose days hold a row, or whose name begins its name. */
const yearOf = (row: Row, years: Row[]) =>
  row.kind === "window"
    ? years.find((year) => row.name.startsWith(year.name))
    : years.find(
        (year) =>
          year.first_day &&
          year.last_day &&
          row.first_day &&
          row.first_day >= year.first_day &&
          row.first_day <= year.last_day,
      );

function YearStrip({ year, rows, width }: { year: Row; rows: Row[]; width: number }) {
  if (!year.first_day || !year.last_day)
    return (
      <p className="quiet">
        {words.theDaysOf} {year.name} {words.areNotKnown}
      </p>
    );
  const [first, last] = [day(year.first_day), day(year.last_day)];
  const x = (text: string) => ((day(text) - first) / (last - first)) * (width - 2) + 1;
  const months: string[] = [];
  for (
    let at = new Date(`${year.first_day}T00:00:00Z`);
    day(at.toISOString()) <= last;
    at.setUTCMonth(at.getUTCMonth() + 1, 1)
  )
    months.push(at.toISOString().slice(0, 10));
  const written = rows
    .filter((row) => row.kind !== "school year")
    .map((row) => words.to(row.name, said(row.first_day), said(row.last_day)))
    .join("; ");
  return (
    <svg width={width} height={62} role="img" aria-label={`${year.name}: ${written}`} className="u-block">
      <line x1={0} x2={width} y1={44} y2={44} stroke="var(--line)" />
      {months
        .filter((month, at) => !at || x(month) - x(months[at - 1] ?? month) > 28 || at > 1)
        .map((month) => (
          <text key={month} x={x(month)} y={58} fontSize={11} fill="var(--quiet)">
            {new Date(`${month}T12:00:00Z`).toLocaleDateString("en", { month: "short" })}
          </text>
        ))}
      {rows.map((row) => {
        if (!row.first_day || !row.last_day || row.kind === "school year") return null;
        const [from, wide] = [x(row.first_day), Math.max(2, x(row.last_day) - x(row.first_day))];
        return row.kind === "window" ? (
          <g key={row.name}>
            <rect x={from} y={20} width={wide} height={24} fill="var(--ramp-3)" />
            <text x={from} y={14} fontSize={12} fill="var(--ink)">
              {row.name.split(" ")[1]}
            </text>
          </g>
        ) : (
          <rect
            key={`${row.name}${row.first_day}`}
            x={from}
            y={34}
            width={wide}
            height={10}
            fill="none"
            stroke="var(--ink)"
            strokeDasharray="2 2"
          >
            <title>{row.name}</title>
          </rect>
        );
      })}
    </svg>
  );
}

function Table({ rows }: { rows: Row[] }) {
  const of = useEdited("calendar");
  const [edited, setEdited] = useState<Edited[]>([]);
  const [box, width] = useWidth<HTMLDivElement>(900);
  const years = rows.filter((row) => row.kind === "school year");
  const begin = () =>
    setEdited(
      rows.map((row) => ({
        kind: row.kind,
        name: row.name,
        from: row.first_day ?? "",
        to: row.last_day ?? "",
      })),
    );
  const change = (at: number, name: keyof Edited, value: string) =>
    setEdited(edited.map((one, place) => (place === at ? { ...one, [name]: value } : one)));
  const written = () => edited.filter((one) => one.from || one.to || one.name).map((one) => ({ ...one }));
  return (
    <>
      <div ref={box}>
        {years.map((year) => (
          <section key={year.name} aria-label={year.name}>
            <h2 className="u-above-14">{year.name}</h2>
            <YearStrip year={year} rows={rows.filter((row) => yearOf(row, years) === year)} width={width} />
          </section>
        ))}
      </div>
      <p className="quiet small">{words.filledWindowsDashedDaysWithout}</p>
      <EditBar what={words.days} of={of} rows={written} onEdit={begin} />
      <table className="rows u-above-8" aria-label={words.calendar}>
        <thead>
          <tr>
            <th>{words.what}</th>
            <th>{words.name}</th>
            <th>{words.firstDay}</th>
            <th>{words.lastDay}</th>
          </tr>
        </thead>
        <tbody>
          {of.editing
            ? edited.map((one, at) => (
                // biome-ignore lint/suspicious/noArrayIndexKey: rows are neither sorted nor removed while edited
                <tr key={at}>
                  <td>
                    {at < rows.length ? (
                      one.kind
                    ) : (
                      <select
                        className="input narrow"
                        aria-label={words.whatRowIs(at + 1)}
                        value={one.kind}
                        onChange={(event) => change(at, "kind", event.target.value)}
                      >
                        {[words.schoolYear, "window", "closure"].map((kind) => (
                          <option key={kind}>{kind}</option>
                        ))}
                      </select>
                    )}
                  </td>
                  <td>
                    {at < rows.length ? (
                      one.name
                    ) : (
                      <input
                        className="input"
                        aria-label={words.nameOfRow(at + 1)}
                        value={one.name}
                        onChange={(event) => change(at, "name", event.target.value)}
                      />
                    )}
                  </td>
                  {(["from", "to"] as const).map((name) => (
                    <td key={name}>
                      <input
                        type="date"
                        className="input u-auto"
                        aria-label={words.dayOf(
                          name === "from" ? "First" : "Last",
                          one.name || `row ${at + 1}`,
                        )}
                        value={one[name]}
                        onChange={(event) => change(at, name, event.target.value)}
                      />
                    </td>
                  ))}
                </tr>
              ))
            : rows.map((row) => (
                <tr key={`${row.kind} ${row.name} ${row.first_day}`}>
                  <td>{row.kind}</td>
                  <td>{row.name}</td>
                  <td>{said(row.first_day)}</td>
                  <td>{said(row.last_day)}</td>
                </tr>
              ))}
        </tbody>
      </table>
      {of.editing && (
        <button
          type="button"
          className="word"
          onClick={() => setEdited([...edited, { kind: "window", name: "", from: "", to: "" }])}
        >
          {words.oneRowMore}
        </button>
      )}
    </>
  );
}

export function CalendarPage() {
  const all = useQuery({ queryKey: ["calendar"], queryFn: () => got(client.GET("/api/calendar")) });
  return (
    <>
      <SetupParts />
      <h1>{words.calendar}</h1>
      <TimeZone />
      <Shown query={all}>
        {(rows) => (
          <>
            {rows.length === 0 && <p className="lead">{words.nothingIsKnownOfThe}</p>}
            <Table rows={rows} />
          </>
        )}
      </Shown>
    </>
  );
}
