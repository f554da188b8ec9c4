/** Views kept by name: keep the one at hand, open, share, forget. */
import { useQueryClient } from "@tanstack/react-query";
import { type FormEvent, useState } from "react";
import { useLocation, useNavigate } from "react-router";
import { client, got, type Schemas } from "../api/client";
import { useScope } from "../scope/ScopeContext";
import { withScope } from "../scope/scope";
import { useRail } from "../scope/useRail";
import { Dialog } from "../ui/Dialog";
import { FormEnd } from "../ui/FormEnd";
import { views as words } from "../words/around/views";
import { PassOn } from "./PassOn";
import { Sharing } from "./Sharing";
import { useViews } from "./useViews";

type View = Schemas["SavedView"];
const STEPS = ["check", "compare", "growth", "needs", "groups", "follow-up", "share"] as const;
type Step = (typeof STEPS)[number];

function Line({
  view,
  onOpen,
  onFault,
}: {
  view: View;
  onOpen: () => void;
  onFault: (message: string) => void;
}) {
  const cache = useQueryClient();
  const act = async (work: Promise<unknown>) => {
    try {
      await work;
      cache.invalidateQueries({ queryKey: ["views"] });
    } catch (error) {
      onFault((error as Error).message);
    }
  };
  const path = { params: { path: { key: view.key } } };
  const change = (body: Schemas["ViewChange"]) =>
    act(got(client.PATCH("/api/views/{key}", { ...path, body })));
  return (
    <li>
      {view.mine && (
        <button
          type="button"
          className="word"
          aria-label={
            view.favourite ? words.noFavouriteAnyMore(view.name) : words.makeItAFavourite(view.name)
          }
          onClick={() => change({ favourite: !view.favourite })}
        >
          {view.favourite ? "★" : "☆"}
        </button>
      )}{" "}
      <button type="button" className="open" onClick={onOpen}>
        {view.name}
      </button>{" "}
      <span className="quiet small">
        {view.step}
        {view.line && ` · ${view.line}`}
        {!view.mine && ` · ${words.from(view.by)}`}
      </span>{" "}
      {view.mine && (
        <>
          <button
            type="button"
            className="word"
            aria-label={words.forget(view.name)}
            onClick={() => act(got(client.DELETE("/api/views/{key}", path)))}
          >
            {words.forget2}
          </button>
          <Sharing view={view} onChange={change} />
        </>
      )}
    </li>
  );
}

export function ViewsDialog({ onClose }: { onClose: () => void }) {
  const { scope } = useScope();
  const rail = useRail();
  const views = useViews();
  const cache = useQueryClient();
  const navigate = useNavigate();
  const here = useLocation().pathname.split("/")[1] ?? "";
  const step: Step = STEPS.find((one) => one === here) ?? "compare";
  const [name, setName] = useState("");
  const [line, setLine] = useState("");
  const [fault, setFault] = useState("");
  const keep = async (event: FormEvent) => {
    event.preventDefault();
    if (!scope) return;
    setFault("");
    const query = withScope(new URLSearchParams(window.location.search), scope).toString();
    try {
      await got(
        client.POST("/api/views", {
          body: { name, step, query, ...(line ? { line } : {}) },
        }),
      );
      setName("");
      setLine("");
      cache.invalidateQueries({ queryKey: ["views"] });
    } catch (error) {
      setFault((error as Error).message);
    }
  };
  const caption = rail.data?.pieces.map((piece) => piece.text).join("");
  return (
    <Dialog title={words.viewsKeptByName} onClose={onClose}>
      {views.data?.length === 0 && <p className="quiet">{words.noneYetKeepTheOne}</p>}
      <ul className="findings">
        {(views.data ?? []).map((view) => (
          <Line
            key={view.key}
            view={view}
            onFault={setFault}
            onOpen={() => {
              onClose();
              navigate(`/${view.step}?${view.query}`);
            }}
          />
        ))}
      </ul>
      {scope && (
        <form onSubmit={keep} className="u-above-14">
          <h2 className="u-larger">{words.keepWhatIsLookedAt}</h2>
          <p className="quiet small">{caption}</p>
          <label className="field">
            <span>{words.name}</span>
            <input value={name} maxLength={160} required onChange={(event) => setName(event.target.value)} />
          </label>
          <label className="field">
            <span>{words.aLineAboutIt}</span>
            <input value={line} maxLength={255} onChange={(event) => setLine(event.target.value)} />
          </label>
          <p className="quiet small">{words.aSharedViewShowsOthers}</p>
          <FormEnd fault={fault} onClose={onClose} act={words.keep} away={words.close} />
        </form>
      )}
      <PassOn />
    </Dialog>
  );
}
