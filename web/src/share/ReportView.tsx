/** Chosen views for the team and the leadership as one document; the pages shown are those that print. */
import { keepPreviousData, useQuery } from "@tanstack/react-query";
import { useSearchParams } from "react-router";
import { client, got } from "../api/client";
import { asked, type Scope, writeScope } from "../scope/scope";
import { Shown } from "../step/Shown";
import { Download } from "../ui/Download";
import { share as words } from "../words/steps/share";
import css from "./share.module.css";

const BROKEN_DOWN = ["compare", "growth"] as const;
const BY = ["school", "grade", "section", "teacher", "program", "language"] as const;
const PLAIN = [
  "trend",
  "history",
  "outcome",
  "needs",
  "standards",
  "items",
  "follow-up",
  "practice",
  "two-measures",
  "helped",
] as const;
const FIRST = ["compare:school", "growth:school"];

export function ReportView({ scope }: { scope: Scope }) {
  const [params, setParams] = useSearchParams();
  // The choice stands in the address, so that a saved view brings it back; "none" is an empty choice.
  const named = params.getAll("view");
  const views = named.length === 0 ? FIRST : named.filter((one) => one !== "none");
  const turn = (view: string) => {
    const next = views.includes(view) ? views.filter((one) => one !== view) : [...views, view];
    const to = new URLSearchParams(params);
    to.delete("view");
    for (const one of next.length > 0 ? next : ["none"]) to.append("view", one);
    setParams(to, { replace: true });
  };
  const report = useQuery({
    queryKey: ["share", "report", scope, views],
    queryFn: () =>
      got(client.GET("/api/share/report", { params: { query: { ...asked(scope), view: views } } })),
    enabled: views.length > 0,
    placeholderData: keepPreviousData,
  });
  const query = writeScope(scope);
  for (const view of views) query.append("view", view);
  const box = (view: string, label: string) => (
    <label key={view}>
      <input type="checkbox" checked={views.includes(view)} onChange={() => turn(view)} /> {label}
    </label>
  );
  return (
    <div className={css.desk}>
      <div className={css.options}>
        <h1>{words.report}</h1>
        {BROKEN_DOWN.map((view) => (
          <fieldset key={view} className={css.sections}>
            <legend>{words.reportViews[view]}</legend>
            <span className={css.by}>{BY.map((by) => box(`${view}:${by}`, words.byWords[by] ?? by))}</span>
          </fieldset>
        ))}
        <fieldset className={css.sections}>
          <legend>{words.furtherViews}</legend>
          <span className={css.by}>{PLAIN.map((view) => box(view, words.reportViews[view] ?? view))}</span>
        </fieldset>
        <p className="quiet small">{words.reportLead}</p>
        {views.length > 0 && (
          <p>
            <a className="act" href={`/api/share/report.pdf?${query}`} download>
              {words.saveReport}
            </a>
          </p>
        )}
        <Download path="share/results" query={writeScope(scope).toString()} what={words.longFile} named />
      </div>
      {views.length > 0 && (
        <Shown query={report}>
          {(data) => (
            <section aria-label={words.preview}>
              {data.pages.map((picture, page) => (
                <img
                  // biome-ignore lint/suspicious/noArrayIndexKey: the place is what a page is
                  key={page}
                  className={css.page}
                  src={picture}
                  alt={words.reportPage(page + 1)}
                />
              ))}
            </section>
          )}
        </Shown>
      )}
    </div>
  );
}
