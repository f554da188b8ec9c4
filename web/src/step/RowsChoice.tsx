/** Whether rows are students, or one unit each. */
import type { By } from "../scope/scope";
import { Choice } from "../ui/Choice";
import { step as words } from "../words/around/step";

export type Rows = "student" | By;

export function RowsChoice({ value, onChange }: { value: Rows; onChange: (rows: Rows) => void }) {
  return (
    <Choice
      label={words.rowsBy}
      value={value}
      options={Object.entries(words.rowsOf) as [Rows, string][]}
      onChange={onChange}
    />
  );
}
