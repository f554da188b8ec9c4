/** How high a part may be to end just above the foot of the screen, wherever it begins. */
import { type RefObject, useEffect, useState } from "react";

/** ``below``: pixels to leave under it. */
export function useRoom(part: RefObject<HTMLElement | null>, below: number): number {
  const [room, setRoom] = useState(0);
  useEffect(() => {
    const measure = () => {
      const node = part.current;
      if (!node) return;
      // Scrolling the page moves the part, not the room it has on a page that is not scrolled.
      const scrolled = node.closest("main")?.scrollTop ?? 0;
      setRoom(Math.floor(window.innerHeight - node.getBoundingClientRect().top - scrolled - below));
    };
    measure();
    // What stands above may grow or shrink: a sentence that wraps, a note that appears.
    const watch = new ResizeObserver(measure);
    watch.observe(document.body);
    const above = part.current?.closest("main")?.firstElementChild;
    if (above) watch.observe(above);
    window.addEventListener("resize", measure);
    return () => {
      watch.disconnect();
      window.removeEventListener("resize", measure);
    };
  }, [part, below]);
  return room;
}
