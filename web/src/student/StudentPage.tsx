/** One student in a minute: what one would say first, everything on one time axis, the figures below. */
import { useQuery, useQueryClient } from "@tanstack/react-query";
import { useCallback, useEffect, useMemo, useState } from "react";
import { useNavigate, useParams } from "react-router";
import { client, got, type Schemas } from "../api/client";
import { walk } from "../panel/walk";
import { Name } from "../people/Hiding";
import { useMe } from "../people/me";
import { usePins } from "../pins/PinContext";
import { PinMark } from "../pins/PinMark";
import { useScope } from "../scope/ScopeContext";
import { asked, type Scope, writeScope } from "../scope/scope";
import { Shown } from "../step/Shown";
import { Download } from "../ui/Download";
import { PrintButton } from "../ui/PrintButton";
import { useKeys } from "../ui/useKeys";
import { day } from "../words/format";
import { student as words } from "../words/steps/student";
import { Documents } from "./Documents";
import { Notes } from "./Notes";
import { ResultsTable } from "./ResultsTable";
import css from "./student.module.css";
import { TimeAxis } from "./TimeAxis";

const query = (id: string, scope: Scope, asOf: string | null = null) => ({
  queryKey: ["student", "page", id, scope, asOf],
  queryFn: () =>
    got(
      client.GET("/api/students/{student_id}/page", {
        params: { path: { student_id: id }, query: { ...asked(scope), ...(asOf ? { as_of: asOf } : {}) } },
      }),
    ),
});

/** The school year at whose end the student is looked at, or now. */
function AsOf({ page, onChange }: { page: Schemas["StudentPage"]; onChange: (year: string | null) => void }) {
  const over = page.as_of === null ? page.rosters.slice(0, -1) : page.rosters;
  if (!over.length) return null;
  return (
    <label className="small quiet">
      {words.asOf}{" "}
      <select
        className={css.year}
        value={page.as_of ?? ""}
        onChange={(event) => onChange(event.target.value || null)}
      >
        <option value="">{words.now}</option>
        {[...new Set(over)].map((year) => (
          <option key={year} value={year}>
            {words.endOf(year)}
          </option>
        ))}
      </select>
    </label>
  );
}

function Said({ one }: { one: Schemas["SaidOfStudent"] }) {
  const [open, setOpen] = useState(false);
  return (
    <li>
      {one.sentence}.{" "}
      <button type="button" className="word small" aria-expanded={open} onClick={() => setOpen(!open)}>
        {words.how}
      </button>
      {open && <p className={css.explained}>{one.explained}</p>}
    </li>
  );
}

/** The list one came from, and its next and last student by key. */
function Steps({ id, scope }: { id: string; scope: Scope }) {
  const { to } = useScope();
  const navigate = useNavigate();
  const cache = useQueryClient();
  const list = walk();
  const at = list ? list.students.findIndex((one) => one.id === id) : -1;
  const go = useCallback(
    (by: number) => {
      const next = list?.students[at + by];
      if (at >= 0 && next) navigate(to(`/student/${encodeURIComponent(next.id)}`));
    },
    [list, at, navigate, to],
  );
  useKeys(useMemo(() => ({ "]": () => go(1), "[": () => go(-1) }), [go]));
  // The next one is asked for ahead, so that a step shows it at once.
  const ahead = list?.students[at + 1]?.id;
  useEffect(() => {
    if (at >= 0 && ahead) cache.prefetchQuery(query(ahead, scope));
  }, [cache, at, ahead, scope]);
  if (!list || at < 0) return null;
  return (
    <span className="quiet small">
      <button
        type="button"
        className="word"
        aria-label={words.studentBefore}
        disabled={!at}
        onClick={() => go(-1)}
      >
        ‹
      </button>{" "}
      {words.placeIn(at + 1, list.students.length, list.title)}{" "}
      <button
        type="button"
        className="word"
        aria-label={words.nextStudent}
        disabled={at + 1 >= list.students.length}
        onClick={() => go(1)}
      >
        ›
      </button>
    </span>
  );
}

interface Shows {
  page: Schemas["StudentPage"];
  scope: Scope;
  onAsOf: (year: string | null) => void;
}

function Page({ page, scope, onAsOf }: Shows) {
  const me = useMe();
  const { act } = usePins();
  const { student_id: id, name } = page;
  useKeys(useMemo(() => ({ p: () => act({ type: "toggle", student: { id, name } }) }), [act, id, name]));
  const own = page.threads.filter(
    (one) => one.assessment === scope.assessment && one.subject === scope.subject,
  ).length;
  return (
    <>
      <h1 className={css.name}>
        <PinMark id={id} name={name} /> <Name name={name} />{" "}
        <span className="quiet small">
          {[page.grade && words.grade(page.grade), page.section, page.school, ...page.programs]
            .filter(Boolean)
            .join(" · ")}
        </span>{" "}
        <AsOf page={page} onChange={onAsOf} /> <Steps id={id} scope={scope} />
      </h1>
      <ul className={css.said}>
        {page.said.map((one) => (
          <Said key={`${one.what}${one.sentence}`} one={one} />
        ))}
        {page.looked && page.changed.length > 0 && (
          <li>
            <b>{words.sinceYouLooked(day(page.looked))}:</b> {page.changed.join("; ")}.
          </li>
        )}
        {page.due.length > 0 && (
          <li>
            <b>{words.due}:</b> {page.due.join("; ")}.
          </li>
        )}
      </ul>
      <TimeAxis key={`${id}${page.as_of}`} page={page} own={Math.max(1, own)} />
      {me.may_team && page.as_of === null && <Notes id={id} />}
      {me.may_team && page.as_of === null && <Documents id={id} />}
      <h2>{words.results}</h2>
      <p className={css.tools}>
        {me.may_export && page.results.length > 0 && (
          <Download
            path={`students/${encodeURIComponent(id)}/page`}
            query={`${writeScope(scope)}${page.as_of ? `&as_of=${page.as_of}` : ""}`}
            what={words.these}
          />
        )}
        <PrintButton />
      </p>
      <ResultsTable rows={page.results} />
    </>
  );
}

export function StudentPage() {
  const { scope } = useScope();
  const { id = "" } = useParams();
  if (!scope) return null;
  return <Loaded key={id} id={id} scope={scope} />;
}

function Loaded({ id, scope }: { id: string; scope: Scope }) {
  const [asOf, setAsOf] = useState<string | null>(null);
  const page = useQuery({ ...query(id, scope, asOf), placeholderData: (before) => before });
  return <Shown query={page}>{(data) => <Page page={data} scope={scope} onAsOf={setAsOf} />}</Shown>;
}
