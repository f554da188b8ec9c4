/** The ground of a standard: what it rests on, who lacks it, material, when it is taught, who is ready for more. */
import { useQuery } from "@tanstack/react-query";
import { client, got, type Schemas } from "../../api/client";
import { type EvidenceAsked, usePanel } from "../../panel/PanelContext";
import { usePins } from "../../pins/PinContext";
import { asked, type Scope } from "../../scope/scope";
import { needs as words } from "../../words/steps/needs";
import { GroundGraph } from "./GroundGraph";
import { Material } from "./Material";
import css from "./standards.module.css";

const MOST = 5000;

interface Props {
  scope: Scope;
  evidence: EvidenceAsked;
  standard: string;
  onPick: (standard: string) => void;
}

/** The students who lack a standard. */
async function whoLack({ scope, evidence, standard }: Props) {
  const found = await got(
    client.GET("/api/needs/standards/drill-down", {
      params: { query: { ...asked(scope), ...evidence, standard, state: "lacking", count: MOST } },
    }),
  );
  return found.rows.map((row) => ({ id: row.student_id, name: row.name }));
}

function Taught({ taught }: { taught: Schemas["ClassTaught"][] }) {
  if (!taught.length) return <p className="quiet small">{words.noCalendar}</p>;
  const by = new Map<string, string[]>();
  for (const one of taught) by.set(one.taught, [...(by.get(one.taught) ?? []), one.section]);
  const said: Record<string, string> = {
    before: words.before,
    now: words.now,
    later: words.later,
    never: words.never,
  };
  return (
    <ul className={css.list}>
      {[...by].map(([when, sections]) => (
        <li key={when}>
          {words.taughtIn(
            said[when] ?? when,
            sections.length > 6 ? `${sections.length}` : sections.join(", "),
          )}
        </li>
      ))}
    </ul>
  );
}

export function Ground(props: Props) {
  const { scope, evidence, standard, onPick } = props;
  const { open } = usePanel();
  const { act } = usePins();
  const found = useQuery({
    queryKey: ["needs", "ground", scope, evidence, standard],
    queryFn: () =>
      got(
        client.GET("/api/needs/standards/ground", {
          params: { query: { ...asked(scope), ...evidence, standard } },
        }),
      ),
    placeholderData: (before) => before,
  });
  if (found.isError) return <p className="fault">{found.error.message}</p>;
  const ground = found.data;
  if (!ground) return null;
  const own = ground.steps.at(-1);
  return (
    <section className={css.ground} aria-label={words.groundBelow(ground.standard)}>
      <h2>{words.groundBelow(ground.standard)}</h2>
      <p className="small">{ground.text}</p>
      {own && own.lacking > 0 ? (
        <p className="u-in-row u-above-8">
          <button
            type="button"
            className="open"
            onClick={() => open({ needs: { of: "standard", standard, state: "lacking", evidence } })}
          >
            {words.lackOf(own.lacking, own.evidence)}
          </button>
          <button
            type="button"
            className="plain"
            onClick={async () => act({ type: "add", students: await whoLack(props) })}
          >
            {words.pinThem(own.lacking)}
          </button>
        </p>
      ) : (
        <p className="quiet small">{words.noneLack}</p>
      )}
      {ground.steps.length > 1 ? (
        <GroundGraph steps={ground.steps} onPick={onPick} />
      ) : (
        <p className="quiet small">{words.restsOnNothing}</p>
      )}
      <Material standard={standard} lacking={own?.lacking ?? 0} whoLack={() => whoLack(props)} />
      <h3>{words.taught}</h3>
      <Taught taught={ground.taught} />
      {ground.beyond.length > 0 && (
        <>
          <h3>{words.beyondIt}</h3>
          <ul className={css.list}>
            {ground.beyond.map((one) => (
              <li key={one.standard}>
                <button type="button" className="open" title={one.text} onClick={() => onPick(one.standard)}>
                  {one.standard}
                </button>{" "}
                <span className="quiet">{words.ready(one.n)}</span>
              </li>
            ))}
          </ul>
        </>
      )}
    </section>
  );
}
