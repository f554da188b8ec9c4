/** What a breakdown goes by, and a second one crossed with it. */

import { BY, type By, type Scope } from "../scope/scope";
import { useChoices } from "../scope/useChoices";
import { compare as words } from "../words/steps/compare";

const WORDS: Record<string, string> = { section: "class" };

/** A breakdown as people say it. */
export function byWord(by: By): string {
  return by.startsWith("field:") ? by.slice("field:".length) : (WORDS[by] ?? by);
}

/** Everything a breakdown can go by for the students at hand. */
export function useBys(scope: Scope): By[] {
  const fields = useChoices(scope).data?.fields ?? [];
  return [...BY, ...fields.map((field) => `field:${field.name}`)];
}

export function ByChoice(props: {
  scope: Scope;
  by: By;
  by2: By | null;
  onChange: (by: By, by2: By | null) => void;
}) {
  const known = useBys(props.scope);
  return (
    <>
      <label>
        {words.by}{" "}
        <select
          className="input u-auto"
          aria-label={words.brokenDownBy}
          value={props.by}
          onChange={(event) =>
            props.onChange(event.target.value, props.by2 === event.target.value ? null : props.by2)
          }
        >
          {known.map((one) => (
            <option key={one} value={one}>
              {byWord(one)}
            </option>
          ))}
        </select>
      </label>
      <label>
        {words.and}{" "}
        <select
          className="input u-auto"
          aria-label={words.andBy}
          value={props.by2 ?? ""}
          onChange={(event) => props.onChange(props.by, event.target.value || null)}
        >
          <option value="">{words.nothingElse}</option>
          {known
            .filter((one) => one !== props.by)
            .map((one) => (
              <option key={one} value={one}>
                {byWord(one)}
              </option>
            ))}
        </select>
      </label>
    </>
  );
}
