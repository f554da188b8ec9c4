/** Start percentile against distance from expected, with the belt of test error; a region drawn on it pins students. */
import { type KeyboardEvent, type PointerEvent, useMemo, useRef, useState } from "react";
import type { Schemas } from "../api/client";
import { marks as words } from "../words/around/marks";
import { Dots } from "./Dots";
import { tone } from "./ramp";
import { linear } from "./scale";

type Student = Schemas["FieldDots"];

/** A region in the field's own units; an open side has no end. */
export interface Region {
  ids: string[];
  percentile: [number, number];
  distance: [number, number];
}

interface Props {
  dots: Student;
  bands: number;
  belt: number | null | undefined;
  pinned: string[];
  onRegion: (region: Region) => void;
  onOpen: (id: string) => void;
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
/** Students that a region can pin at once. */
export const MOST = 5000;

export function Field({ dots, bands, belt, pinned, onRegion, onOpen, width, height }: Props) {
  const svg = useRef<SVGSVGElement>(null);
  const [box, setBox] = useState<Box | null>(null);
  const [drawing, setDrawing] = useState(false);
  const n = dots.ids.length;
  const reach = useMemo(() => {
    let far = 2.4;
    for (const away of dots.distance) far = Math.max(far, Math.abs(away));
    return Math.min(3.2, far) * 1.06;
  }, [dots]);
  const x = useMemo(() => linear([0, 100], [LEFT, width - 8]), [width]);
  const y = useMemo(() => linear([-reach, reach], [height - FOOT, 6]), [reach, height]);
  const [xs, ys] = useMemo(() => {
    // Two multiplications for each of many dots, without a call for either.
    const [left, top] = [x(0), y(0)];
    const [across, down] = [x(1) - left, y(1) - top];
    const xs = new Float32Array(n);
    const ys = new Float32Array(n);
    for (let place = 0; place < n; place++) {
      xs[place] = left + across * (dots.percentile[place] ?? 0);
      ys[place] = top + down * Math.max(-reach, Math.min(reach, dots.distance[place] ?? 0));
    }
    return [xs, ys];
  }, [dots, n, x, y, reach]);
  // Only pins are looked up: without any, thousands of places need no table.
  const some = pinned.length > 0;
  const places = useMemo(() => new Map(some ? dots.ids.map((id, place) => [id, place]) : []), [dots, some]);
  const inside = (region: Box) => {
    const [xa, xb] = [Math.min(region.x0, region.x1), Math.max(region.x0, region.x1)];
    const [ya, yb] = [Math.min(region.y0, region.y1), Math.max(region.y0, region.y1)];
    const found: number[] = [];
    for (let place = 0; place < n; place++) {
      const [px, py] = [xs[place] ?? 0, ys[place] ?? 0];
      if (px >= xa && px <= xb && py >= ya && py <= yb) found.push(place);
    }
    return found;
  };
  const report = (region: Box) => {
    const found = inside(region);
    const ends = (values: number[]): [number, number] => {
      const own = found.map((place) => values[place] ?? 0);
      return [Math.min(...own), Math.max(...own)];
    };
    if (found.length === 0 || found.length > MOST) {
      onRegion({ ids: found.length ? dots.ids : [], percentile: [0, 0], distance: [0, 0] });
      return;
    }
    onRegion({
      ids: found.map((place) => dots.ids[place] ?? ""),
      percentile: ends(dots.percentile),
      distance: ends(dots.distance),
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
      report(box);
    } else if (event.key === "Escape") setBox(null);
  };
  const counted = box ? inside(box).length : 0;
  return (
    <div style={{ position: "relative", width, height }}>
      <div className="u-fills">
        <svg width={width} height={height} aria-hidden className="u-fills">
          {belt != null && (
            <rect
              x={LEFT}
              width={width - 8 - LEFT}
              y={y(belt)}
              height={y(-belt) - y(belt)}
              fill="var(--belt)"
            />
          )}
        </svg>
        <div className="u-fills">
          <Dots x={xs} y={ys} order={dots.order} bands={bands} width={width} height={height} />
        </div>
      </div>
      <svg
        ref={svg}
        className="region u-fills"
        data-dots={n}
        width={width}
        height={height}
        role="application"
        // biome-ignore lint/a11y/noNoninteractiveTabindex: a region can be drawn on it with the arrow keys
        tabIndex={0}
        aria-label={words.studentsByStartingPercentileAnd(n, box ? ` The region holds ${counted}.` : "")}
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
          if (far) return report(box);
          // A press without a stroke opens the student under it.
          setBox(null);
          const [px, py] = at(event);
          let [near, away] = [-1, 8];
          for (let place = 0; place < n; place++) {
            const far = Math.hypot((xs[place] ?? 0) - px, (ys[place] ?? 0) - py);
            if (far < away) [near, away] = [place, far];
          }
          const id = dots.ids[near];
          if (id !== undefined) onOpen(id);
        }}
      >
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
        {pinned.map((id) => {
          const place = places.get(id);
          return (
            place !== undefined && (
              <circle
                key={id}
                cx={xs[place]}
                cy={ys[place]}
                r={4.6}
                fill={tone(dots.order[place] ?? 1, bands)}
                stroke="var(--accent)"
                strokeWidth={2}
              />
            )
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
    </div>
  );
}
