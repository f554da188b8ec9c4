/** Follow-up: is the help working? Groups, practice, help given, two measures, the team, every day. */
import { useQuery } from "@tanstack/react-query";
import { NavLink, useParams, useSearchParams } from "react-router";
import { client, got } from "../api/client";
import { useMe } from "../people/me";
import { useScope } from "../scope/ScopeContext";
import { NothingHere } from "../step/NothingHere";
import { Shown } from "../step/Shown";
import { followUp as words } from "../words/steps/follow-up";
import { DailyView } from "./DailyView";
import { GivenView } from "./given/GivenView";
import { GroupView } from "./groups/GroupView";
import { Overview } from "./Overview";
import { PracticeView } from "./practice/PracticeView";
import { TeamView } from "./team/TeamView";
import { TwoView } from "./two/TwoView";

const VIEWS = [
  ["", words.overview],
  ["groups", words.groups],
  ["practice", words.practice],
  ["given", words.helpGiven],
  ["two", words.twoMeasures],
  ["team", words.teamMeeting],
  ["day", words.everyDay],
] as const;

/** The address of a view of this step, which keeps the chosen period. */
function useViewAddress() {
  const { to } = useScope();
  const [params] = useSearchParams();
  const period = params.get("period");
  return (path: string) => {
    const address = to(path);
    if (!period) return address;
    return `${address}${address.includes("?") ? "&" : "?"}${new URLSearchParams({ period })}`;
  };
}

/** The running groups as links, and the one that is chosen. */
function Groups({ chosen }: { chosen: string | undefined }) {
  const to = useViewAddress();
  const groups = useQuery({
    queryKey: ["follow-up", "groups"],
    queryFn: () => got(client.GET("/api/follow-up/groups")),
  });
  return (
    <Shown query={groups}>
      {(all) => {
        const shown = all.find((one) => String(one.id) === chosen) ?? all[0];
        if (!shown) return <NothingHere headline={words.noGroups} lead={words.noGroupsLead} />;
        return (
          <>
            <nav className="ways" aria-label={words.groups}>
              {all.map((one) => (
                <NavLink
                  key={one.id}
                  to={to(`/follow-up/${one.id}`)}
                  className={one.id === shown.id ? "active" : ""}
                  aria-current={one.id === shown.id ? "page" : undefined}
                  title={one.headline}
                >
                  {one.name}
                </NavLink>
              ))}
            </nav>
            <GroupView key={shown.id} group={shown.id} />
          </>
        );
      }}
    </Shown>
  );
}

export function FollowUpPage() {
  const { scope } = useScope();
  const to = useViewAddress();
  const { view = "", more } = useParams();
  const me = useMe();
  // A number is a group's.
  const shown = /^\d+$/.test(view) ? "groups" : view;
  const open: Partial<Record<string, boolean>> = { "": true, groups: true, practice: me.may_practice };
  const views = VIEWS.filter(([path]) => open[path] ?? me.may_team);
  return (
    <>
      <nav className="ways" aria-label={words.waysToFollow}>
        {views.map(([path, word]) => (
          <NavLink
            key={path}
            end
            to={to(path ? `/follow-up/${path}` : "/follow-up")}
            className={shown === path ? "active" : ""}
            aria-current={shown === path ? "page" : undefined}
          >
            {word}
          </NavLink>
        ))}
      </nav>
      {shown === "groups" ? (
        <Groups chosen={view} />
      ) : !scope || shown === "" ? (
        <Overview scope={scope} />
      ) : shown === "practice" ? (
        <PracticeView scope={scope} />
      ) : shown === "given" ? (
        <GivenView scope={scope} />
      ) : shown === "two" ? (
        <TwoView scope={scope} />
      ) : shown === "team" ? (
        <TeamView scope={scope} meeting={more} />
      ) : shown === "day" ? (
        <DailyView scope={scope} />
      ) : (
        <NothingHere headline={words.noSuchView} lead={words.noSuchViewLead} />
      )}
    </>
  );
}
