/** Home: the rail spread out, each step's finding as a sentence. */
import { useQuery } from "@tanstack/react-query";
import { useEffect, useState } from "react";
import { Link } from "react-router";
import { client, got, type Schemas } from "../api/client";
import { useHiding } from "../people/Hiding";
import { useMe } from "../people/me";
import { useScope } from "../scope/ScopeContext";
import { asked, firstChoice, type Scope, writeScope } from "../scope/scope";
import { useRail } from "../scope/useRail";
import { Before } from "../step/Shown";
import { home as words } from "../words/steps/home";
import { Lately } from "./Lately";
import { NeedsYou } from "./NeedsYou";
import { PassedOn } from "./PassedOn";
import { WorthAWord } from "./WorthAWord";

type Finding = Schemas["HomeFinding"];

/** When this person was here last, and from now on now; kept in this browser only. */
function useLastVisit(who: string): string | null {
  const [last] = useState(() => localStorage.getItem(`bodkin-visit-${who}`));
  useEffect(() => {
    localStorage.setItem(`bodkin-visit-${who}`, new Date().toISOString());
  }, [who]);
  return last;
}

/** The address of what a finding is about. */
function about(scope: Scope, one: Finding): string {
  const narrowed: Scope = { ...firstChoice(scope), subject: one.subject };
  // A finding may be about another test and window; those are one value, the others are lists.
  const single = ["assessment", "from_window", "to_window"];
  for (const [name, values] of Object.entries(one.scope))
    (narrowed as unknown as Record<string, string | string[]>)[name] = single.includes(name)
      ? (values[0] ?? "")
      : values;
  if (one.scope.from_window) narrowed.between = [];
  const step = one.step === "groups" ? "growth" : one.step;
  return `/${step}?${writeScope(narrowed)}`;
}

function Findings({ title, rows, scope }: { title: string; rows: Finding[]; scope: Scope }) {
  const { hidden } = useHiding();
  if (rows.length === 0) return null;
  return (
    <section aria-label={title} className="u-above-20">
      <h2>{title}</h2>
      <ul className="findings">
        {rows.map((one) => (
          <li key={`${one.subject} ${one.sentence}`}>
            <Link to={about(scope, one)}>
              {hidden && one.scope.student ? one.sentence.replace(/^[^:]*:/, "A student:") : one.sentence}
            </Link>
            <div className="quiet small">
              {one.measure}. {one.detail}
            </div>
          </li>
        ))}
      </ul>
    </section>
  );
}

function Since({ rows }: { rows: Schemas["HomeAnswer"]["since"] }) {
  const { to } = useScope();
  if (rows.length === 0) return null;
  return (
    <section aria-label={words.sinceYouWereHere} className="u-above-20">
      <h2>{words.sinceYouWereHere}</h2>
      <ul className="findings">
        {rows.map((one) => (
          <li key={`${one.at}${one.said}`}>
            <Link to={to(`/${one.path}`)}>{one.said}</Link>
          </li>
        ))}
      </ul>
    </section>
  );
}

export function HomePage() {
  const { to, nothing, scope } = useScope();
  const me = useMe();
  const rail = useRail();
  const since = useLastVisit(me.name);
  const home = useQuery({
    queryKey: ["home", scope, since],
    queryFn: () =>
      got(
        client.GET("/api/home", {
          params: { query: { ...asked(scope as Scope), ...(since ? { since } : {}) } },
        }),
      ),
    enabled: Boolean(scope),
    placeholderData: (before) => before,
  });
  if (nothing) {
    return (
      <div className="empty">
        <h1>{words.nothingToLookAtYet}</h1>
        {me.may_set_up ? (
          <>
            <p>{words.bringInScoresFirstNorms}</p>
            <Link to="/setup" className="act u-no-line">
              {words.bringInAFile}
            </Link>
          </>
        ) : (
          <p>{words.thereAreNoResultsYet}</p>
        )}
      </div>
    );
  }
  const steps = rail.data?.steps ?? [];
  return (
    <>
      <h1>
        {words.goodDay} {me.name.split(" ")[0]}
      </h1>
      <p className="lead">{words.theRoundAtAGlance}</p>
      {me.may_set_up && <NeedsYou />}
      {steps.map((step) => (
        <div className="finding" key={step.path}>
          <span className="k">{step.key}</span>
          <span>
            <p>{step.finding}</p>
            <small>{step.question}</small>
          </span>
          <Link to={to(`/${step.path}`)} className="u-ink">
            {step.name}
          </Link>
        </div>
      ))}
      {home.data && (
        <Before query={home}>
          <WorthAWord words={home.data.words} />
        </Before>
      )}
      {/* The steps are there at once; what stands out takes longest and comes when it is ready. */}
      <div className="columns">
        <div>
          {!home.data && !home.isError && (
            <p className="quiet u-above-20" role="status">
              {words.lookingForWhatStandsOut}
            </p>
          )}
          {home.isError && (
            <p className="fault u-above-20" role="alert">
              {home.error.message}{" "}
              <button type="button" className="word" onClick={() => home.refetch()}>
                {words.tryAgain}
              </button>
            </p>
          )}
          {home.data && scope && (
            <Before query={home}>
              <Findings title={words.worthALook} rows={home.data.worth_a_look} scope={scope} />
            </Before>
          )}
        </div>
        <div>
          {home.data && scope && (
            <Before query={home}>
              <Findings title={words.worthCelebrating} rows={home.data.celebrate} scope={scope} />
              <Since rows={home.data.since} />
            </Before>
          )}
          <PassedOn />
          <Lately />
        </div>
      </div>
    </>
  );
}
