/** The controls that pickers of the scope are made of. */
import { Select } from "antd";
import { useState } from "react";
import type { Schemas } from "../api/client";
import { scope as words } from "../words/around/scope";
import type { Scope } from "./scope";

export interface PartProps {
  scope: Scope;
  choices: Schemas["ScopeChoices"];
  change: (part: Partial<Scope>) => void;
  onDone: () => void;
}

export function Radios<T extends string | boolean>(props: {
  title: string;
  name: string;
  value: T;
  options: [T, string, string][];
  onChange: (value: T) => void;
}) {
  return (
    <fieldset className="u-bare">
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
            {why && <small>{why}</small>}
          </span>
        </label>
      ))}
    </fieldset>
  );
}

export function Many(props: {
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
        placeholder={words.any}
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
