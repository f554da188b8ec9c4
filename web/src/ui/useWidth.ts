/** The width a drawing has to itself, in pixels. */
import { useEffect, useRef, useState } from "react";

export function useWidth<T extends HTMLElement>(first: number) {
  const ref = useRef<T>(null);
  const [width, setWidth] = useState(first);
  useEffect(() => {
    const node = ref.current;
    if (!node) return;
    const watch = new ResizeObserver(([entry]) => {
      if (entry) setWidth(Math.floor(entry.contentRect.width));
    });
    watch.observe(node);
    return () => watch.disconnect();
  }, []);
  return [ref, width] as const;
}
