/** A row of many parts drawn a few at a time, so that keys and clicks get their turn between. */
import { useEffect, useState } from "react";

/** How many of ``count`` parts to draw by now: ``step`` at first, and as many more with each turn. */
export function useGrowing(count: number, step: number): number {
  const [drawn, setDrawn] = useState(step);
  useEffect(() => {
    if (drawn >= count) return;
    const timer = window.setTimeout(() => setDrawn(drawn + step), 0);
    return () => window.clearTimeout(timer);
  }, [drawn, count, step]);
  return Math.min(drawn, count);
}
