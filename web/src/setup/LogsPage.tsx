/** The logs: who opened which student, and who exported what; the latest first. */
import { useInfiniteQuery } from "@tanstack/react-query";
import { type ReactNode, useState } from "react";
import { client, got } from "../api/client";
import { StudentName } from "../panel/StudentName";
import { useMe } from "../people/me";
import { Choice } from "../ui/Choice";
import { many, moment } from "../words/format";
import { setup as words } from "../words/steps/setup";
import { SetupParts } from "./SetupParts";

type Which = "views" | "exports";
const PAGE = 100;

function useLines<T extends { id: number }>(which: Which, page: (before?: number) => Promise<T[]>) {
  return useInfiniteQuery({
    queryKey: ["logs", which],
    queryFn: ({ pageParam }) => page(pageParam),
    initialPageParam: undefined as number | undefined,
    getNextPageParam: (last) => (last.length === PAGE ? last.at(-1)?.id : undefined),
    staleTime: 0,
  });
}

function Lines<T extends { id: number; at: string; by: string; role: string }>(props: {
  query: ReturnType<typeof useLines<T>>;
  label: string;
  head: ReactNode;
  cells: (line: T) => ReactNode;
  nothing: string;
}) {
  const { query } = props;
  if (query.isError) return <p role="alert">{query.error.message}</p>;
  if (!query.data) return <p className="quiet">{words.loadingTheLog}</p>;
  const lines = query.data.pages.flat();
  if (lines.length === 0) return <p className="quiet">{props.nothing}</p>;
  return (
    <>
      <table className="rows" aria-label={props.label}>
        <thead>
          <tr>
            <th>{words.when}</th>
            <th>{words.who}</th>
            {props.head}
          </tr>
        </thead>
        <tbody>
          {lines.map((line) => (
            <tr key={line.id}>
              <td>{moment(line.at)}</td>
              <td>
                {line.by} <span className="quiet small">{line.role}</span>
              </td>
              {props.cells(line)}
            </tr>
          ))}
        </tbody>
      </table>
      {query.hasNextPage && (
        <button type="button" className="plain" onClick={() => query.fetchNextPage()}>
          {words.showEarlier}
        </button>
      )}
    </>
  );
}

function Opened() {
  const query = useLines("views", (before) =>
    got(client.GET("/api/logs/views", { params: { query: before ? { before } : {} } })),
  );
  return (
    <Lines
      query={query}
      label={words.whoOpenedWhom}
      nothing={words.nobodyWasOpenedYet}
      head={<th>{words.student}</th>}
      cells={(line) => (
        <td>
          <StudentName student={{ student_id: line.student_id, name: line.student }} />
        </td>
      )}
    />
  );
}

function Exported() {
  const query = useLines("exports", (before) =>
    got(client.GET("/api/logs/exports", { params: { query: before ? { before } : {} } })),
  );
  return (
    <Lines
      query={query}
      label={words.whoExportedWhat}
      nothing={words.nothingWasExportedYet}
      head={
        <>
          <th>{words.what}</th>
          <th>{words.form}</th>
          <th className="num">{words.studentsNamed}</th>
        </>
      }
      cells={(line) => (
        <>
          <td className="wraps">{line.what}</td>
          <td>{line.form}</td>
          <td className="num">{line.students == null ? words.none : many(line.students)}</td>
        </>
      )}
    />
  );
}

export function LogsPage() {
  const me = useMe();
  const [which, setWhich] = useState<Which>("views");
  return (
    <>
      {me.may_set_up && <SetupParts />}
      <h1>{words.logs}</h1>
      <p className="lead">{words.theLogsOnlyGrow}</p>
      <div className="switches">
        <Choice
          label={words.log}
          value={which}
          options={[
            ["views", words.studentsOpened],
            ["exports", words.exports],
          ]}
          onChange={setWhich}
        />
      </div>
      {which === "views" ? <Opened /> : <Exported />}
    </>
  );
}
