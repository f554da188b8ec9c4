/** One explanation for the many figures of a list: told of the one under the mouse or in focus. */
import { Tooltip } from "antd";
import {
  type FocusEvent,
  type KeyboardEvent,
  type MouseEvent,
  type ReactNode,
  useEffect,
  useRef,
  useState,
} from "react";

const MOUSE_RESTS = 250;
const FOCUS_RESTS = 500;

interface Tip {
  text: string;
  left: number;
  top: number;
  width: number;
  height: number;
}

/**
 * A tooltip for each of hundreds of rows would cost more than the rows. ``textOf`` says what is told of
 * a figure (a node that ``figure`` selects); with ``row``, a row in focus tells of its figure too.
 */
export function useWorkedAmong(
  figure: string,
  textOf: (node: HTMLElement) => string | null | undefined,
  row?: string,
) {
  const [shown, setShown] = useState<Tip | null>(null);
  const timer = useRef<number>(undefined);
  const at = useRef<HTMLElement | null>(null);
  useEffect(() => () => window.clearTimeout(timer.current), []);
  const tell = (node: HTMLElement | null | undefined, rests: number) => {
    if (node === at.current) return;
    window.clearTimeout(timer.current);
    at.current = node ?? null;
    setShown(null);
    if (!node) return;
    timer.current = window.setTimeout(() => {
      const text = node.isConnected ? textOf(node) : null;
      if (!text) return;
      const { left, top, width, height } = node.getBoundingClientRect();
      setShown({ text, left, top, width, height });
    }, rests);
  };
  const quiet = () => tell(null, 0);
  const tip: ReactNode = shown && (
    <Tooltip
      key={`${shown.left} ${shown.top} ${shown.text}`}
      open
      title={shown.text}
      placement="bottomLeft"
      arrow={false}
      styles={{ root: { maxWidth: 400, whiteSpace: "pre-line", fontSize: 13, pointerEvents: "none" } }}
    >
      <span
        aria-hidden
        style={{
          position: "fixed",
          left: shown.left,
          top: shown.top,
          width: shown.width,
          height: shown.height,
          pointerEvents: "none",
        }}
      />
    </Tooltip>
  );
  const near = (target: EventTarget) => (target as HTMLElement).closest<HTMLElement>(figure);
  return {
    tip,
    /** For the list's own scrolling: what is told would stay behind. */
    quiet,
    handlers: {
      onMouseOver: (event: MouseEvent) => tell(near(event.target), MOUSE_RESTS),
      onMouseLeave: quiet,
      onFocus: ({ target }: FocusEvent) =>
        tell(
          near(target) ?? (row ? target.closest(row)?.querySelector<HTMLElement>(figure) : null),
          FOCUS_RESTS,
        ),
      onBlur: quiet,
      onKeyDown: (event: KeyboardEvent) => {
        if (event.key === "Escape") quiet();
      },
    },
  };
}
