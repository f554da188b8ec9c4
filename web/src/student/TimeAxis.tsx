/** One time axis for everything: lanes under each other, one line through all, zoom by dragging or keys. */
import { type KeyboardEvent, type PointerEvent, useState } from "react";
import { useHiding, useSaid } from "../people/Hiding";
import { Choice } from "../ui/Choice";
import { useWidth } from "../ui/useWidth";
import { day } from "../words/format";
import { student as words } from "../words/steps/student";
import {
  dayNumber,
  dayOf,
  type Page,
  readAt,
  type Span,
  strandsKey,
  ticksOf,
  wholeSpan,
  zoomed,
} from "./axis";
import {
  BarLane,
  MarkLane,
  type Scale,
  SpanLane,
  StandardLane,
  StrandLane,
  ThreadLane,
  WeeklyLane,
} from "./Lanes";
import { LaneTable } from "./LaneTable";
import css from "./student.module.css";

const LABEL = 150;
const FIRST_HEIGHT = 128;
/** Pixels of a drag from which on it is a zoom and no click. */
const DRAG = 8;

interface Lane {
  key: string;
  title: string;
  height: number;
  /** Folded until somebody unfolds it. */
  shut?: boolean;
  draw: (part: { x: (on: string) => number; width: number; height: number }) => React.ReactNode;
}

/** The lanes that have anything, the sentence's test first. */
function lanesOf(page: Page, scale: Scale, hidden: boolean, own: number): Lane[] {
  const of = (...names: string[]) => page.marks.filter((one) => names.includes(one.lane));
  const spans = (...names: string[]) => page.spans.filter((one) => names.includes(one.lane));
  const rows = (some: Page["spans"]) => 14 * Math.min(3, new Set(some.map((one) => one.words)).size) + 4;
  const lanes: Lane[] = page.threads.map((thread, at) => ({
    key: thread.title,
    title: thread.title,
    height: at === 0 ? FIRST_HEIGHT : 56,
    shut: at >= own,
    draw: (part) => <ThreadLane thread={thread} scale={scale} {...part} />,
  }));
  for (const title of new Set(page.strands.map((one) => one.title))) {
    const lines = page.strands.filter((one) => one.title === title);
    lanes.push({
      key: strandsKey(title),
      title: words.strandsOf(title),
      height: 20 * lines.length,
      shut: true,
      draw: (part) => <StrandLane lines={lines} {...part} />,
    });
  }
  if (page.standards.length)
    lanes.push({
      key: "standard",
      title: words.lanes.standard,
      height: 44,
      shut: true,
      draw: (part) => <StandardLane page={page} {...part} />,
    });
  if (page.weekly.length)
    lanes.push({
      key: "weekly",
      title: words.lanes.weekly,
      height: 48,
      draw: (part) => <WeeklyLane page={page} {...part} />,
    });
  if (spans("group").length || of("session").length)
    lanes.push({
      key: "group",
      title: words.lanes.group,
      height: rows(spans("group")) + 14,
      draw: (part) => (
        <>
          <SpanLane spans={spans("group")} {...part} height={part.height - 14} />
          <g transform={`translate(0, ${part.height - 14})`}>
            <MarkLane marks={of("session")} hidden={hidden} {...part} height={14} />
          </g>
        </>
      ),
    });
  if (page.practice.length)
    lanes.push({
      key: "practice",
      title: words.lanes.practice,
      height: 30,
      draw: (part) => <BarLane page={page} {...part} />,
    });
  for (const [key, marks] of [
    ["absence", of("absence")],
    ["grade", of("grade")],
    ["mark", of("goal", "note", "decision", "retest")],
  ] as const)
    if (marks.length)
      lanes.push({
        key,
        title: words.lanes[key],
        height: key === "grade" ? 28 : 22,
        draw: (part) => <MarkLane marks={marks} hidden={hidden} {...part} />,
      });
  if (spans("program", "accommodation").length)
    lanes.push({
      key: "span",
      title: words.lanes.span,
      height: rows(spans("program", "accommodation")),
      draw: (part) => <SpanLane spans={spans("program", "accommodation")} {...part} />,
    });
  if (spans("school").length)
    lanes.push({
      key: "school",
      title: words.lanes.school,
      height: 18,
      shut: true,
      draw: (part) => <SpanLane spans={spans("school")} oneRow {...part} />,
    });
  return lanes;
}

