/** A share as a thin bar with its percent; a line stands at three quarters, below which help did not really happen. */
import { percent } from "../words/format";
import css from "./followUp.module.css";

const ENOUGH = 0.75;

export function ShareBar({ share }: { share: number | null | undefined }) {
  if (share == null) return <span className="quiet">–</span>;
  return (
    <span className={css.share}>
      <svg viewBox="0 0 100 8" width={70} height={8} aria-hidden="true" preserveAspectRatio="none">
        <rect width={100} height={8} fill="var(--belt)" />
        <rect width={Math.min(100, share * 100)} height={8} fill="var(--ramp-3)" />
        <rect x={ENOUGH * 100} width={1.5} height={8} fill="var(--ink)" />
      </svg>{" "}
      {percent(share)}
    </span>
  );
}
