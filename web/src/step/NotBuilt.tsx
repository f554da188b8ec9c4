/** A step that Bodkin cannot do yet says so. */
import { useParams } from "react-router";
import { useRail } from "../scope/useRail";

export function NotBuilt() {
  const { step } = useParams();
  const rail = useRail();
  const known = rail.data?.steps.find((one) => one.path === step);
  return (
    <div className="empty">
      <h1>{known ? `${known.name} is not built yet` : "There is no such page"}</h1>
      {known ? (
        <p>
          Here Bodkin will answer: <em>{known.question}</em> Compare, Growth and Groups work today.
        </p>
      ) : (
        <p>Use the steps at the left to go on.</p>
      )}
    </div>
  );
}
