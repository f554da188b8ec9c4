/** Sets of sections that the district keeps by name. */
import { useState } from "react";
import { client, got, type Schemas } from "../api/client";
import { useMe } from "../people/me";
import { Done } from "../step/Done";
import { Fault } from "../step/Fault";
import { useAct } from "../step/useAct";
import { share as words } from "../words/steps/share";
import type { Audience, PagesAsked } from "./pages";
import css from "./share.module.css";

const outcome = (kept: { id: number; said: string }) => ({ said: kept.said, act: kept.id });

export function Sets(props: {
  choices: Schemas["ShareChoices"];
  pages: PagesAsked;
  onChange: (pages: PagesAsked) => void;
}) {
  const { choices, pages, onChange } = props;
  const me = useMe();
  const act = useAct("page set");
  const [name, setName] = useState("");
  const same = choices.sets.find(
    (one) => one.audience === pages.audience && one.sections.join() === pages.sections.join(),
  );
  const keep = async () => {
    const body = { name, audience: pages.audience, sections: pages.sections };
    if (await act.run(() => got(client.POST("/api/share/sets", { body })), outcome)) setName("");
  };
  return (
    <details className={css.sets}>
      <summary>{words.sets}</summary>
      {choices.sets.length > 0 && (
        <select
          className="input"
          aria-label={words.sets}
          value={same?.id ?? ""}
          onChange={(event) => {
            const set = choices.sets.find((one) => one.id === Number(event.target.value));
            if (set) onChange({ ...pages, audience: set.audience as Audience, sections: set.sections });
          }}
        >
          <option value="">{words.noSet}</option>
          {choices.sets.map((one) => (
            <option key={one.id} value={one.id}>
              {`${one.name} (${words.audiences[one.audience] ?? one.audience})`}
            </option>
          ))}
        </select>
      )}
      {me.may_decide && (
        <>
          <label className="field">
            <span>{words.setName}</span>
            <input
              className="input"
              maxLength={160}
              value={name}
              onChange={(event) => setName(event.target.value)}
            />
          </label>
          <button type="button" className="plain" disabled={!name.trim() || act.busy} onClick={keep}>
            {words.keepSet}
          </button>{" "}
          {same && (
            <button
              type="button"
              className="word"
              onClick={() =>
                act.run(
                  () => got(client.DELETE("/api/share/sets/{key}", { params: { path: { key: same.id } } })),
                  outcome,
                )
              }
            >
              {words.giveUp}
            </button>
          )}
        </>
      )}
      <div role="status" aria-live="polite">
        <Done said={act.said} act={act.last} undo={act.undo} />
      </div>
      <Fault said={act.fault?.message} />
    </details>
  );
}
