/** The prerequisites below a standard as a small graph, the deepest at the foot. */
import type { Schemas } from "../../api/client";
import { useWidth } from "../../ui/useWidth";
import { needs as words } from "../../words/steps/needs";
import css from "./standards.module.css";

type Step = Schemas["GroundStep"];

const NODE = { width: 104, height: 34 };
const GAP = 22;
/** Pixels until the room is measured. */
const WIDTH = 280;

/** Rows of steps by depth, the standard itself on top. */
function layers(steps: Step[]): Step[][] {
  const found: Step[][] = [];
  for (const step of steps) {
    const at = found[step.depth];
    if (at) at.push(step);
    else found[step.depth] = [step];
  }
  return found.filter(Boolean).reverse();
}

export function GroundGraph(props: { steps: Step[]; onPick: (standard: string) => void }) {
  const { steps, onPick } = props;
  const [box, width] = useWidth<HTMLDivElement>(WIDTH);
  const rows = layers(steps);
  const places = new Map<string, { x: number; y: number }>();
  rows.forEach((row, depth) => {
    const across = Math.min(width / row.length, NODE.width + 14);
    const left = (width - across * row.length) / 2;
    row.forEach((step, at) => {
      places.set(step.standard, { x: left + across * (at + 0.5), y: 4 + depth * (NODE.height + GAP) });
    });
  });
  const height = rows.length * (NODE.height + GAP) - GAP + 8;
  return (
    <div ref={box}>
      {/* biome-ignore lint/a11y/useSemanticElements: a drawing holds no fieldset */}
      <svg width={width} height={height} aria-label={words.ground} role="group">
        {steps.flatMap((step) =>
          step.rests_on.map((below) => {
            const from = places.get(below);
            const to = places.get(step.standard);
            return from && to ? (
              <line
                key={`${below} ${step.standard}`}
                x1={from.x}
                y1={from.y}
                x2={to.x}
                y2={to.y + NODE.height}
                stroke="var(--rule)"
              />
            ) : null;
          }),
        )}
        {steps.map((step) => {
          const place = places.get(step.standard);
          if (!place) return null;
          const row = rows.find((one) => one.includes(step)) ?? [];
          const wide = Math.min(NODE.width, width / row.length - 4);
          const count = step.evidence ? words.lackOf(step.lacking, step.evidence) : words.noEvidence;
          const share = step.evidence ? step.lacking / step.evidence : 0;
          return (
            // biome-ignore lint/a11y/useSemanticElements: a drawing holds no button
            <g
              key={step.standard}
              className={css.node}
              role="button"
              tabIndex={0}
              aria-label={`${step.standard} ${step.evidence ? count : `–, ${count}`}: ${step.text}`}
              transform={`translate(${place.x - wide / 2} ${place.y})`}
              onClick={() => onPick(step.standard)}
              onKeyDown={(event) => {
                if (event.key === "Enter" || event.key === " ") {
                  event.preventDefault();
                  onPick(step.standard);
                }
              }}
            >
              <title>{`${step.standard}: ${step.text} (${count})`}</title>
              <rect width={wide} height={NODE.height} rx={3} />
              <rect
                y={NODE.height - 3}
                width={wide * share}
                height={3}
                style={{ fill: "var(--ink)", stroke: "none" }}
              />
              <text>
                <tspan x={6} y={14}>
                  {step.standard}{" "}
                </tspan>
                <tspan x={6} y={27} className={css.count}>
                  {step.evidence ? `${step.lacking} of ${step.evidence}` : "–"}
                </tspan>
              </text>
            </g>
          );
        })}
      </svg>
    </div>
  );
}
