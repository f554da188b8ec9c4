/** Which windows: one, two or several of the calendar, or days of one's own. */
import { useState } from "react";
import type { Schemas } from "../api/client";
import { scope as words } from "../words/around/scope";
import { percent, students } from "../words/format";
import type { PartProps } from "./Choosing";
import { isOwn, windowOrder, windowsOf, withWindows } from "./scope";

type Window = Schemas["WindowChoice"];
type Mode = "one" | "two" | "several";

function said(one: Window): string {
  if (one.n === 0) return words.stillToCome;
  const share = one.share != null && one.share < 1 ? words.tested(percent(one.share)) : "";
  return `${students(one.n)}${share}${one.unfinished ? ", unfinished" : ""}`;
}

const OWN = "own";

/** A window from the calendar's list, or two days that are kept once both stand and fit. */
function One(props: {
  label: string;
  value: string;
  windows: Window[];
  fits: (name: string) => boolean;
  onChange: (name: string) => void;
}) {
  const [own, setOwn] = useState(isOwn(props.value));
  const [days, setDays] = useState(() => (isOwn(props.value) ? props.value.split("..") : ["", ""]));
  const names = props.windows.map((one) => one.name);
  const set = (at: number, day: string) => {
    const next = at === 0 ? [day, days[1] ?? ""] : [days[0] ?? "", day];
    setDays(next);
    const span = next.join("..");
    if (next[0] && next[1] && next[0] <= next[1] && props.fits(span)) props.onChange(span);
  };
  const wrong = days[0] && days[1] && (days[0] > days[1] || !props.fits(days.join("..")));
  return (
    <>
      <label className="field">
        <span>{props.label}</span>
        <select
          value={own ? OWN : props.value}
          onChange={(event) => {
            setOwn(event.target.value === OWN);
            if (event.target.value !== OWN) props.onChange(event.target.value);
          }}
        >
          {[...new Set([...names, ...(isOwn(props.value) ? [] : [props.value])])].map((name) => {
            const one = props.windows.find((choice) => choice.name === name);
            return (
              <option key={name} value={name} disabled={!props.fits(name)}>
                {name} {one ? `(${said(one)})` : words.noResults}
              </option>
            );
          })}
          <option value={OWN}>{words.daysOfMyOwn}</option>
        </select>
      </label>
      {own && (
        <div className="two">
          <label className="field">
            <span>{words.from}</span>
            <input type="date" value={days[0]} onChange={(event) => set(0, event.target.value)} />
          </label>
          <label className="field">
            <span>{words.to}</span>
            <input type="date" value={days[1]} onChange={(event) => set(1, event.target.value)} />
          </label>
        </div>
      )}
      {own && wrong && <p className="fault small">{words.theDaysMustFollowOne}</p>}
    </>
  );
}

function modeOf(windows: string[]): Mode {
  return windows.length === 1 ? "one" : windows.length === 2 ? "two" : "several";
}

export function PickWindows({ scope, choices, change, onDone }: PartProps) {
  const chosen = windowsOf(scope);
  const [mode, setMode] = useState<Mode>(modeOf(chosen));
  const before = (a: string, b: string) => windowOrder(a) < windowOrder(b);
  const names = choices.windows.map((one) => one.name);
  const turn = (next: Mode) => {
    setMode(next);
    if (next === "one") change(withWindows([scope.to_window]));
    if (next === "two" && chosen.length !== 2) {
      const earlier = names.find((name) => before(name, scope.to_window));
      const first = chosen.length > 2 ? scope.from_window : earlier;
      if (first) change(withWindows([first, scope.to_window]));
    }
  };
  const summer = names.flatMap((name) => {
    const [year = "", season] = name.split(" ");
    const begins = Number(year.slice(0, 4)) + 1;
    const next = `${begins}-${String((begins + 1) % 100).padStart(2, "0")} fall`;
    return season === "spring" && names.includes(next) ? [[name, next]] : [];
  })[0];
  const tick = (name: string, on: boolean) => {
    const next = on ? [...chosen, name] : chosen.filter((one) => one !== name);
    if (next.length > 0) change(withWindows(next));
  };
  return (
    <div>
      <h2>{words.whichWindows}</h2>
      <fieldset className="choice u-below-10" aria-label={words.howManyWindows}>
        {(["one", "two", "several"] as const).map((one) => (
          <button key={one} type="button" aria-pressed={mode === one} onClick={() => turn(one)}>
            {one}
          </button>
        ))}
      </fieldset>
      {mode === "one" && (
        <One
          label={words.window}
          value={scope.to_window}
          windows={choices.windows}
          fits={() => true}
          onChange={(name) => change(withWindows([name]))}
        />
      )}
      {mode === "two" && (
        <>
          <One
            label={words.firstWindow}
            value={scope.from_window}
            windows={choices.windows}
            fits={(name) => before(name, scope.to_window)}
            onChange={(name) => change({ from_window: name, between: [] })}
          />
          <One
            label={words.secondWindow}
            value={scope.to_window}
            windows={choices.windows}
            fits={(name) => before(scope.from_window, name)}
            onChange={(name) => change({ to_window: name, between: [] })}
          />
          {summer && (
            <button type="button" className="word" onClick={() => change(withWindows(summer))}>
              {words.overTheLastSummer}
            </button>
          )}
        </>
      )}
      {mode === "several" && (
        <fieldset className="u-bare">
          <legend className="unseen">{words.windowsLookedAt}</legend>
          {choices.windows
            .filter((one) => one.n > 0)
            .map((one) => (
              <label className="pick" key={one.name}>
                <input
                  type="checkbox"
                  checked={chosen.includes(one.name)}
                  onChange={(event) => tick(one.name, event.target.checked)}
                />
                <span>
                  {one.name} <small className="u-inline">{said(one)}</small>
                </span>
              </label>
            ))}
          <button
            type="button"
            className="word"
            onClick={() =>
              change(withWindows(choices.windows.filter((one) => one.n > 0).map((one) => one.name)))
            }
          >
            {words.allOfThem}
          </button>
        </fieldset>
      )}
      <div className="u-above-8">
        <button type="button" className="plain" onClick={onDone}>
          {words.done}
        </button>
      </div>
    </div>
  );
}