const KEPT = "bodkin.lanes";

/** Which lanes are folded, kept for the next student; other tests begin folded. */
function useFolded() {
  const [folded, setFolded] = useState<Record<string, boolean>>(() => {
    try {
      return JSON.parse(localStorage.getItem(KEPT) ?? "{}") as Record<string, boolean>;
    } catch {
      return {};
    }
  });
  const turn = (key: string, to: boolean) => {
    const next = { ...folded, [key]: to };
    localStorage.setItem(KEPT, JSON.stringify(next));
    setFolded(next);
  };
  return [folded, turn] as const;
}

export function TimeAxis({ page, own }: { page: Page; own: number }) {
  const { hidden } = useHiding();
  const said = useSaid();
  const whole = wholeSpan(page);
  const [span, setSpan] = useState<Span>(whole);
  const [at, setAt] = useState(dayNumber(page.last));
  const [scale, setScale] = useState<Scale>("score");
  const [drag, setDrag] = useState<[number, number] | null>(null);
  const [folded, turn] = useFolded();
  const [box, full] = useWidth<HTMLDivElement>(1040);
  const width = Math.max(200, full - LABEL);
  const xOf = (number: number) => ((number - span.from) / (span.to - span.from)) * width;
  const x = (on: string) => xOf(dayNumber(on));
  const atX = (pixel: number) => span.from + (pixel / width) * (span.to - span.from);
  const ticks = ticksOf(page, span);
  const lanes = lanesOf(page, scale, hidden, own);
  const scales = [...new Set(page.threads.flatMap((one) => one.scales.map((line) => line.scale)))];
  const isShown = (key: string) => {
    const lane = lanes.find((one) => one.key === key);
    return lane !== undefined && !isFolded(lane);
  };
  const isFolded = (lane: Lane) => folded[lane.key] ?? lane.shut ?? false;
  const place = (event: PointerEvent) =>
    event.clientX - event.currentTarget.getBoundingClientRect().left - LABEL;
  const onKey = (event: KeyboardEvent) => {
    const step = Math.max(1, Math.round((span.to - span.from) / 100));
    const move = (by: number) => () => setAt((now) => Math.max(whole.from, Math.min(whole.to, now + by)));
    const keys = new Map<string, () => void>([
      ["ArrowLeft", move(-step)],
      ["ArrowRight", move(step)],
      ["+", () => setSpan(zoomed(span, whole, at, 0.6))],
      ["-", () => setSpan(zoomed(span, whole, at, 1 / 0.6))],
      ["0", () => setSpan(whole)],
    ]);
    const act = keys.get(event.key);
    if (!act) return;
    event.preventDefault();
    event.stopPropagation();
    act();
  };
  return (
    <section aria-label={words.overTheYears}>
      <div className={css.tools}>
        <Choice
          label={words.scale}
          value={scale}
          options={[
            ["score", words.score],
            ["percentile", words.percentile],
            ...scales.map((one) => [one, one] as [string, string]),
          ]}
          onChange={setScale}
        />
        <button type="button" className="word" onClick={() => setSpan(zoomed(span, whole, at, 0.6))}>
          {words.zoomIn}
        </button>
        <button type="button" className="word" onClick={() => setSpan(zoomed(span, whole, at, 1 / 0.6))}>
          {words.zoomOut}
        </button>
        <button type="button" className="word" onClick={() => setSpan(whole)}>
          {words.allYears}
        </button>
      </div>
      <dl className={css.reading} aria-live="polite">
        <dt>{words.on(day(dayOf(Math.round(at))))}</dt>
        {readAt(page, Math.round(at), hidden, isShown).map((one) => (
          <dd key={one.lane}>
            <span className="quiet">{one.lane}:</span> {one.said}
          </dd>
        ))}
      </dl>
      <div
        ref={box}
        className={css.axis}
        onPointerDown={(event) => place(event) >= 0 && setDrag([place(event), place(event)])}
        onPointerMove={(event) => {
          const now = place(event);
          if (now < 0) return;
          setAt(atX(Math.min(now, width)));
          if (drag) setDrag([drag[0], now]);
        }}
        onPointerUp={() => {
          if (drag && Math.abs(drag[1] - drag[0]) > DRAG) {
            const [from, to] = [Math.min(...drag), Math.max(...drag)].map(atX) as [number, number];
            setSpan(zoomed({ from, to }, whole, (from + to) / 2, 1));
          }
          setDrag(null);
        }}
        onPointerLeave={() => setDrag(null)}
      >
        {/* The ruler takes the keys: what holds buttons cannot be a slider itself. */}
        <div
          className={css.years}
          style={{ marginLeft: LABEL }}
          role="slider"
          tabIndex={0}
          aria-label={words.axis(said(page.name))}
          aria-valuemin={Math.round(whole.from)}
          aria-valuemax={Math.round(whole.to)}
          aria-valuenow={Math.round(at)}
          aria-valuetext={day(dayOf(Math.round(at)))}
          title={words.axisHelp}
          onKeyDown={onKey}
        >
          {ticks
            .filter((one) => x(one.on) >= 0 && x(one.on) < width - 40)
            .map((one) => (
              <span key={one.on} style={{ left: `${(100 * x(one.on)) / width}%` }}>
                {one.said}
              </span>
            ))}
        </div>
        {lanes
          .filter((lane) => !isFolded(lane))
          .map((lane) => (
            <div key={lane.key} className={css.lane}>
              <button
                type="button"
                className={css.label}
                aria-expanded
                aria-label={words.fold(lane.title)}
                onClick={() => turn(lane.key, true)}
              >
                <span aria-hidden="true">▾</span> {lane.title}
              </button>
              <svg
                width={width}
                height={lane.height}
                viewBox={`0 0 ${width} ${lane.height}`}
                aria-hidden="true"
              >
                {ticks.map((one) => (
                  <line
                    key={one.on}
                    x1={x(one.on)}
                    x2={x(one.on)}
                    y1={0}
                    y2={lane.height}
                    stroke="var(--line)"
                  />
                ))}
                {lane.draw({ x, width, height: lane.height })}
                <line
                  x1={xOf(at)}
                  x2={xOf(at)}
                  y1={0}
                  y2={lane.height}
                  stroke="var(--accent)"
                  strokeWidth={0.8}
                />
                {drag && Math.abs(drag[1] - drag[0]) > DRAG && (
                  <rect
                    x={Math.min(...drag)}
                    width={Math.abs(drag[1] - drag[0])}
                    height={lane.height}
                    fill="var(--belt)"
                    opacity={0.6}
                  />
                )}
              </svg>
            </div>
          ))}
      </div>
      {lanes.some(isFolded) && (
        <p className={css.folded}>
          <span className="quiet">{words.folded}</span>{" "}
          {lanes.filter(isFolded).map((lane) => (
            <button
              key={lane.key}
              type="button"
              className="word"
              aria-expanded={false}
              aria-label={words.unfold(lane.title)}
              onClick={() => turn(lane.key, false)}
            >
              ▸ {lane.title}
            </button>
          ))}
        </p>
      )}
      <p className={`quiet small ${css.legend}`}>{words.legend}</p>
      <LaneTable page={page} />
    </section>
  );
}
