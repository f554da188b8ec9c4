/** Why something was refused, with the places. */
import type { Refused } from "../api/client";
import { setup as words } from "../words/steps/setup";

export function FaultBox({ fault }: { fault: Refused }) {
  return (
    <div className="fault" role="alert">
      <p>{fault.message}</p>
      {fault.faults.length > 1 && (
        <ul>
          {fault.faults.slice(0, 20).map((one) => (
            <li key={`${one.file}${one.line}${one.column}${one.message}`}>
              {one.line > 0 && words.line(one.line)}
              {one.column && words.column(one.column)}
              {one.message}
            </li>
          ))}
        </ul>
      )}
    </div>
  );
}
