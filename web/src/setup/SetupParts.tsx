/** The parts of Setup, side by side above each. */
import { NavLink } from "react-router";
import { useScope } from "../scope/ScopeContext";
import { setup as words } from "../words/steps/setup";

export function SetupParts() {
  const { to } = useScope();
  return (
    <nav className="parts" aria-label={words.setup}>
      <NavLink to={to("/setup")} end>
        {words.bringInFiles}
      </NavLink>
      <NavLink to={to("/setup/tests")}>{words.testsNormsAndCuts}</NavLink>
      <NavLink to={to("/setup/calendar")}>{words.calendar}</NavLink>
      <NavLink to={to("/setup/systems")}>{words.otherSystems}</NavLink>
      <NavLink to={to("/setup/out")}>{words.takeTablesOut}</NavLink>
      <NavLink to={to("/logs")}>{words.logs}</NavLink>
    </nav>
  );
}
