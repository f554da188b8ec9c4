/** The day that something is entered for: today or before. */
import { useMe } from "../../people/me";
import { followUp as words } from "../../words/steps/follow-up";

export function DayField({ day, onChange }: { day: string; onChange: (day: string) => void }) {
  const me = useMe();
  return (
    <label className="field">
      <span>{words.day}</span>
      <input
        type="date"
        required
        max={me.today}
        value={day}
        onChange={(event) => onChange(event.target.value)}
      />
    </label>
  );
}
