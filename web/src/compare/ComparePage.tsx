/** Compare: where do students stand, and what moved between windows? */
import { useQuery } from "@tanstack/react-query";
import { lazy, type ReactNode, useState } from "react";
import { NavLink, useParams, useSearchParams } from "react-router";
import { client, got, type Schemas } from "../api/client";
import { useScope } from "../scope/ScopeContext";
import { asked, type By, isBy, type Scope, windowsOf, writeScope } from "../scope/scope";
import { NothingHere } from "../step/NothingHere";
import { Notes, Shown } from "../step/Shown";
import { useSetStepParams } from "../step/useStepParam";
import { Choice } from "../ui/Choice";
import { Download } from "../ui/Download";
import type { Sorting } from "../ui/lists/sorting";
import { useShown } from "../ui/lists/useFirst";
import { PrintButton } from "../ui/PrintButton";
import { compare as words } from "../words/steps/compare";
import { ByChoice, byWord } from "./ByChoice";
import { Standing } from "./Standing";
import { type UnitColumn, Units } from "./Units";

// Each other view of the step is fetched when it is opened.
const TrendView = lazy(() => import("./TrendView").then((part) => ({ default: part.TrendView })));
const OutcomeView = lazy(() => import("./OutcomeView").then((part) => ({ default: part.OutcomeView })));
const HistoryView = lazy(() => import("./HistoryView").then((part) => ({ default: part.HistoryView })));

type Answer = Schemas["CompareAnswer"];

const SHOWN = 100;
const MORE = 100;

/** Groups smaller than this are withheld where a view leaves the classroom. */
const SMALL = 10;

function Switches(props: {
  scope: Scope;
  by: By;
  by2: By | null;
  setBy: (by: By, by2: By | null) => void;
  withhold: boolean;
  setWithhold: (on: boolean) => void;
}) {
  const { change } = useScope();
  const { scope, by, by2 } = props;
  const query = new URLSearchParams(writeScope(scope));
  query.set("by", by);
  if (by2) query.set("by2", by2);
  if (props.withhold) query.set("withhold", String(SMALL));
  return (
    <div className="switches">
      <Choice
        label={words.cuts}
        value={scope.cuts}
        options={[
          ["season", words.seasonCut],
          ["year-end", words.yearEndCut],
        ]}
        onChange={(cuts) => change({ cuts })}
      />
      {windowsOf(scope).length > 1 && scope.follow === "students" && (
        <Choice
          label={words.whomTheSharesStandOn}
          value={scope.matched}
          options={[
            [true, windowsOf(scope).length > 2 ? words.allResults : words.bothResults],
            [false, words.allWithAResult],
          ]}
          onChange={(matched) => change({ matched })}
        />
      )}
      <ByChoice scope={scope} by={by} by2={by2} onChange={props.setBy} />
      <label title={words.forAViewThatLeaves}>
        <input
          type="checkbox"
          checked={props.withhold}
          onChange={(event) => props.setWithhold(event.target.checked)}
        />{" "}
        {words.smallGroupsWithheld}
      </label>
      <span className="u-at-end">
        <Download path="compare" query={query.toString()} what={words.sharesAndMovement} />
        <PrintButton />
      </span>
    </div>
  );
}

