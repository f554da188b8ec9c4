/** One box for any words: a grade, a school, a class, a teacher, a program, a group, or several of them at once. */
import { AutoComplete } from "antd";
import { useMemo, useState } from "react";
import { scope as words } from "../words/around/scope";
import type { PartProps } from "./Choosing";
import { findWho, type Match, withMatches } from "./findWho";

/** A choice as the list keeps it: the places of its matches in ``offered``. */
interface Offer {
  value: string;
  label: string;
  matches: Match[];
}

function offers(text: string, choices: PartProps["choices"]): Offer[] {
  const { together, each } = findWho(text, choices);
  const found = each.map((match) => ({
    value: `${match.key} ${match.value}`,
    label: match.label,
    matches: [match],
  }));
  if (together.length < 2) return found;
  const label = together.map((match) => match.label).join(" · ");
  return [{ value: `all ${label}`, label, matches: together }, ...found];
}

export function WhoBox({ scope, choices, change }: Omit<PartProps, "onDone">) {
  const [text, setText] = useState("");
  const options = useMemo(() => (text.trim() ? offers(text, choices) : []), [text, choices]);
  return (
    <AutoComplete
      className="who-box"
      value={text}
      options={options}
      defaultActiveFirstOption
      notFoundContent={text.trim() ? words.nothingOfThatName : null}
      placeholder={words.anyWords4SaltgrassMultilingual}
      aria-label={words.findStudentsByGradeSchool}
      getPopupContainer={(node) => node.parentElement ?? document.body}
      onChange={(next: string) => setText(options.some((one) => one.value === next) ? "" : next)}
      onSelect={(_: string, offer: Offer) => {
        change(withMatches(scope, offer.matches));
        setText("");
      }}
    />
  );
}
