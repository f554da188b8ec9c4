/** The list of keys. */
import { Dialog } from "../ui/Dialog";
import { frame as words } from "../words/around/frame";

const KEYS: [string, string][] = [
  ["0", "Home"],
  ["1 … 7", words.goToAStepOf],
  ["/", words.findAStudent],
  ["P", words.pinOrUnpinTheStudent],
  ["↑ ↓", words.goThroughTheRowsOf],
  ["Enter", words.openTheStudentOrNumber],
  ["[ and ]", words.stepThroughTheStudentsIn],
  ["G", words.makeAGroupOfThe],
  ["T", words.setGoalsForThePinned],
  ["U", words.bringBackTheLastSet],
  ["R", words.backToTheFirstChoice],
  ["V", words.viewsKeptByName],
  ["H", words.hideNames],
  ["D", words.lightOrDark],
  ["Esc", words.closeThePanel],
];

export function KeyHelp({ onClose }: { onClose: () => void }) {
  return (
    <Dialog title={words.keys} onClose={onClose}>
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
      <p className="quiet small u-above-14">{words.inTheFieldOfThe}</p>
      <div className="buttons">
        <button type="button" className="plain" onClick={onClose}>
          {words.close}
        </button>
      </div>
    </Dialog>
  );
}
