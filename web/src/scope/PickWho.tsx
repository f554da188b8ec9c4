/** Which students: any combination of where they are and what they belong to, or all but those. */

import { scope as words } from "../words/around/scope";
import { many, students } from "../words/format";
import { Many, type PartProps } from "./Choosing";
import { firstChoice, type ListKey } from "./scope";
import { WhoBox } from "./WhoBox";

const WHO: [ListKey, string][] = [
  ["school", "School"],
  ["grade", "Grade"],
  ["section", "Class"],
  ["teacher", "Teacher"],
  ["program", "Program"],
];

export function PickWho({ scope, choices, change, onDone }: PartProps) {
  const ofField = (name: string) => scope.field.filter((value) => value.startsWith(`${name}: `));
  const known = choices as unknown as Record<string, string[]>;
  return (
    <div>
      <h2>{words.whichStudents}</h2>
      <WhoBox scope={scope} choices={choices} change={change} />
      {WHO.map(([key, label]) => {
        const offered = known[key] ?? [];
        const values = key === "program" ? [...offered, "none"] : offered;
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
      {choices.fields.map((field) => (
        <Many
          key={field.name}
          label={field.name.charAt(0).toUpperCase() + field.name.slice(1)}
          values={ofField(field.name).map((value) => value.slice(field.name.length + 2))}
          options={field.values.map((value) => ({ value, label: value }))}
          onChange={(chosen) =>
            change({
              field: [
                ...scope.field.filter((value) => !value.startsWith(`${field.name}: `)),
                ...chosen.map((value) => `${field.name}: ${value}`),
              ],
            })
          }
        />
      ))}
      <Many
        label={words.group2}
        values={scope.group}
        options={choices.group.map((group) => ({
          value: String(group.id),
          label: `${group.name} (${many(group.n)})`,
        }))}
        onChange={(chosen) => change({ group: chosen })}
      />
      {scope.group.length > 0 && (
        <label className="field">
          <span>{words.groupsAsOf}</span>
          <input
            type="date"
            value={scope.group_on ?? ""}
            onChange={(event) => change({ group_on: event.target.value || null })}
          />
        </label>
      )}
      {choices.language.length > 1 && (
        <label className="field">
          <span>{words.languageOfTheTest}</span>
          <select
            value={scope.language ?? ""}
            onChange={(event) => change({ language: event.target.value || null })}
          >
            <option value="">{words.any}</option>
            {choices.language.map((language) => (
              <option key={language}>{language}</option>
            ))}
          </select>
        </label>
      )}
      <label className="pick">
        <input
          type="checkbox"
          checked={scope.all_but}
          onChange={(event) => change({ all_but: event.target.checked })}
        />
        <span>
          {words.allButThese}
          <small>{words.everyoneWhomTheChoiceAbove}</small>
        </span>
      </label>
      <label className="pick">
        <input
          type="checkbox"
          checked={scope.roster === "today"}
          onChange={(event) => change({ roster: event.target.checked ? "today" : "then" })}
        />
        <span>
          {words.byTodaySClasses}
          <small>{words.schoolClassTeacherAndPrograms}</small>
        </span>
      </label>
      {scope.student.length > 0 && (
        <p className="small quiet">
          {words.only} {students(scope.student.length)} {words.chosenByPins}{" "}
          <button type="button" className="word" onClick={() => change({ student: [] })}>
            {words.lookAtAllAgain}
          </button>
        </p>
      )}
      <div className="u-in-row u-above-8">
        <button type="button" className="plain" onClick={() => change(firstChoice(scope))}>
          {words.firstChoice}
        </button>
        <button type="button" className="plain" onClick={onDone}>
          {words.done}
        </button>
      </div>
    </div>
  );
}
