/** A step that Bodkin cannot do yet says so. */
import { useParams } from "react-router";
import { useRail } from "../scope/useRail";
import { step as words } from "../words/around/step";

export function NotBuilt() {
  const { step } = useParams();
  const rail = useRail();
  const known = rail.data?.steps.find((one) => one.path === step);
  return (
    <div className="empty">
      <h1>{known ? words.isNotBuiltYet(known.name) : words.thereIsNoSuchPage}</h1>
      {known ? (
        <p>
          {words.hereBodkinWillAnswer} <em>{known.question}</em> {words.stepsThatWork}
        </p>
      ) : (
        <p>{words.useTheStepsAtThe}</p>
      )}
    </div>
  );
}
