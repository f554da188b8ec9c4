/** What surrounds every step: scope line, rail, pins, side panel, and the keys that work everywhere. */
import { lazy, type ReactNode, Suspense, useMemo, useState } from "react";
import { Link, useNavigate } from "react-router";
import { SidePanel } from "../panel/SidePanel";
import { useHiding } from "../people/Hiding";
import { usePins } from "../pins/PinContext";
import { useScope } from "../scope/ScopeContext";
import { useKeys } from "../ui/useKeys";
import { frame as words } from "../words/around/frame";
import { Find } from "./Find";
import { KeyHelp } from "./KeyHelp";
import { PinBar } from "./PinBar";
import { Rail } from "./Rail";
import { ScopeLine } from "./ScopeLine";

const STEPS = ["check", "compare", "growth", "needs", "groups", "follow-up", "share"];

const ViewsDialog = lazy(() =>
  import("../views/ViewsDialog").then((part) => ({ default: part.ViewsDialog })),
);

export function Frame(props: { turnTheme: () => void; onSignOut: () => void; children: ReactNode }) {
  const { turnTheme, onSignOut, children } = props;
  const navigate = useNavigate();
  const { to, reset } = useScope();
  const { hidden, toggle } = useHiding();
  const { act } = usePins();
  const [finding, setFinding] = useState(false);
  const [keys, setKeys] = useState(false);
  const [views, setViews] = useState(false);
  useKeys(
    useMemo(
      () => ({
        ...Object.fromEntries(STEPS.map((step, at) => [String(at + 1), () => navigate(to(`/${step}`))])),
        "0": () => navigate(to("/")),
        "/": () => setFinding(true),
        "?": () => setKeys(true),
        h: toggle,
        u: () => act({ type: "undo" }),
        r: reset,
        d: turnTheme,
        v: () => setViews(true),
      }),
      [navigate, to, toggle, act, reset, turnTheme],
    ),
  );
  return (
    <div className="desk">
      <header className="head">
        <Link to={to("/")} className="logo">
          <i />
          {words.bodkin}
        </Link>
        <ScopeLine />
        <span className="head-tools">
          <button type="button" className="word" onClick={() => setFinding(true)}>
            {words.find}
          </button>
          <button type="button" className="word" onClick={() => setViews(true)}>
            {words.viewsV}
          </button>
          <button type="button" className="word" onClick={() => setKeys(true)} aria-label={words.keys2}>
            ?
          </button>
        </span>
      </header>
      <Rail onSignOut={onSignOut} />
      <main className="work">
        {hidden && (
          <p className="aside u-above-0 u-below-10" role="status">
            {words.namesAreHidden} <kbd>H</kbd> {words.showsThemAgain}
          </p>
        )}
        {children}
      </main>
      <PinBar />
      <SidePanel />
      {finding && <Find onClose={() => setFinding(false)} />}
      <Suspense>{views && <ViewsDialog onClose={() => setViews(false)} />}</Suspense>
      {keys && <KeyHelp onClose={() => setKeys(false)} />}
    </div>
  );
}
