/** The pickers behind the pieces of the scope line. */
import { useQuery } from "@tanstack/react-query";
import { Select } from "antd";
import { useState } from "react";
import { client, got, type Schemas } from "../api/client";
import { percent, students } from "../words/format";
import { useScope } from "./ScopeContext";
import { firstChoice, type ListKey, type Scope } from "./scope";

export function useChoices(scope: Scope | null) {
  const years = scope ? [scope.from_window, scope.to_window].map((w) => w.split(" ")[0] ?? "") : [];
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

type Choices = Schemas["ScopeChoices"];

interface PartProps {
  scope: Scope;
  choices: Choices;
  change: (part: Partial<Scope>) => void;
  onDone: () => void;
}

function Measure({ scope, choices, change, onDone }: PartProps) {
  const key = (measure: { assessment: string; subject: string }) =>
    `${measure.assessment}\n${measure.subject}`;
  return (
    <Radios
      title="Which test"
      name="measure"
      value={key(scope)}
      options={choices.measures.map((one) => [key(one), one.title, `${students(one.n)} over the years`])}
      onChange={(chosen) => {
        const measure = choices.measures.find((one) => key(one) === chosen);
        if (measure) change({ assessment: measure.assessment, subject: measure.subject });
        onDone();
      }}
    />
  );
}

const WHO: [ListKey, string][] = [
  ["school", "School"],
  ["grade", "Grade"],
  ["section", "Class"],
  ["teacher", "Teacher"],
  ["program", "Program"],
];

function Many(props: {
  label: string;
  values: string[];
  options: { value: string; label: string }[];
  onChange: (values: string[]) => void;
}) {
  const [open, setOpen] = useState(false);
  return (
    <div className="field">
      <span>{props.label}</span>
      <Select
        mode="multiple"
        style={{ width: "100%" }}
        value={props.values}
        options={props.options}
        onChange={props.onChange}
        placeholder="any"
        optionFilterProp="label"
        open={open}
        onOpenChange={setOpen}
        // One choice is the rule: the list closes, so that it does not cover the next field.
        onSelect={() => setOpen(false)}
        aria-label={props.label}
        getPopupContainer={(node) => node.parentElement ?? document.body}
      />
    </div>
  );
}

function Who({ scope, choices, change, onDone }: PartProps) {
  return (
    <div>
      <h2>Which students</h2>
      {WHO.map(([key, label]) => {
        const told = choices[key as keyof Choices] as string[];
        const values = key === "program" ? [...told, "none"] : told;
        return (
          <Many
            key={key}
            label={label}
            values={scope[key]}
            options={values.map((value) => ({ value, label: value }))}
            onChange={(chosen) => change({ [key]: chosen })}
          />
        );
      })}
      <Many
        label="Group"
        values={scope.group}
        options={choices.group.map((group) => ({
          value: String(group.id),
          label: `${group.name} (${group.n})`,
        }))}
        onChange={(chosen) => change({ group: chosen })}
      />
      {choices.language.length > 1 && (
        <label className="field">
          <span>Language of the test</span>
          <select
            value={scope.language ?? ""}
            onChange={(event) => change({ language: event.target.value || null })}
          >
            <option value="">any</option>
            {choices.language.map((language) => (
              <option key={language}>{language}</option>
            ))}
          </select>
        </label>
      )}
      {scope.student.length > 0 && (
        <p className="small quiet">
          Only {students(scope.student.length)} chosen by pins.{" "}
          <button type="button" className="word" onClick={() => change({ student: [] })}>
            Look at all again
          </button>
        </p>
      )}
      <div style={{ display: "flex", gap: 10, marginTop: 8 }}>
        <button type="button" className="plain" onClick={() => change(firstChoice(scope))}>
          First choice
        </button>
        <button type="button" className="plain" onClick={onDone}>
          Done
        </button>
      </div>
    </div>
  );
}

function order(window: string): string {
  const [year, season] = window.split(" ");
  return `${year} ${["fall", "winter", "spring"].indexOf(season ?? "")}`;
}

function Windows({ scope, choices, change }: PartProps) {
  const said = (one: Schemas["WindowChoice"]) =>
    one.n === 0
      ? "still to come"
      : `${students(one.n)}${one.share != null && one.share < 1 ? `, ${percent(one.share)} tested` : ""}${one.unfinished ? ", unfinished" : ""}`;
  const names = choices.windows.map((one) => one.name);
  const list = (label: string, key: "from_window" | "to_window", fits: (name: string) => boolean) => (
    <label className="field">
      <span>{label}</span>
      <select value={scope[key]} onChange={(event) => change({ [key]: event.target.value })}>
        {[...new Set([...names, scope[key]])].map((name) => {
          const one = choices.windows.find((choice) => choice.name === name);
          return (
            <option key={name} value={name} disabled={!fits(name)}>
              {name} {one ? `(${said(one)})` : "(no results)"}
            </option>
          );
        })}
      </select>
    </label>
  );
  return (
    <div>
      <h2>Which windows</h2>
      {list("First window", "from_window", (name) => order(name) < order(scope.to_window))}
      {list("Second window", "to_window", (name) => order(name) > order(scope.from_window))}
    </div>
  );
}

function Radios<T extends string | boolean>(props: {
  title: string;
  name: string;
  value: T;
  options: [T, string, string][];
  onChange: (value: T) => void;
}) {
  return (
    <fieldset style={{ border: 0, padding: 0, margin: 0 }}>
      <h2>{props.title}</h2>
      {props.options.map(([value, label, why]) => (
        <label className="pick" key={label}>
          <input
            type="radio"
            name={props.name}
            checked={props.value === value}
            onChange={() => props.onChange(value)}
          />
          <span>
            {label}
            <small>{why}</small>
          </span>
        </label>
      ))}
    </fieldset>
  );
}

function Matched({ scope, change, onDone }: PartProps) {
  return (
    <Radios
      title="Whom the shares stand on"
      name="matched"
      value={scope.matched}
      options={[
        [true, "Students with both results", "What moved: the same students at both windows."],
        [false, "All students with a result", "Where the school stood: each window over its own students."],
      ]}
      onChange={(matched) => {
        change({ matched });
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

const PARTS: Record<string, (props: PartProps) => React.ReactNode> = {
  measure: Measure,
  who: Who,
  windows: Windows,
  matched: Matched,
  cuts: Cuts,
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
