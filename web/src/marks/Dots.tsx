/** Many dots on one canvas: thousands are drawn at once without an element each. */
import { useEffect, useRef, useState } from "react";
import { tone } from "./ramp";

interface Props {
  /** Where each dot lies, in pixels. */
  x: Float32Array;
  y: Float32Array;
  order: (number | null)[];
  bands: number;
  width: number;
  height: number;
}

/** Beyond so many, smaller and paler dots keep what lies under them in view. */
const MANY = 400;
/** Beyond so many, a dot is a small square: it is drawn many times faster. */
const CROWD = 4000;
/** Dots drawn before keys and clicks get their turn. */
const IN_ONE_GO = 5_000;

/** A colour of the theme as the canvas takes it. */
function resolved(colour: string, inside: HTMLElement): string {
  const probe = document.createElement("span");
  probe.style.color = colour;
  inside.append(probe);
  const found = getComputedStyle(probe).color;
  probe.remove();
  return found;
}

function useTheme(): string {
  const [theme, setTheme] = useState(document.documentElement.dataset.theme ?? "");
  useEffect(() => {
    const watch = new MutationObserver(() => setTheme(document.documentElement.dataset.theme ?? ""));
    watch.observe(document.documentElement, { attributeFilter: ["data-theme"] });
    return () => watch.disconnect();
  }, []);
  return theme;
}

export function Dots({ x, y, order, bands, width, height }: Props) {
  const canvas = useRef<HTMLCanvasElement>(null);
  const theme = useTheme();
  // biome-ignore lint/correctness/useExhaustiveDependencies: a change of theme changes what the variables stand for
  useEffect(() => {
    const node = canvas.current;
    const pen = node?.getContext("2d");
    if (!node || !pen) return;
    const dense = window.devicePixelRatio || 1;
    node.width = width * dense;
    node.height = height * dense;
    pen.scale(dense, dense);
    pen.clearRect(0, 0, width, height);
    // The theme is read from the page, so that the drawing follows it.
    const holder = node.parentElement ?? document.body;
    const outline = resolved("var(--band-outline)", holder);
    const many = x.length > MANY;
    const radius = x.length > CROWD ? 1 : many ? 2.4 : 4.4;
    pen.globalAlpha = x.length > CROWD ? 0.4 : many ? 0.65 : 1;
    pen.strokeStyle = outline;
    pen.lineWidth = many ? 0.4 : 0.8;
    const colors = Array.from({ length: bands + 1 }, (_, band) =>
      resolved(band ? tone(band, bands) : "var(--ramp-2)", holder),
    );
    // Band by band, so that the higher ones lie on top.
    const ofBand: number[][] = Array.from({ length: bands + 1 }, () => []);
    for (let at = 0; at < x.length; at++) ofBand[order[at] ?? 0]?.push(at);
    const places = ofBand.flat();
    let frame = 0;
    let from = 0;
    const draw = () => {
      const to = Math.min(places.length, from + IN_ONE_GO);
      let band = -1;
      for (let place = from; place < to; place++) {
        const at = places[place] ?? 0;
        const px = x[at] ?? 0;
        const py = y[at] ?? 0;
        if ((order[at] ?? 0) !== band) {
          band = order[at] ?? 0;
          pen.fillStyle = colors[band] ?? "";
        }
        if (x.length > CROWD) {
          pen.fillRect(px - radius, py - radius, radius * 2, radius * 2);
          continue;
        }
        pen.beginPath();
        pen.arc(px, py, radius, 0, Math.PI * 2);
        pen.fill();
        pen.stroke();
      }
      from = to;
      if (from < places.length) frame = window.requestAnimationFrame(draw);
    };
    // The first part of many waits for the next frame: the page around it is drawn in this one.
    if (places.length > IN_ONE_GO) frame = window.requestAnimationFrame(draw);
    else draw();
    return () => window.cancelAnimationFrame(frame);
  }, [x, y, order, bands, width, height, theme]);
  return <canvas ref={canvas} style={{ width, height, display: "block" }} aria-hidden />;
}
