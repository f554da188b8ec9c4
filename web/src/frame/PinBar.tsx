/** The foot of the screen: pinned students carried along, and what can be done with them. */
import { useMemo, useState } from "react";
import { useLocation, useNavigate } from "react-router";
import { SetGoals } from "../goals/SetGoals";
import { usePanel } from "../panel/PanelContext";
import { useHiding } from "../people/Hiding";
import { useMe } from "../people/me";
import { MakeGroup } from "../pins/MakeGroup";
import { usePins } from "../pins/PinContext";
import { useScope } from "../scope/ScopeContext";
import { useKeys } from "../ui/useKeys";
import { frame as words } from "../words/around/frame";

/** Chips shown before the rest is only counted. */
const CHIPS = 6;
/** Students that an address can hold. */
const IN_ADDRESS = 500;

export function PinBar() {
  const { pinned, act, canUndo } = usePins();
  const { openStudent } = usePanel();
  const { scope, change, to } = useScope();
  const { hidden } = useHiding();
  const me = useMe();
  const navigate = useNavigate();
  // Setup has a main act of its own; a screen has one.
  const own = useLocation().pathname === "/setup";
  const [making, setMaking] = useState(false);
  const [aiming, setAiming] = useState(false);
  useKeys(
    useMemo(
      () => ({
        g: () => {
          if (me.may_make_groups && pinned.length) setMaking(true);
        },
        t: () => {
          if (me.may_set_goals && scope && pinned.length) setAiming(true);
        },
      }),
      [me.may_make_groups, me.may_set_goals, scope, pinned.length],
    ),
  );
  return (
    <footer className="foot">
      {pinned.length === 0 ? (
        <span className="quiet small">
          {words.nobodyPinnedPinStudentsWith} <kbd>P</kbd>
          {words.theCircleBesideAName}
        </span>
      ) : (
        <>
          <b className="u-one-line">
            {pinned.length} {words.pinned}
          </b>
          <span className="chips">
            {pinned.slice(0, CHIPS).map((one) => (
              <button type="button" className="chip" key={one.id} onClick={() => openStudent(one)}>
                <i>●</i>
                {hidden ? words.student : one.name}
              </button>
            ))}
          </span>
          {pinned.length > CHIPS && <span className="quiet">+{pinned.length - CHIPS}</span>}
          {scope && (
            <button
              type="button"
              className="word"
              disabled={pinned.length > IN_ADDRESS}
              title={
                pinned.length > IN_ADDRESS
                  ? `More than ${IN_ADDRESS} do not fit into an address; make a group of them and look at that`
                  : undefined
              }
              onClick={() => change({ student: pinned.map((one) => one.id) })}
            >
              {words.lookOnlyAtThese}
            </button>
          )}
          <button type="button" className="word" onClick={() => act({ type: "clear" })}>
            {words.unpinAll}
          </button>
        </>
      )}
      {canUndo && (
        <button type="button" className="word" onClick={() => act({ type: "undo" })}>
          {words.undo}
        </button>
      )}
      {me.may_set_goals && scope && pinned.length > 0 && (
        <button type="button" className="plain last" onClick={() => setAiming(true)}>
          {words.setGoals}
        </button>
      )}
      {me.may_make_groups && pinned.length > 0 && (
        <button type="button" className={own ? "plain last" : "act"} onClick={() => setMaking(true)}>
          {words.makeAGroup}
        </button>
      )}
      {aiming && <SetGoals students={pinned} onClose={() => setAiming(false)} />}
      {making && (
        <MakeGroup
          members={pinned}
          measure={scope ? { assessment: scope.assessment, subject: scope.subject } : undefined}
          onClose={() => setMaking(false)}
          onMade={() => {
            setMaking(false);
            navigate(to("/groups"));
          }}
        />
      )}
    </footer>
  );
}
