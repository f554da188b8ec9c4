/** Share: what do the student, the family, the team take away? The page at the right is the page that prints. */
import { keepPreviousData, useQuery } from "@tanstack/react-query";
import { type ReactNode, useEffect, useMemo, useState } from "react";
import { NavLink, useParams } from "react-router";
import { client, got, type Schemas } from "../api/client";
import { Name, useHiding } from "../people/Hiding";
import { useMe } from "../people/me";
import { useScope } from "../scope/ScopeContext";
import { asked, type Scope } from "../scope/scope";
import { NothingHere } from "../step/NothingHere";
import { Shown } from "../step/Shown";
import { Choice } from "../ui/Choice";
import { useKeys } from "../ui/useKeys";
import { share as words } from "../words/steps/share";
import { Making, WithoutPages } from "./Making";
import { PagesLog } from "./PagesLog";
import { type Audience, type PagesAsked, question, questionText } from "./pages";
import { ReportView } from "./ReportView";
import { SectionList } from "./SectionList";
import { Sets } from "./Sets";
import css from "./share.module.css";

const AUDIENCES = ["family", "student", "plan", "team"] as const;
const TEAM_ONLY = ["doubtful", "decisions", "internal"];
const MOST_YEARS = 6;

function Options(props: {
  choices: Schemas["ShareChoices"];
  pages: PagesAsked;
  empty: string[];
  /** The main act, between what is asked for and its sections. */
  children: ReactNode;
  onChange: (pages: PagesAsked) => void;
}) {
  const { choices, pages, onChange } = props;
  const own = choices.audiences.find((one) => one.audience === pages.audience);
  const first = (audience: Audience) =>
    choices.audiences.find((one) => one.audience === audience)?.first ?? [];
  const turn = (subject: string) => {
    const next = choices.subjects.filter((one) => (one === subject) !== pages.subjects.includes(one));
    if (next.length) onChange({ ...pages, subjects: next });
  };
  return (
    <>
      <Choice
        label={words.audience}
        value={pages.audience}
        options={AUDIENCES.map((one) => [one, words.audiences[one] ?? one])}
        onChange={(audience) => onChange({ ...pages, audience, sections: first(audience) })}
      />
      <div className={css.line}>
        <Choice
          label={words.language}
          value={pages.language}
          options={choices.languages.map((one) => [one.code, one.name])}
          onChange={(language) => onChange({ ...pages, language })}
        />
        <label className="field">
          <span>{words.years}</span>
          <select
            className="input"
            value={pages.years}
            onChange={(event) => onChange({ ...pages, years: Number(event.target.value) })}
          >
            {Array.from({ length: MOST_YEARS }, (_, at) => at + 1).map((n) => (
              <option key={n} value={n}>
                {words.yearsBack(n)}
              </option>
            ))}
          </select>
        </label>
      </div>
      <fieldset className={css.subjects}>
        <legend>{words.subjects}</legend>
        {choices.subjects.map((one) => (
          <label key={one}>
            <input type="checkbox" checked={pages.subjects.includes(one)} onChange={() => turn(one)} /> {one}
          </label>
        ))}
      </fieldset>
      {props.children}
      <SectionList
        all={own?.sections ?? []}
        chosen={pages.sections}
        empty={props.empty}
        onChange={(sections) => onChange({ ...pages, sections })}
      />
      {pages.sections.includes("items") && (
        <label className="field">
          <span>{words.test}</span>
          <select
            className="input"
            value={pages.test ?? ""}
            onChange={(event) => onChange({ ...pages, test: event.target.value || null })}
          >
            <option value="">{words.noTest}</option>
            {choices.tests.map((one) => (
              <option key={one}>{one}</option>
            ))}
          </select>
        </label>
      )}
      <p className="small">
        <button
          type="button"
          className="word"
          onClick={() => onChange({ ...pages, sections: first(pages.audience) })}
        >
          {words.firstSet}
        </button>
      </p>
      <Sets choices={choices} pages={pages} onChange={onChange} />
    </>
  );
}