function View(props: {
  answer: Answer;
  scope: Scope;
  by: By;
  by2: By | null;
  setBy: (by: By, by2: By | null) => void;
  withhold: boolean;
  setWithhold: (on: boolean) => void;
  order: Sorting<UnitColumn>;
  setOrder: (order: Sorting<UnitColumn>) => void;
  more: (n: number) => ReactNode;
}) {
  const { answer, scope, by, by2 } = props;
  const many = windowsOf(scope).length > 2 || scope.follow === "grade";
  if (!answer.from_n && !answer.to_n && !answer.withheld) {
    return <NothingHere headline={answer.headline} lead={answer.lead} />;
  }
  return (
    <>
      {many ? (
        <TrendView scope={scope} withhold={props.withhold ? SMALL : null} />
      ) : (
        <>
          <h1>{answer.headline}</h1>
          <p className="lead">{answer.lead}</p>
          <Standing answer={answer} />
        </>
      )}
      <Switches
        scope={scope}
        by={by}
        by2={by2}
        setBy={props.setBy}
        withhold={props.withhold}
        setWithhold={props.setWithhold}
      />
      <Units
        answer={answer}
        by={by}
        by2={by2}
        word={byWord(by)}
        order={props.order}
        setOrder={props.setOrder}
        more={props.more}
      />
      <Notes notes={answer.notes} />
    </>
  );
}

/** The breakdown that tells most: classes of one grade, grades of one school, else schools. */
function firstBy(scope: Scope): By {
  if (scope.section.length || scope.teacher.length || scope.group.length) return "program";
  if (scope.grade.length === 1) return "section";
  return scope.school.length === 1 ? "grade" : "school";
}

const VIEWS = [
  ["", words.standingAndMoves],
  ["history", "History"],
  ["outcome", words.likelyOutcome],
] as const;

/** The breakdown of the address; a word that is none counts as not there. */
function useBreakdown(scope: Scope) {
  const [params] = useSearchParams();
  const [named, named2] = ["by", "by2"]
    .map((name) => params.get(name))
    .map((one) => (one && isBy(one) ? one : null));
  const by = named ?? firstBy(scope);
  return { by, by2: named2 && named2 !== by ? named2 : null };
}

function Moves({ scope }: { scope: Scope }) {
  const { by, by2 } = useBreakdown(scope);
  const [params] = useSearchParams();
  // The box turns at once; the address follows.
  const [withhold, setWithhold] = useState(params.has("withhold"));
  const set = useSetStepParams();
  const followed = windowsOf(scope).length > 1 && scope.follow === "students";
  const [turned, setOrder] = useState<Sorting<UnitColumn> | null>(null);
  // What tells most: how units moved as far as their size lets one say, or how they stand where nobody is followed.
  const order = turned ?? { key: followed ? "beside" : "after", down: false };
  const [count, more] = useShown(SHOWN, MORE);
  const question = {
    by,
    ...(by2 ? { by2 } : {}),
    ...(withhold ? { withhold: SMALL } : {}),
    sort: order.key,
    down: order.down,
    count,
  };
  const answer = useQuery({
    queryKey: ["compare", scope, question],
    queryFn: () => got(client.GET("/api/compare", { params: { query: { ...asked(scope), ...question } } })),
    placeholderData: (before) => before,
  });
  return (
    <Shown query={answer}>
      {(data) => (
        <View
          answer={data}
          scope={scope}
          by={by}
          by2={by2}
          // Only what was chosen: the other may have changed since this was drawn.
          setBy={(first, second) =>
            set({ ...(first !== by && { by: first }), ...(second !== by2 && { by2: second }) })
          }
          withhold={withhold}
          setWithhold={(on) => {
            setWithhold(on);
            set({ withhold: on ? String(SMALL) : null });
          }}
          order={order}
          setOrder={setOrder}
          more={more}
        />
      )}
    </Shown>
  );
}

export function ComparePage() {
  const { scope, to } = useScope();
  const { view = "" } = useParams();
  if (!scope) return null;
  return (
    <>
      <nav className="ways" aria-label={words.waysToCompare}>
        {VIEWS.map(([path, word]) => (
          <NavLink key={path} to={to(path ? `/compare/${path}` : "/compare")} end>
            {word}
          </NavLink>
        ))}
      </nav>
      {view === "history" ? (
        <HistoryView scope={scope} />
      ) : view === "outcome" ? (
        <OutcomeView scope={scope} />
      ) : (
        <Moves scope={scope} />
      )}
    </>
  );
}
