/** The rules of a proposal: who is kept apart or together, and which adults can teach when. */
import { useQuery } from "@tanstack/react-query";
import { useState } from "react";
import { client, got } from "../../api/client";
import { useSaid } from "../../people/Hiding";
import { groups as words } from "../../words/steps/groups";
import css from "../board.module.css";

export interface Student {
  id: string;
  name: string;
}
export type Pair = [string, string];

/** One of the students, by name. */
function StudentSelect(props: {
  label: string;
  students: Student[];
  value: string;
  onChange: (id: string) => void;
}) {
  const said = useSaid();
  return (
    <select
      className="plain"
      aria-label={props.label}
      value={props.value}
      onChange={(event) => props.onChange(event.target.value)}
    >
      <option value="">–</option>
      {props.students.map((student) => (
        <option key={student.id} value={student.id}>
          {said(student.name)}
        </option>
      ))}
    </select>
  );
}

/** Pairs of students who are kept apart, or together. */
export function Pairs(props: {
  label: string;
  students: Student[];
  pairs: Pair[];
  onChange: (pairs: Pair[]) => void;
}) {
  const { label, students, pairs } = props;
  const said = useSaid();
  const [one, setOne] = useState("");
  const [other, setOther] = useState("");
  const name = (id: string) => said(students.find((student) => student.id === id)?.name ?? id);
  return (
    <div className={css.pair}>
      <span>{label}</span>
      <StudentSelect label={`${label} 1`} students={students} value={one} onChange={setOne} /> {words.and}{" "}
      <StudentSelect label={`${label} 2`} students={students} value={other} onChange={setOther} />
      <button
        type="button"
        className="plain"
        disabled={!one || !other || one === other}
        onClick={() => {
          props.onChange([...pairs, [one, other]]);
          setOne("");
          setOther("");
        }}
      >
        {words.addPair}
      </button>
      {pairs.map((pair) => (
        <span key={pair.join()}>
          {name(pair[0])} {words.and} {name(pair[1])}{" "}
          <button
            type="button"
            className="word"
            aria-label={`${words.remove} ${name(pair[0])} ${words.and} ${name(pair[1])}`}
            onClick={() => props.onChange(pairs.filter((kept) => kept !== pair))}
          >
            ×
          </button>
        </span>
      ))}
    </div>
  );
}

/** The slots of a row as they are typed, and the way to take the row out. */
function SlotsOfRow(props: {
  label: string;
  remove: string;
  slots: string;
  onChange: (slots: string) => void;
  onRemove: () => void;
}) {
  return (
    <>
      <input
        className="plain"
        aria-label={props.label}
        placeholder={words.slotsHint}
        value={props.slots}
        onChange={(event) => props.onChange(event.target.value)}
      />
      <button type="button" className="word" aria-label={props.remove} onClick={props.onRemove}>
        ×
      </button>
    </>
  );
}

/** When a student must stay in class; slots as the adults have them. */
export interface StayRow {
  student: string;
  slots: string;
}

export function Stays(props: { students: Student[]; rows: StayRow[]; onChange: (rows: StayRow[]) => void }) {
  const { students, rows, onChange } = props;
  const change = (at: number, part: Partial<StayRow>) =>
    onChange(rows.map((row, place) => (place === at ? { ...row, ...part } : row)));
  return (
    <fieldset className={css.rule}>
      <legend>{words.stays}</legend>
      {rows.map((row, at) => (
        // biome-ignore lint/suspicious/noArrayIndexKey: a row is its place
        <span className={css.slot} key={at}>
          <StudentSelect
            label={words.staysWho(at + 1)}
            students={students}
            value={row.student}
            onChange={(student) => change(at, { student })}
          />
          <SlotsOfRow
            label={words.staysWhen(at + 1)}
            remove={`${words.remove} ${words.staysWho(at + 1)}`}
            slots={row.slots}
            onChange={(slots) => change(at, { slots })}
            onRemove={() => onChange(rows.filter((_, place) => place !== at))}
          />
        </span>
      ))}
      <button type="button" className="word" onClick={() => onChange([...rows, { student: "", slots: "" }])}>
        {words.addStay}
      </button>
    </fieldset>
  );
}

export interface AdultRow {
  adult: string;
  slots: string;
}

export function Adults({ rows, onChange }: { rows: AdultRow[]; onChange: (rows: AdultRow[]) => void }) {
  const adults = useQuery({ queryKey: ["adults"], queryFn: () => got(client.GET("/api/groups/adults")) });
  const change = (at: number, part: Partial<AdultRow>) =>
    onChange(rows.map((row, place) => (place === at ? { ...row, ...part } : row)));
  return (
    <fieldset className={css.rule}>
      <legend>{words.adults}</legend>
      {rows.map((row, at) => (
        // biome-ignore lint/suspicious/noArrayIndexKey: a row is its place
        <div className={css.pair} key={at}>
          <select
            className="plain"
            aria-label={`${words.adult} ${at + 1}`}
            value={row.adult}
            onChange={(event) => change(at, { adult: event.target.value })}
          >
            <option value="">–</option>
            {(adults.data ?? []).map((one) => (
              <option key={one.id}>{one.name}</option>
            ))}
          </select>
          <SlotsOfRow
            label={`${words.slots} ${at + 1}`}
            remove={`${words.remove} ${words.adult} ${at + 1}`}
            slots={row.slots}
            onChange={(slots) => change(at, { slots })}
            onRemove={() => onChange(rows.filter((_, place) => place !== at))}
          />
        </div>
      ))}
      <button type="button" className="word" onClick={() => onChange([...rows, { adult: "", slots: "" }])}>
        {words.addAdult}
      </button>
    </fieldset>
  );
}
