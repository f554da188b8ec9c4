/** What has just been done, said to everybody, with the way to take it back. */
import { step as words } from "../words/around/step";

/** `act` is the key that takes it back; null where there is none. `undo` is told that key. */
export function Done(props: { said: string; act: number | null; undo: (act: number) => void }) {
  const { said, act, undo } = props;
  if (!said) return null;
  return (
    <p className="aside">
      {said}.{" "}
      {act !== null && (
        <button type="button" className="word" onClick={() => undo(act)}>
          {words.undo}
        </button>
      )}
    </p>
  );
}
