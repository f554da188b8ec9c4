/** What a breakdown goes by, and a second one crossed with it. */
import { useChoices } from "../scope/Picker";
import { BY, type By, type Scope } from "../scope/scope";

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
        by{" "}
        <select
          className="input"
          style={{ width: "auto" }}
          aria-label="Broken down by"
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
        and{" "}
        <select
          className="input"
          style={{ width: "auto" }}
          aria-label="and by"
          value={props.by2 ?? ""}
          onChange={(event) => props.onChange(props.by, event.target.value || null)}
        >
          <option value="">nothing else</option>
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
