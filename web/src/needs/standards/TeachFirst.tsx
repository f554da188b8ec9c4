/** What to teach first: skills by how many lack them and how much rests on them. */
import { useState } from "react";
import type { Schemas } from "../../api/client";
import { type EvidenceAsked, usePanel } from "../../panel/PanelContext";
import { needs as words } from "../../words/steps/needs";
import css from "./standards.module.css";

type Skill = Schemas["SkillRow"];

const FIRST = 6;

/** When a skill is taught over the classes: one word where it is the same in all. */
export function taughtWord(skill: Skill): string {
  const said: Record<string, string> = {
    before: words.before,
    now: words.now,
    later: words.later,
    never: words.never,
  };
  const counts = Object.entries(skill.taught);
  if (counts.length < 2) return said[counts[0]?.[0] ?? ""] ?? "";
  return counts.map(([when, n]) => `${n} ${said[when] ?? when}`).join(", ");
}

export function TeachFirst(props: {
  skills: Skill[];
  evidence: EvidenceAsked;
  chosen: string | null;
  hasCalendar: boolean;
  onChoose: (standard: string) => void;
}) {
  const [all, setAll] = useState(false);
  const { open } = usePanel();
  const known = props.skills.filter((skill) => skill.evidence > 0 || skill.lacking > 0);
  const shown = all ? known : known.slice(0, FIRST);
  return (
    <section>
      <h2>{words.teachFirst}</h2>
      <table className={`rows ${css.skills}`}>
        <thead>
          <tr>
            <th>{words.skill}</th>
            <th className="num" title={words.lackTitle}>
              {words.lackIt}
            </th>
            <th className="num" title={words.restOnTitle}>
              {words.restOn}
            </th>
            {props.hasCalendar && <th>{words.taught}</th>}
            <th className="num">{words.material}</th>
          </tr>
        </thead>
        <tbody>
          {shown.map((skill) => (
            <tr key={skill.standard} aria-selected={skill.standard === props.chosen}>
              <td>
                <button type="button" className="open" onClick={() => props.onChoose(skill.standard)}>
                  {skill.text}
                </button>{" "}
                <span className="quiet small">
                  {skill.standard} · {skill.strand}
                </span>
              </td>
              <td className="num">
                <button
                  type="button"
                  className="open"
                  disabled={!skill.lacking}
                  onClick={() =>
                    open({
                      needs: {
                        of: "standard",
                        standard: skill.standard,
                        state: "lacking",
                        evidence: props.evidence,
                      },
                    })
                  }
                >
                  {skill.lacking}
                </button>{" "}
                <span className="quiet">{words.of(skill.evidence)}</span>
              </td>
              <td className="num">{skill.later}</td>
              {props.hasCalendar && <td className="small">{taughtWord(skill)}</td>}
              <td className="num">{skill.materials || <span className="quiet">–</span>}</td>
            </tr>
          ))}
        </tbody>
      </table>
      {known.length > FIRST && (
        <button type="button" className="word" onClick={() => setAll(!all)}>
          {all ? words.fewerSkills : words.moreSkills(known.length)}
        </button>
      )}
    </section>
  );
}
