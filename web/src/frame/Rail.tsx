/** The rail: the seven steps of the round in the order of the work, each with its live line. */
import { NavLink } from "react-router";
import { useMe } from "../people/me";
import { useScope } from "../scope/ScopeContext";
import { useRail } from "../scope/useRail";
import { frame as words } from "../words/around/frame";

export function Rail({ onSignOut }: { onSignOut: () => void }) {
  const { to } = useScope();
  const me = useMe();
  const rail = useRail();
  return (
    <nav className="rail" aria-label={words.stepsOfTheRound}>
      {(rail.data?.steps ?? []).map((step) => (
        <NavLink
          key={step.path}
          to={to(`/${step.path}`)}
          className={({ isActive }) => (isActive ? "step on" : "step")}
        >
          <span className="k" aria-hidden>
            {step.key}
          </span>
          <span>
            <b>{step.name}</b>
            <small>{step.line}</small>
          </span>
        </NavLink>
      ))}
      <div className="others">
        <NavLink to={to("/")} end>
          {words.home}
        </NavLink>
        <NavLink to={to("/figures")}>{words.figures}</NavLink>
        {me.may_set_up && <NavLink to={to("/setup")}>{words.setup}</NavLink>}
        {me.may_see_logs && !me.may_set_up && <NavLink to={to("/logs")}>{words.logs}</NavLink>}
        <NavLink to={to("/account")} title={`${me.name}, ${me.role_title}`}>
          {words.account}
        </NavLink>
        <button type="button" className="word" onClick={onSignOut} title={`${me.name}, ${me.role_title}`}>
          {words.signOut}
        </button>
      </div>
    </nav>
  );
}
