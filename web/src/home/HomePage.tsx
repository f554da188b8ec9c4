/** Home: the rail spread out, each step's finding as a sentence. */
import { Link } from "react-router";
import { useMe } from "../people/me";
import { useScope } from "../scope/ScopeContext";
import { useRail } from "../scope/ScopeLine";

export function HomePage() {
  const { to, nothing } = useScope();
  const me = useMe();
  const rail = useRail();
  if (nothing) {
    return (
      <div className="empty">
        <h1>Nothing to look at yet</h1>
        {me.may_set_up ? (
          <>
            <p>
              Bring in scores first; norms and cuts can follow. Bodkin shows what a file holds before it takes
              anything over.
            </p>
            <Link to="/setup" className="act" style={{ textDecoration: "none" }}>
              Bring in a file
            </Link>
          </>
        ) : (
          <p>There are no results yet of students you look after. Your data coach brings them in.</p>
        )}
      </div>
    );
  }
  const steps = rail.data?.steps ?? [];
  return (
    <>
      <h1>Good day, {me.name.split(" ")[0]}</h1>
      <p className="lead">The round at a glance, for the students and windows named above.</p>
      {steps
        .filter((step) => step.built)
        .map((step) => (
          <div className="finding" key={step.path}>
            <span className="k">{step.key}</span>
            <span>
              <p>{step.finding}</p>
              <small>{step.question}</small>
            </span>
            <Link to={to(`/${step.path}`)} style={{ color: "inherit" }}>
              {step.name}
            </Link>
          </div>
        ))}
      {steps.length > 0 && (
        <p className="quiet small" style={{ marginTop: 14 }}>
          Not built yet:{" "}
          {steps
            .filter((step) => !step.built)
            .map((step) => step.name)
            .join(", ")}
          .
        </p>
      )}
    </>
  );
}
