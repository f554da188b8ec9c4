/** The parts of an entry or exit rule: a test, what of it, a limit, and which results. */
import type { Schemas } from "../api/client";
import { groups as words } from "../words/steps/groups";
import css from "./board.module.css";

export type Rule = Schemas["RuleParts"];
type Measure = Schemas["MeasureChoice"];

const VALUES: Rule["value"][] = ["score", "percentile", "band", "points above the aim line"];
const OF_WINDOW = new Set<Rule["value"]>(["percentile", "band"]);
const LAST = 3;

/** `kept` are the words that stand now, where they are no rule that Bodkin can check. */
export function RuleFields(props: {
  label: string;
  rule: Rule | null;
  kept: string | null;
  measures: Measure[];
  first: { assessment: string; subject: string };
  onChange: (rule: Rule | null) => void;
}) {
  const { label, rule, measures, onChange } = props;
  const change = (part: Partial<Rule>) => rule && onChange({ ...rule, ...part });
  const setValue = (value: Rule["value"]) => {
    const last = OF_WINDOW.has(value)
      ? null
      : value === "score"
        ? (rule?.last ?? null)
        : (rule?.last ?? LAST);
    change({ value, last });
  };
  return (
    <fieldset className={css.rule}>
      <legend>{label}</legend>
      {rule === null ? (
        <>
          <span className="quiet">{props.kept ? words.notChecked(props.kept) : words.noRule}</span>
          <button
            type="button"
            className="word"
            onClick={() =>
              onChange({ ...props.first, value: "percentile", comparison: "at least", limit: 40, last: null })
            }
          >
            {words.setRule(label.toLowerCase())}
          </button>
        </>
      ) : (
        <>
          <select
            className="plain"
            aria-label={`${label}: ${words.test}`}
            value={`${rule.assessment}|${rule.subject}`}
            onChange={(event) => {
              const [assessment = "", subject = ""] = event.target.value.split("|");
              change({ assessment, subject });
            }}
          >
            {!measures.some((one) => one.assessment === rule.assessment && one.subject === rule.subject) && (
              <option value={`${rule.assessment}|${rule.subject}`}>
                {rule.assessment}, {rule.subject}
              </option>
            )}
            {measures.map((one) => (
              <option key={one.title} value={`${one.assessment}|${one.subject}`}>
                {one.title}
              </option>
            ))}
          </select>
          <select
            className="plain"
            aria-label={`${label}: ${words.value}`}
            value={rule.value}
            onChange={(event) => setValue(event.target.value as Rule["value"])}
          >
            {VALUES.map((value) => (
              <option key={value}>{value}</option>
            ))}
          </select>
          <select
            className="plain"
            aria-label={`${label}: ${words.comparison}`}
            value={rule.comparison}
            onChange={(event) => change({ comparison: event.target.value as Rule["comparison"] })}
          >
            <option>at least</option>
            <option>below</option>
          </select>
          <input
            className="plain"
            type="number"
            step="any"
            required
            aria-label={`${label}: ${words.limit}`}
            value={rule.limit}
            onChange={(event) => change({ limit: Number(event.target.value) })}
          />
          {!OF_WINDOW.has(rule.value) && (
            <select
              className="plain"
              aria-label={`${label}: ${words.results}`}
              value={rule.last ?? 0}
              onChange={(event) => change({ last: Number(event.target.value) || null })}
            >
              {rule.value === "score" && <option value={0}>{words.inTheLatestWindow}</option>}
              {[1, 2, 3, 4, 5, 6, 8, 10, 12].map((n) => (
                <option key={n} value={n}>
                  {words.inTheLast(n)}
                </option>
              ))}
            </select>
          )}
          {OF_WINDOW.has(rule.value) && <span className="quiet">{words.inTheLatestWindow}</span>}
          <button type="button" className="word" onClick={() => onChange(null)}>
            {words.noRule2}
          </button>
        </>
      )}
    </fieldset>
  );
}
