/** Prints the step as it stands, with the scope as its caption. */
import { useEffect, useState } from "react";
import { flushSync } from "react-dom";
import { ui as words } from "../words/around/ui";

/** Rows of a long list that are printed; more are a spreadsheet's business. */
export const PRINTED = 500;

/** What a long list prints: its rows at once instead of those in view. Nothing while nothing prints. */
export function usePrinted<Row>(fetch: () => Promise<Row[]>) {
  const [rows, setRows] = useState<Row[] | null>(null);
  useEffect(() => {
    const done = () => setRows(null);
    window.addEventListener("afterprint", done);
    return () => window.removeEventListener("afterprint", done);
  }, []);
  return {
    rows,
    ready: async () => {
      const found = await fetch();
      flushSync(() => setRows(found));
    },
  };
}

/** ``before`` makes the step ready for paper, where that takes a moment. */
export function PrintButton({ before }: { before?: () => Promise<void> }) {
  const [busy, setBusy] = useState(false);
  const print = async () => {
    setBusy(true);
    try {
      await before?.();
      window.print();
    } finally {
      setBusy(false);
    }
  };
  return (
    <button type="button" className="word" disabled={busy} onClick={print}>
      {words.print}
    </button>
  );
}
