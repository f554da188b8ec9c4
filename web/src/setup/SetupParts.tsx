/** The parts of Setup, side by side above each. */
import { NavLink } from "react-router";
import { useScope } from "../scope/ScopeContext";

export function SetupParts() {
  const { to } = useScope();
  return (
    <nav className="parts" aria-label="Setup">
      <NavLink to={to("/setup")} end>
        Bring in files
      </NavLink>
      <NavLink to={to("/setup/tests")}>Tests, norms and cuts</NavLink>
      <NavLink to={to("/setup/calendar")}>Calendar</NavLink>
      <NavLink to={to("/setup/systems")}>Other systems</NavLink>
      <NavLink to={to("/setup/out")}>Take tables out</NavLink>
    </nav>
  );
}
