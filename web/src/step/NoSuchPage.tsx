/** An address that there is no page for, or none for this person. */
import { step as words } from "../words/around/step";

export function NoSuchPage() {
  return (
    <div className="empty">
      <h1>{words.thereIsNoSuchPage}</h1>
      <p>{words.useTheStepsAtThe}</p>
    </div>
  );
}

/** A page that is there for others: who they are, and how to go on. */
export function NotForYou({ whose }: { whose: string }) {
  return (
    <div className="empty">
      <h1>{words.thisPageIsNotOpenToYou}</h1>
      <p>
        {whose} {words.useTheStepsAtThe}
      </p>
    </div>
  );
}
