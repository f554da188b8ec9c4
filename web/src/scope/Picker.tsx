import { scope as words } from "../words/around/scope";
import { students } from "../words/format";
import { type PartProps, Radios } from "./Choosing";
import { PickWho } from "./PickWho";
import { PickWindows } from "./PickWindows";
import { useScope } from "./ScopeContext";
import { forMeasure } from "./scope";
import { useChoices } from "./useChoices";

function Measure({ scope, choices, change, onDone }: PartProps) {
  const key = (measure: { assessment: string; subject: string }) =>
    `${measure.assessment}\n${measure.subject}`;
  const strands = choices.measures.find((one) => key(one) === key(scope))?.strands ?? [];
  return (
    <>
      <Radios
        title={words.whichTest}
        name="measure"
        value={key(scope)}
        options={choices.measures.map((one) => [key(one), one.title, words.overTheYears(students(one.n))])}
        onChange={(chosen) => {
          const measure = choices.measures.find((one) => key(one) === chosen);
          if (measure) change(forMeasure(scope, measure));
          onDone();
        }}
      />
      {strands.length > 0 && (
        <label className="field u-above-14">
          <span>{words.overallOrOneStrand}</span>
          <select
            value={scope.strand ?? ""}
            onChange={(event) => change({ strand: event.target.value || null })}
          >
            <option value="">{words.overall}</option>
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
      title={words.whomTheSharesStandOn}
      name="matched"
      value={value}
      options={[
        [
          "matched",
          many ? words.studentsWithAllResults : words.studentsWithBothResults,
          words.whatMovedTheSameStudents,
        ],
        ["all", words.allStudentsWithAResult, words.whereTheSchoolStoodEach],
        ["grade", words.theSameGradeEachTime, words.otherStudentsEachYearHow],
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
      title={words.whichCuts}
      name="cuts"
      value={scope.cuts}
      options={[
        ["season", words.seasonCuts, words.againstTheTargetForThat],
        ["year-end", words.yearEndCuts, words.againstTheFixedTargetAt],
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
      title={words.whatGrowthIsHeldAgainst}
      name="against"
      value={scope.against}
      options={[
        ["norms", words.norms, words.whatTheNormsOfThe],
        ["local", words.localHistory, words.whatOurOwnStudentsWho],
        ["district", words.theDistrict, words.whatOurOwnStudentsOf],
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
    <div className="picker" role="dialog" aria-label={words.changeWhatIsLookedAt}>
      {choices.data ? (
        <Part scope={scope} choices={choices.data} change={change} onDone={onDone} />
      ) : (
        <p className="quiet">…</p>
      )}
    </div>
  );
}
