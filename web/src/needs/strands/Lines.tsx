/** The two lines that part there, near and far: dragged, or moved by keys. */
import { useRef } from "react";
import { signed } from "../../words/format";
import { needs as words } from "../../words/steps/needs";
import css from "./strands.module.css";

export interface Lines {
  upper: number;
  lower: number;
}

const STEP = 0.1;
const REACH = 4;

function clamp(value: number, low: number, high: number): number {
  return Math.round(Math.min(high, Math.max(low, value)) * 100) / 100;
}

function Grip(props: {
  value: number;
  label: string;
  top: number;
  dashed: boolean;
  low: number;
  high: number;
  distance: (pixels: number) => number;
  onMove: (value: number) => void;
}) {
  const grip = useRef<HTMLDivElement>(null);
  const set = (value: number) => props.onMove(clamp(value, props.low, props.high));
  return (
    <div className={props.dashed ? css["far-line"] : css.line} style={{ top: props.top }}>
      <div
        ref={grip}
        className={css.grip}
        role="slider"
        tabIndex={0}
        aria-label={props.label}
        aria-orientation="vertical"
        aria-valuemin={props.low}
        aria-valuemax={props.high}
        aria-valuenow={props.value}
        aria-valuetext={`${signed(props.value, 1)} ${words.inErrors}`}
        title={words.drag}
        onPointerDown={(event) => {
          event.currentTarget.setPointerCapture(event.pointerId);
        }}
        onPointerMove={(event) => {
          if (!event.currentTarget.hasPointerCapture(event.pointerId)) return;
          const plot = event.currentTarget.parentElement?.parentElement?.getBoundingClientRect();
          if (plot) set(props.distance(event.clientY - plot.top));
        }}
        onKeyDown={(event) => {
          const by = event.shiftKey ? 5 * STEP : STEP;
          if (event.key === "ArrowUp") set(props.value + by);
          else if (event.key === "ArrowDown") set(props.value - by);
          else if (event.key === "Home") set(props.high);
          else if (event.key === "End") set(props.low);
          else return;
          event.preventDefault();
        }}
      >
        {signed(props.value, 1)}
      </div>
    </div>
  );
}

export function DragLines(props: {
  lines: Lines;
  y: (distance: number) => number;
  distance: (pixels: number) => number;
  onChange: (lines: Lines) => void;
}) {
  const { lines, y, distance, onChange } = props;
  return (
    <>
      <Grip
        value={lines.upper}
        label={words.lineBetween(words.there, words.near)}
        top={y(lines.upper)}
        dashed={false}
        low={lines.lower + STEP}
        high={REACH}
        distance={distance}
        onMove={(upper) => onChange({ ...lines, upper })}
      />
      <Grip
        value={lines.lower}
        label={words.lineBetween(words.near, words.far)}
        top={y(lines.lower)}
        dashed
        low={-REACH}
        high={lines.upper - STEP}
        distance={distance}
        onMove={(lower) => onChange({ ...lines, lower })}
      />
    </>
  );
}
