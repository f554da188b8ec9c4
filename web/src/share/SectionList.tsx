/** The sections of the pages: chosen, and put in order by keys or buttons. */
import type { KeyboardEvent } from "react";
import { share as words } from "../words/steps/share";
import { moved } from "./pages";
import css from "./share.module.css";

const TEAM_ONLY = ["doubtful", "decisions", "internal"];

export function SectionList(props: {
  /** Those the audience may have. */
  all: string[];
  chosen: string[];
  empty: string[];
  onChange: (chosen: string[]) => void;
}) {
  const { all, chosen, onChange } = props;
  const rest = all.filter((one) => !chosen.includes(one));
  const name = (section: string) => words.sectionNames[section] ?? section;
  const onKey = (section: string) => (event: KeyboardEvent) => {
    const by = event.key === "ArrowUp" ? -1 : event.key === "ArrowDown" ? 1 : 0;
    if (!event.altKey || !by) return;
    event.preventDefault();
    onChange(moved(chosen, section, by));
  };
  return (
    <fieldset className={css.sections}>
      <legend>{words.sections}</legend>
      {[...chosen, ...rest].map((section) => {
        const on = chosen.includes(section);
        return (
          <div key={section} className={css.section}>
            <label>
              <input
                type="checkbox"
                checked={on}
                onKeyDown={onKey(section)}
                onChange={() => onChange(on ? chosen.filter((one) => one !== section) : [...chosen, section])}
              />{" "}
              {name(section)}
              {TEAM_ONLY.includes(section) && <span className="quiet small"> · {words.teamOnly}</span>}
              {on && props.empty.includes(section) && <span className="quiet small"> · {words.empty}</span>}
            </label>
            {on && (
              <span className={css.order}>
                <button
                  type="button"
                  className="word"
                  aria-label={words.up(name(section))}
                  disabled={section === chosen[0]}
                  onClick={() => onChange(moved(chosen, section, -1))}
                >
                  ↑
                </button>
                <button
                  type="button"
                  className="word"
                  aria-label={words.down(name(section))}
                  disabled={section === chosen.at(-1)}
                  onClick={() => onChange(moved(chosen, section, 1))}
                >
                  ↓
                </button>
              </span>
            )}
          </div>
        );
      })}
    </fieldset>
  );
}
