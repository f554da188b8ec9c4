/** Prints the step as it stands, with the scope as its caption. */

export function PrintButton() {
  return (
    <button type="button" className="word" onClick={() => window.print()}>
      Print
    </button>
  );
}
