/** The list of keys. */
import { Dialog } from "../ui/Dialog";

const KEYS: [string, string][] = [
  ["0", "Home"],
  ["1 … 7", "Go to a step of the round"],
  ["/", "Find a student"],
  ["P", "Pin or unpin the student at hand"],
  ["↑ ↓", "Go through the rows of a table"],
  ["Enter", "Open the student or number at hand"],
  ["[ and ]", "Step through the students in the panel"],
  ["G", "Make a group of the pinned students"],
  ["T", "Set goals for the pinned students"],
  ["U", "Bring back the last set of pins"],
  ["R", "Back to the first choice of students"],
  ["V", "Views kept by name"],
  ["H", "Hide names"],
  ["D", "Light or dark"],
  ["Esc", "Close the panel"],
];

export function KeyHelp({ onClose }: { onClose: () => void }) {
  return (
    <Dialog title="Keys" onClose={onClose}>
      <table className="rows">
        <tbody>
          {KEYS.map(([key, what]) => (
            <tr key={key}>
              <td style={{ width: 90 }}>
                <kbd>{key}</kbd>
              </td>
              <td>{what}</td>
            </tr>
          ))}
        </tbody>
      </table>
      <p className="quiet small" style={{ marginTop: 10 }}>
        In the field of the Growth step: arrow keys move the region, with Shift they make it larger or
        smaller, Enter pins the students in it.
      </p>
      <div className="buttons">
        <button type="button" className="plain" onClick={onClose}>
          Close
        </button>
      </div>
    </Dialog>
  );
}
