import { ui as words } from "../words/around/ui";
/** The end of a dialog's form: what went wrong, the way out, and the one main act. */

export function FormEnd(props: {
  fault: string;
  onClose: () => void;
  act: string;
  disabled?: boolean;
  away?: string;
}) {
  return (
    <>
      {props.fault && (
        <p className="fault" role="alert">
          {props.fault}
        </p>
      )}
      <div className="buttons">
        <button type="button" className="plain" onClick={props.onClose}>
          {props.away ?? words.cancel}
        </button>
        <button type="submit" className="act" disabled={props.disabled ?? false}>
          {props.act}
        </button>
      </div>
    </>
  );
}
