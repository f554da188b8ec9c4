/** Start percentile against distance from expected, with the belt of test error; a region drawn on it pins students. */
import { type KeyboardEvent, type PointerEvent, useMemo, useRef, useState } from "react";
import type { Schemas } from "../api/client";
import { tone } from "./ramp";
import { linear } from "./scale";

type Row = Schemas["StudentRow"];

interface Props {
  rows: Row[];
  bands: number;
  belt: number | null | undefined;
  pinned: (id: string) => boolean;
  onRegion: (rows: Row[]) => void;
  onOpen: (row: Row) => void;
  width: number;
  height: number;
}

interface Box {
  x0: number;
  y0: number;
  x1: number;
  y1: number;
}

const LEFT = 34;
const FOOT = 20;
const KEY_STEP = 8;

export function Field({ rows, bands, belt, pinned, onRegion, onOpen, width, height }: Props) {
  const svg = useRef<SVGSVGElement>(null);
  const [box, setBox] = useState<Box | null>(null);
  const [drawing, setDrawing] = useState(false);
  const dots = useMemo(
    () => rows.filter((row) => row.from_percentile != null && row.distance != null),
    [rows],
  );
  const reach = useMemo(
    () => Math.min(3.2, Math.max(2.4, ...dots.map((row) => Math.abs(row.distance ?? 0)))) * 1.06,
    [dots],
  );
  const x = linear([0, 100], [LEFT, width - 8]);
  const y = linear([-reach, reach], [height - FOOT, 6]);
  const place = (row: Row): [number, number] => [
    x(row.from_percentile ?? 0),
    y(Math.max(-reach, Math.min(reach, row.distance ?? 0))),
  ];
  const inside = (region: Box) => {
    const [xa, xb] = [Math.min(region.x0, region.x1), Math.max(region.x0, region.x1)];
    const [ya, yb] = [Math.min(region.y0, region.y1), Math.max(region.y0, region.y1)];
    return dots.filter((row) => {
      const [px, py] = place(row);
      return px >= xa && px <= xb && py >= ya && py <= yb;
    });
  };
  const at = (event: PointerEvent): [number, number] => {
    const frame = svg.current?.getBoundingClientRect();
    return frame ? [event.clientX - frame.left, event.clientY - frame.top] : [0, 0];
  };
  const onKey = (event: KeyboardEvent) => {
    const moves: Record<string, [number, number]> = {
      ArrowLeft: [-KEY_STEP, 0],
      ArrowRight: [KEY_STEP, 0],
      ArrowUp: [0, -KEY_STEP],
      ArrowDown: [0, KEY_STEP],
    };
    const move = moves[event.key];
    if (move) {
      event.preventDefault();
      const now = box ?? { x0: x(5), y0: y(-0.8), x1: x(95), y1: height - FOOT };
      const [dx, dy] = move;
      setBox(
        event.shiftKey
          ? { ...now, x1: now.x1 + dx, y1: now.y1 + dy }
          : { x0: now.x0 + dx, x1: now.x1 + dx, y0: now.y0 + dy, y1: now.y1 + dy },
      );
    } else if (event.key === "Enter" && box) {
      event.preventDefault();
      onRegion(inside(box));
    } else if (event.key === "Escape") setBox(null);
  };
  // Beyond a few hundred, smaller and paler dots keep the belt in view.
  const many = dots.length > 400;
  const counted = box ? inside(box).length : 0;
  return (
    <svg
      ref={svg}
      className="region"
      width={width}
      height={height}
      role="application"
      // biome-ignore lint/a11y/noNoninteractiveTabindex: a region can be drawn on it with the arrow keys
      tabIndex={0}
      aria-label={`${dots.length} students by starting percentile and distance from expected. Arrow keys draw a region, Enter pins the students in it.${box ? ` The region holds ${counted}.` : ""}`}
      onKeyDown={onKey}
      onPointerDown={(event) => {
        if (event.button !== 0) return;
        const [px, py] = at(event);
        svg.current?.setPointerCapture(event.pointerId);
        setDrawing(true);
        setBox({ x0: px, y0: py, x1: px, y1: py });
      }}
      onPointerMove={(event) => {
        if (!drawing || !box) return;
        const [px, py] = at(event);
        setBox({ ...box, x1: px, y1: py });
      }}
      onPointerUp={(event) => {
        if (!drawing || !box) return;
        setDrawing(false);
        const far = Math.abs(box.x1 - box.x0) > 4 || Math.abs(box.y1 - box.y0) > 4;
        if (far) return onRegion(inside(box));
        // A press without a stroke opens the student under it.
        setBox(null);
        const [px, py] = at(event);
        const near = dots
          .map((row) => ({ row, away: Math.hypot(place(row)[0] - px, place(row)[1] - py) }))
          .sort((a, b) => a.away - b.away)[0];
        if (near && near.away < 8) onOpen(near.row);
      }}
    >
      {belt != null && (
        <rect x={LEFT} width={width - 8 - LEFT} y={y(belt)} height={y(-belt) - y(belt)} fill="var(--belt)" />
      )}
      <line x1={LEFT} x2={width - 8} y1={y(0)} y2={y(0)} stroke="var(--quiet)" strokeDasharray="2 3" />
      {[-2, -1, 0, 1, 2].map((tick) => (
        <text key={tick} x={LEFT - 6} y={y(tick) + 4} className="ax" textAnchor="end">
          {tick === 0 ? "exp." : tick > 0 ? `+${tick}` : `\u2212${-tick}`}
        </text>
      ))}
      {[10, 25, 50, 75, 90].map((tick) => (
        <text key={tick} x={x(tick)} y={height - 4} className="ax" textAnchor="middle">
          {tick}
        </text>
      ))}
      {dots.map((row) => {
        const [cx, cy] = place(row);
        const on = pinned(row.student_id);
        return (
          <circle
            key={row.student_id}
            cx={cx}
            cy={cy}
            r={many ? 2.4 : 4.4}
            fill={row.to_order ? tone(row.to_order, bands) : "var(--ramp-2)"}
            stroke={on ? "var(--accent)" : "var(--band-outline)"}
            strokeWidth={on ? 2 : many ? 0.4 : 0.8}
            opacity={many && !on ? 0.65 : 1}
          />
        );
      })}
      {box && (
        <rect
          x={Math.min(box.x0, box.x1)}
          y={Math.min(box.y0, box.y1)}
          width={Math.abs(box.x1 - box.x0)}
          height={Math.abs(box.y1 - box.y0)}
          fill="none"
          stroke="var(--accent)"
          strokeDasharray="4 3"
        />
      )}
    </svg>
  );
}
