/** The pickers behind the pieces of the scope line. */
import { useQuery } from "@tanstack/react-query";
import { client, got } from "../api/client";
import { students } from "../words/format";
import { type PartProps, Radios } from "./Choosing";
import { PickWho } from "./PickWho";
import { PickWindows } from "./PickWindows";
import { useScope } from "./ScopeContext";
import { isOwn, type Scope } from "./scope";

export function useChoices(scope: Scope | null) {
  const years = scope
    ? [scope.from_window, scope.to_window].filter((w) => !isOwn(w)).map((w) => w.split(" ")[0] ?? "")
    : [];
  return useQuery({
    queryKey: ["choices", scope?.assessment, scope?.subject, ...years],
    queryFn: () =>
      got(
        client.GET("/api/scope/choices", {
          params: {
            query: scope ? { assessment: scope.assessment, subject: scope.subject, year: years } : {},
          },
        }),
      ),
  });
}

function Measure({ scope, choices, change, onDone }: PartProps) {
  const key = (measure: { assessment: string; subject: string }) =>
    `${measure.assessment}\n${measure.subject}`;
  const strands = choices.measures.find((one) => key(one) === key(scope))?.strands ?? [];
  return (
    <>
      <Radios
        title="Which test"
        name="measure"
        value={key(scope)}
        options={choices.measures.map((one) => [key(one), one.title, `${students(one.n)} over the years`])}
        onChange={(chosen) => {
          const measure = choices.measures.find((one) => key(one) === chosen);
          if (measure) change({ assessment: measure.assessment, subject: measure.subject, strand: null });
          onDone();
        }}
      />
      {strands.length > 0 && (
        <label className="field" style={{ marginTop: 10 }}>
          <span>Overall, or one strand</span>
          <select
            value={scope.strand ?? ""}
            onChange={(event) => change({ strand: event.target.value || null })}
          >
            <option value="">overall</option>
            {strands.map((strand) => (
              <option key={strand}>{strand}</option>
            ))}
          </select>
        </label>
      )}
    </>
  );
}

function Matched({ scope, change, onDone }: PartProps) {
  const many = scope.between.length > 0;
  const value = scope.follow === "grade" ? "grade" : scope.matched ? "matched" : "all";
  return (
    <Radios
      title="Whom the shares stand on"
      name="matched"
      value={value}
      options={[
        [
          "matched",
          many ? "Students with all results" : "Students with both results",
          "What moved: the same students at every window.",
        ],
        ["all", "All students with a result", "Where the school stood: each window over its own students."],
        [
          "grade",
          "The same grade each time",
          "Other students each year: how the grade went, not how students grew.",
        ],
      ]}
      onChange={(chosen) => {
        change({ matched: chosen === "matched", follow: chosen === "grade" ? "grade" : "students" });
        onDone();
      }}
    />
  );
}

function Cuts({ scope, change, onDone }: PartProps) {
  return (
    <Radios
      title="Which cuts"
      name="cuts"
      value={scope.cuts}
      options={[
        ["season", "Season cuts", "Against the target for that time of year."],
        ["year-end", "Year-end cuts", "Against the fixed target at the end of the year."],
      ]}
      onChange={(cuts) => {
        change({ cuts });
        onDone();
      }}
    />
  );
}

function Against({ scope, change, onDone }: PartProps) {
  return (
    <Radios
      title="What growth is held against"
      name="against"
      value={scope.against}
      options={[
        ["norms", "Norms", "What the norms of the test lead one to expect from this start."],
        [
          "local",
          "Local history",
          "What our own students who started alike reached, now and in the years before. Fits curves; the first look takes a moment.",
        ],
        [
          "district",
          "The district",
          "What our own students of the grade reach on average from this start, this time.",
        ],
      ]}
      onChange={(against) => {
        change({ against });
        onDone();
      }}
    />
  );
}

const PARTS: Record<string, (props: PartProps) => React.ReactNode> = {
  measure: Measure,
  who: PickWho,
  windows: PickWindows,
  matched: Matched,
  cuts: Cuts,
  against: Against,
};

export function Picker({ part, onDone }: { part: string; onDone: () => void }) {
  const { scope, change } = useScope();
  const choices = useChoices(scope);
  const Part = PARTS[part];
  if (!scope || !Part) return null;
  return (
    <div className="picker" role="dialog" aria-label="Change what is looked at">
      {choices.data ? (
        <Part scope={scope} choices={choices.data} change={change} onDone={onDone} />
      ) : (
        <p className="quiet">…</p>
      )}
    </div>
  );
}
