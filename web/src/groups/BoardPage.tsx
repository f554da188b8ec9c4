/** The Groups step: the board of the sentence's students, proposals, and the list of groups. */

import { useQuery } from "@tanstack/react-query";
import { useState } from "react";
import { NavLink, useParams } from "react-router";
import { client, got } from "../api/client";
import { useMe } from "../people/me";
import { useScope } from "../scope/ScopeContext";
import { asked, type Scope } from "../scope/scope";
import { Done } from "../step/Done";
import { Shown } from "../step/Shown";
import { useAct } from "../step/useAct";
import { Download } from "../ui/Download";
import { PrintButton } from "../ui/PrintButton";
import { groups as words } from "../words/steps/groups";
import { Board } from "./Board";
import css from "./board.module.css";
import { GroupsPage } from "./GroupsPage";
import { Propose } from "./proposals/Propose";
import { TalkPage } from "./TalkPage";
import { WeekPage } from "./WeekPage";

function BoardView({ scope }: { scope: Scope }) {
  const me = useMe();
  const act = useAct("group");
  const [proposing, setProposing] = useState(false);
  const [on, setOn] = useState("");
  const [done, setDone] = useState<{ said: string; act: number } | null>(null);
  const answer = useQuery({
    queryKey: ["groups", "board", scope, on],
    queryFn: () =>
      got(client.GET("/api/board", { params: { query: { ...asked(scope), ...(on ? { on } : {}) } } })),
    placeholderData: (before) => before,
  });
  return (
    <Shown query={answer}>
      {(data) => (
        <>
          <h1>{data.headline}</h1>
          <p className="lead">{data.lead}</p>
          <div role="status" aria-live="polite">
            <Done
              said={done?.said ?? act.said}
              act={done?.act ?? null}
              undo={(key) => act.undo(key).then(() => setDone(null))}
            />
          </div>
          {proposing ? (
            <Propose
              scope={scope}
              board={data}
              onDone={(said, key) => {
                setProposing(false);
                setDone(said && key !== null ? { said, act: key } : null);
              }}
            />
          ) : (
            <p className={css.pair}>
              {me.may_make_groups && !on && (
                <button type="button" className="plain" onClick={() => setProposing(true)}>
                  {words.propose}
                </button>
              )}
              <label>
                {words.asItWas}{" "}
                <input
                  className="plain"
                  type="date"
                  max={me.today}
                  value={on}
                  onChange={(event) => setOn(event.target.value)}
                />
              </label>
              {me.may_export && (
                <Download path="board/members" query={on ? `on=${on}` : ""} what={words.everyGroup} />
              )}
              <PrintButton />
            </p>
          )}
          {on && <p className="aside">{words.asItWasThen}</p>}
          <Board answer={data} />
        </>
      )}
    </Shown>
  );
}

export function BoardPage() {
  const { scope, to } = useScope();
  const { view } = useParams();
  return (
    <>
      <nav className="ways" aria-label={words.waysToLook}>
        <NavLink to={to("/groups")} end>
          {words.list}
        </NavLink>
        <NavLink to={to("/groups/board")}>{words.board}</NavLink>
        <NavLink to={to("/groups/week")}>{words.week}</NavLink>
      </nav>
      {view === "board" && scope ? (
        <BoardView scope={scope} />
      ) : view === "week" ? (
        <WeekPage />
      ) : view === "talk" ? (
        <TalkPage />
      ) : (
        <GroupsPage />
      )}
    </>
  );
}