/** The pages of one student, drawn as they will print. */
function Pages(props: {
  preview: Schemas["PagePreview"];
  limit: number | null;
  scope: Scope;
  pages: PagesAsked;
  onStudent: (id: string) => void;
}) {
  const { preview, limit } = props;
  const at = preview.students.findIndex((one) => one.student_id === preview.student_id);
  const student = preview.students[at];
  const go = (by: number) => {
    const next = preview.students[at + by];
    if (next) props.onStudent(next.student_id);
  };
  useKeys({ "]": () => go(1), "[": () => go(-1) });
  if (!student) return <NothingHere headline={words.nobody} lead={words.nobodyLead} />;
  const over = limit === null ? [] : preview.sections.filter((one) => one.page > limit);
  const n = preview.pages.length;
  return (
    <section aria-label={words.preview} className={css.preview}>
      <p className={css.who}>
        <button
          type="button"
          className="word"
          aria-label={words.before}
          disabled={at <= 0}
          onClick={() => go(-1)}
        >
          ‹
        </button>{" "}
        <b>
          <Name name={student.name} />
        </b>{" "}
        <span className="quiet">{words.placeIn(at + 1, preview.students.length)}</span>{" "}
        <button
          type="button"
          className="word"
          aria-label={words.next}
          disabled={at + 1 >= preview.students.length}
          onClick={() => go(1)}
        >
          ›
        </button>{" "}
        <a
          href={`/api/share/pages/${encodeURIComponent(student.student_id)}?${questionText(props.scope, props.pages)}`}
          download
        >
          {words.onePdf}
        </a>{" "}
        <span className={over.length || (limit !== null && n > limit) ? css.over : "quiet"} role="status">
          {limit !== null && n > limit
            ? words.overLimit(
                n,
                over.map((one) => words.sectionNames[one.section] ?? one.section).join(", ") || "–",
              )
            : words.fits(n)}
        </span>
      </p>
      {preview.pages.map((picture, page) => (
        <img
          // Pages have no name but their place.
          // biome-ignore lint/suspicious/noArrayIndexKey: the place is what a page is
          key={page}
          className={limit !== null && page >= limit ? `${css.page} ${css.beyond}` : css.page}
          src={picture}
          alt={words.page(page + 1, student.name)}
        />
      ))}
    </section>
  );
}

function PagesView({ scope }: { scope: Scope }) {
  const { hidden } = useHiding();
  const choices = useQuery({
    queryKey: ["share", "choices", scope],
    queryFn: () => got(client.GET("/api/share/choices", { params: { query: asked(scope) } })),
  });
  const [chosen, setChosen] = useState<PagesAsked | null>(null);
  const [student, setStudent] = useState<string | null>(null);
  const [limit, setLimit] = useState<number | null>(null);
  const pages = useMemo<PagesAsked>(
    () =>
      chosen ?? {
        audience: "family",
        language: "en",
        subjects: [scope.subject],
        years: 1,
        test: null,
        sections: choices.data?.audiences.find((one) => one.audience === "family")?.first ?? [],
      },
    [chosen, choices.data, scope.subject],
  );
  // On a projector the team's own sections stay off the screen.
  const seen = hidden
    ? { ...pages, sections: pages.sections.filter((one) => !TEAM_ONLY.includes(one)) }
    : pages;
  const preview = useQuery({
    queryKey: ["share", "preview", scope, seen, student],
    queryFn: () =>
      got(
        client.GET("/api/share/preview", {
          params: { query: { ...question(scope, seen), ...(student ? { of: student } : {}) } },
        }),
      ),
    enabled: choices.isSuccess && seen.sections.length > 0,
    placeholderData: keepPreviousData,
  });
  // Other students of another sentence: begin with its first.
  // biome-ignore lint/correctness/useExhaustiveDependencies: the sentence alone resets the student
  useEffect(() => setStudent(null), [scope]);
  return (
    <Shown query={choices}>
      {(all) => (
        <div className={css.desk}>
          <div className={css.options}>
            <h1>{words.headline(preview.data?.students.length ?? 0)}</h1>
            <Options choices={all} pages={pages} empty={preview.data?.empty ?? []} onChange={setChosen}>
              <Making scope={scope} pages={pages} n={preview.data?.students.length ?? 0} />
              <WithoutPages rows={preview.data?.without ?? []} />
            </Options>
            <label className="field">
              <span>{words.limit}</span>
              <input
                className="input"
                type="number"
                min={1}
                max={20}
                placeholder={words.noLimit}
                value={limit ?? ""}
                onChange={(event) => setLimit(event.target.value ? Number(event.target.value) : null)}
              />
            </label>
            {hidden && <p className="quiet small">{words.hidden}</p>}
          </div>
          <Shown query={preview}>
            {(data) => (
              <Pages preview={data} limit={limit} scope={scope} pages={pages} onStudent={setStudent} />
            )}
          </Shown>
        </div>
      )}
    </Shown>
  );
}

export function SharePage() {
  const { scope, to } = useScope();
  const { view = "" } = useParams();
  const me = useMe();
  if (!scope) return null;
  return (
    <>
      <nav className="ways" aria-label={words.ways}>
        {(
          [
            ["", words.pages],
            ["report", words.report],
            ["log", words.log],
          ] as const
        ).map(([path, word]) => (
          <NavLink
            key={path}
            end
            to={to(path ? `/share/${path}` : "/share")}
            className={view === path ? "active" : ""}
            aria-current={view === path ? "page" : undefined}
          >
            {word}
          </NavLink>
        ))}
      </nav>
      {view === "log" ? (
        <PagesLog all={me.may_see_logs} />
      ) : view === "report" ? (
        <ReportView scope={scope} />
      ) : (
        <PagesView scope={scope} />
      )}
    </>
  );
}
