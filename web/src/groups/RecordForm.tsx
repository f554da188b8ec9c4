/** A group's record: what it works on, with whom, when, and the rules by which students come and go. */
import { useQuery } from "@tanstack/react-query";
import { type FormEvent, useState } from "react";
import { client, got, type Schemas } from "../api/client";
import { useScope } from "../scope/ScopeContext";
import { useChoices } from "../scope/useChoices";
import type { Act } from "../step/useAct";
import { Dialog } from "../ui/Dialog";
import { FormEnd } from "../ui/FormEnd";
import { groups as words } from "../words/steps/groups";
import css from "./board.module.css";
import { type Rule, RuleFields } from "./RuleFields";
import { readSlot, type Slot, SlotFields, slotText } from "./SlotFields";

type Group = Schemas["GroupAnswer"];
type Change = Schemas["GroupChange"];

const TIERS = [1, 2, 3];
const numberOf = (text: string) => (text === "" ? null : Number(text));

/** What the form holds, as it is typed. */
interface Typed {
  name: string;
  focus: string;
  tier: string;
  adult: string;
  second: string;
  times: string;
  minutes: string;
  fewest: string;
  most: string;
  first: string;
  last: string;
}

const text = (value: number | null | undefined) => (value == null ? "" : String(value));

function typedOf(group: Group): Typed {
  return {
    name: group.name,
    focus: group.focus,
    tier: text(group.tier),
    adult: text(group.adult_id),
    second: text(group.second_adult_id),
    times: text(group.times_a_week),
    minutes: text(group.minutes),
    fewest: text(group.fewest),
    most: text(group.most),
    first: group.first_day,
    last: group.last_day,
  };
}

function AdultField(props: { label: string; value: string; onChange: (value: string) => void }) {
  const adults = useQuery({ queryKey: ["adults"], queryFn: () => got(client.GET("/api/groups/adults")) });
  return (
    <label className="field">
      <span>{props.label}</span>
      <select value={props.value} onChange={(event) => props.onChange(event.target.value)}>
        <option value="">{words.nobodyYet}</option>
        {(adults.data ?? []).map((one) => (
          <option key={one.id} value={one.id}>
            {one.name}, {one.role.replace("_", " ")}
          </option>
        ))}
      </select>
    </label>
  );
}

export function RecordForm(props: {
  group: Group;
  act: Act;
  onSave: (body: Change) => Promise<unknown>;
  onClose: () => void;
}) {
  const { group, act } = props;
  const { scope } = useScope();
  const choices = useChoices(scope);
  const measures = choices.data?.measures ?? [];
  const [typed, setTyped] = useState(() => typedOf(group));
  const [slots, setSlots] = useState<Slot[]>(() => group.slots.map(readSlot));
  const [entry, setEntry] = useState<Rule | null>(group.entry);
  const [exit, setExit] = useState<Rule | null>(group.exit);
  const set = (name: keyof Typed) => (value: string) => setTyped({ ...typed, [name]: value });
  const measure = {
    assessment: group.assessment ?? scope?.assessment ?? "",
    subject: group.subject ?? scope?.subject ?? "",
  };
  const strands = measures.find(
    (one) => one.assessment === measure.assessment && one.subject === measure.subject,
  )?.strands;
  const send = (event: FormEvent) => {
    event.preventDefault();
    const body: Change = {
      name: typed.name,
      focus: typed.focus,
      tier: numberOf(typed.tier),
      adult_id: numberOf(typed.adult),
      second_adult_id: numberOf(typed.second),
      slots: slots.map(slotText).filter(Boolean),
      times_a_week: numberOf(typed.times),
      minutes: numberOf(typed.minutes),
      fewest: numberOf(typed.fewest),
      most: numberOf(typed.most),
      first_day: typed.first,
      last_day: typed.last,
      add: [],
      remove: [],
    };
    // A rule that was not touched stays as it is, also one in words that came with an import.
    if (entry !== group.entry) body.entry_rule = entry;
    if (exit !== group.exit) body.exit_rule = exit;
    props.onSave(body);
  };
  const field = (
    label: string,
    name: keyof Typed,
    more: { type?: string; required?: boolean; min?: number; max?: number; list?: string } = {},
  ) => (
    <label className="field">
      <span>{label}</span>
      <input
        value={typed[name]}
        maxLength={160}
        {...more}
        onChange={(event) => set(name)(event.target.value)}
      />
    </label>
  );
  const count = (label: string, name: keyof Typed, min: number, max: number) =>
    field(label, name, { type: "number", min, max });
  return (
    <Dialog title={words.changeTheGroup} wide onClose={props.onClose}>
      <form onSubmit={send}>
        <div className="two">
          {field(words.name, "name", { required: true })}
          {field(words.focusWhatTheyWorkOn, "focus", { required: true, list: "group-strands" })}
        </div>
        <datalist id="group-strands">
          {(strands ?? []).map((strand) => (
            <option key={strand} value={strand} />
          ))}
        </datalist>
        <div className="two">
          <AdultField label={words.adult} value={typed.adult} onChange={set("adult")} />
          <AdultField label={words.secondAdult} value={typed.second} onChange={set("second")} />
        </div>
        <div className={css.form}>
          <label className="field">
            <span>{words.tier}</span>
            <select value={typed.tier} onChange={(event) => set("tier")(event.target.value)}>
              <option value="">–</option>
              {TIERS.map((tier) => (
                <option key={tier}>{tier}</option>
              ))}
            </select>
          </label>
          {count(words.timesAWeek, "times", 1, 20)}
          {count(words.minutesEach, "minutes", 1, 600)}
          {count(words.fewest, "fewest", 0, 300)}
          {count(words.most, "most", 1, 300)}
        </div>
        <SlotFields slots={slots} onChange={setSlots} />
        <div className="two">
          {field(words.start, "first", { type: "date", required: true })}
          {field(words.end, "last", { type: "date", required: true })}
        </div>
        <RuleFields
          label={words.entryRule}
          rule={entry}
          kept={group.entry ? null : (group.entry_rule ?? null)}
          measures={measures}
          first={measure}
          onChange={setEntry}
        />
        <RuleFields
          label={words.exitRule}
          rule={exit}
          kept={group.exit ? null : (group.exit_rule ?? null)}
          measures={measures}
          first={measure}
          onChange={setExit}
        />
        <FormEnd
          fault={act.fault?.message ?? ""}
          onClose={props.onClose}
          act={words.saveChanges}
          disabled={act.busy}
        />
      </form>
    </Dialog>
  );
}
