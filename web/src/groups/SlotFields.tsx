/** When a group meets: a weekday, from, to; as many as there are. */
import { groups as words } from "../words/steps/groups";
import css from "./board.module.css";

const DAYS = ["Mon", "Tue", "Wed", "Thu", "Fri"];
const FORM = /^(Mon|Tue|Wed|Thu|Fri)\w* (\d{1,2}:\d{2})(?:\s?-\s?(\d{1,2}:\d{2}))?$/;

export interface Slot {
  day: string;
  from: string;
  to: string;
  /** Words that name no time, kept as they are. */
  words: string;
}

const padded = (time: string) => (time.length === 4 ? `0${time}` : time);
const short = (time: string) => time.replace(/^0(\d:)/, "$1");

export function readSlot(text: string): Slot {
  const found = FORM.exec(text.trim());
  if (!found) return { day: "", from: "", to: "", words: text };
  return { day: found[1] ?? "", from: padded(found[2] ?? ""), to: padded(found[3] ?? ""), words: "" };
}

/** The slot as it is kept; empty while it is not filled in. */
export function slotText(slot: Slot): string {
  if (slot.words) return slot.words;
  if (!slot.day || !slot.from) return "";
  return `${slot.day} ${short(slot.from)}${slot.to ? `-${short(slot.to)}` : ""}`;
}

export function SlotFields({ slots, onChange }: { slots: Slot[]; onChange: (slots: Slot[]) => void }) {
  const change = (at: number, part: Partial<Slot>) =>
    onChange(slots.map((slot, place) => (place === at ? { ...slot, ...part } : slot)));
  return (
    <fieldset className={css.rule}>
      <legend>{words.meetsOn}</legend>
      {slots.map((slot, at) => (
        // biome-ignore lint/suspicious/noArrayIndexKey: a slot is its place
        <span key={at} className={css.slot}>
          {slot.words ? (
            <span>{slot.words}</span>
          ) : (
            <>
              <select
                className="plain"
                aria-label={words.slotDay(at + 1)}
                value={slot.day}
                onChange={(event) => change(at, { day: event.target.value })}
              >
                <option value="">–</option>
                {DAYS.map((day) => (
                  <option key={day}>{day}</option>
                ))}
              </select>
              <input
                className="plain"
                type="time"
                aria-label={words.slotFrom(at + 1)}
                value={slot.from}
                onChange={(event) => change(at, { from: event.target.value })}
              />
              <input
                className="plain"
                type="time"
                aria-label={words.slotTo(at + 1)}
                value={slot.to}
                onChange={(event) => change(at, { to: event.target.value })}
              />
            </>
          )}
          <button
            type="button"
            className="word"
            aria-label={`${words.remove} ${words.slot(at + 1)}`}
            onClick={() => onChange(slots.filter((_, place) => place !== at))}
          >
            ×
          </button>
        </span>
      ))}
      <button
        type="button"
        className="word"
        onClick={() => onChange([...slots, { day: "", from: "", to: "", words: "" }])}
      >
        {words.addSlot}
      </button>
    </fieldset>
  );
}
