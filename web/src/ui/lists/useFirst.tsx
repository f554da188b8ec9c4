/** The first rows of a long list, and the button that shows more: a few rows at once leave keys and clicks their turn. */
import { type ReactNode, useState } from "react";
import { ui as words } from "../../words/around/ui";
import { many } from "../../words/format";

/** How many rows to show, and the button for more of ``n`` rows in all; nothing where all are shown. */
export function useShown(first: number, step: number): [shown: number, more: (n: number) => ReactNode] {
  const [shown, setShown] = useState(first);
  const more = (n: number) =>
    n > shown && (
      <button type="button" className="plain" onClick={() => setShown(shown + step)}>
        {words.more(many(n - shown))}
      </button>
    );
  return [shown, more];
}

/** The same for a list whose length is known. */
export function useFirst(n: number, first: number, step: number): [shown: number, more: ReactNode] {
  const [shown, more] = useShown(first, step);
  return [shown, more(n)];
}
