/** Help given: minutes and sessions by student, group, adult and school; and whether help of a kind worked. */
import { useQuery } from "@tanstack/react-query";
import { useMemo } from "react";
import { client, got, type Schemas } from "../../api/client";
import { usePanel } from "../../panel/PanelContext";
import { Name } from "../../people/Hiding";
import { useMe } from "../../people/me";
import { PinMark } from "../../pins/PinMark";
import type { Scope } from "../../scope/scope";
import { Shown } from "../../step/Shown";
import { useStepParam } from "../../step/useStepParam";
import { Choice } from "../../ui/Choice";
import { Download } from "../../ui/Download";
import { sorted, useSorting } from "../../ui/lists/sorting";
import { useFirst } from "../../ui/lists/useFirst";
import { PrintButton } from "../../ui/PrintButton";
import { percent, score } from "../../words/format";
import { followUp as words } from "../../words/steps/follow-up";
import css from "../followUp.module.css";
import { PeriodLine } from "../period/PeriodLine";
import { usePeriod } from "../period/usePeriod";
import { ShareBar } from "../ShareBar";
import { KindHelped } from "./KindHelped";

type Row = Schemas["GivenRow"];
type By = Schemas["GivenAnswer"]["by"];
type Column = "value" | "minutes" | "share" | "required" | "short" | "sessions" | "attended" | "made_up";

const BY: [By, string][] = [
  ["student", words.byStudent],
  ["group", words.byGroup],
  ["adult", words.byAdult],
  ["school", words.bySchool],
];

const SHOWN = 60;
const MORE = 200;

function Value({ row, by }: { row: Row; by: By }) {
  const { openStudent, open } = usePanel();
  if (by === "student")
    return (
      <>
        <PinMark id={row.key} name={row.value} />{" "}
        <button type="button" className="open" onClick={() => openStudent({ id: row.key, name: row.value })}>
          <Name name={row.value} />
        </button>
      </>
    );
  return (
    <button
      type="button"
      className="open"
      onClick={() => open({ named: { title: row.value, students: row.students } })}
    >
      {row.value}
    </button>
  );
}

function Table({ rows, by: unit }: { rows: Row[]; by: By }) {
  const { by, header } = useSorting<Column>({ key: "short", down: true });
  const ordered = useMemo(
    () =>
      sorted(rows, by, (row, key) =>
        key === "attended" ? (row.held ? row.attended / row.held : null) : row[key],
      ),
    [rows, by],
  );
  const [shown, more] = useFirst(ordered.length, SHOWN, MORE);
  return (
    <section className="wide-table">
      <table className="rows">
        <caption className="unseen">{words.helpGiven}</caption>
        <thead>
          <tr>
            {header("value", BY.find(([key]) => key === unit)?.[1] ?? "")}
            {header("minutes", words.minutesHead, { num: true })}
            {header("share", words.ofThePlan)}
            {header("required", words.required, { num: true })}
            {header("short", words.short, { num: true, title: words.shortMeans })}
            {header("sessions", words.sessionsHeld, { num: true })}
            {header("attended", words.attendedHead, { num: true })}
            {unit === "student" && header("made_up", words.madeUp)}
          </tr>
        </thead>
        <tbody>
          {ordered.slice(0, shown).map((row) => (
            <tr key={row.key}>
              <td>
                <Value row={row} by={unit} />
                {unit !== "student" && (
                  <span className="quiet small"> {words.ofStudents(row.students.length)}</span>
                )}
              </td>
              <td className="num">
                {score(row.minutes)}
                <span className="quiet small"> / {score(row.planned)}</span>
              </td>
              <td>
                <ShareBar share={row.share} />
              </td>
              <td className="num">{score(row.required)}</td>
              <td className="num">{score(row.short)}</td>
              <td className="num">
                {row.sessions}
                {row.not_held > 0 && <span className="quiet small"> {words.notHeldCount(row.not_held)}</span>}
              </td>
              <td className="num">{row.held ? percent(row.attended / row.held) : "–"}</td>
              {unit === "student" && <td className="wraps">{row.made_up}</td>}
            </tr>
          ))}
        </tbody>
      </table>
      {more}
    </section>
  );
}

export function GivenView({ scope }: { scope: Scope }) {
  const me = useMe();
  const { query } = usePeriod();
  const [chosen, setChosen] = useStepParam("given-by");
  const by = BY.find(([key]) => key === chosen)?.[0] ?? "student";
  const answer = useQuery({
    queryKey: ["follow-up", "given", by, query],
    queryFn: () => got(client.GET("/api/follow-up/given", { params: { query: { ...query, by } } })),
    placeholderData: (before) => before,
  });
  return (
    <Shown query={answer}>
      {(data) => (
        <>
          <PeriodLine first={words.sinceTheHelpBegan} shown={data} />
          <h1>{data.headline}</h1>
          <p className="lead">{data.lead}</p>
          <div className={css.bar}>
            <Choice label={words.by} value={by} options={BY} onChange={setChosen} />
            {me.may_export && (
              <Download
                path="follow-up/given"
                query={new URLSearchParams([
                  ["by", by],
                  ...Object.entries(query).map(([key, one]) => [key, String(one)] as [string, string]),
                ]).toString()}
                what={words.thisTable}
              />
            )}
            <PrintButton />
          </div>
          <Table rows={data.rows} by={data.by} />
          <KindHelped scope={scope} />
        </>
      )}
    </Shown>
  );
}
