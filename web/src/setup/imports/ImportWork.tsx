/** What an import or a fetch is doing: busy, done or refused, and the files that wait to be imported. */
import { useQueryClient } from "@tanstack/react-query";
import type { Schemas } from "../../api/client";
import { Busy } from "../Busy";
import { FaultBox } from "../FaultBox";
import type { useWork } from "../useWork";
import { Waiting } from "./Waiting";

type Bundle = Schemas["BundleAnswer"];

interface Props {
  work: ReturnType<typeof useWork>;
  bundle: Bundle | null;
  onBundle: (bundle: Bundle | null) => void;
}

export function ImportWork({ work, bundle, onBundle }: Props) {
  const cache = useQueryClient();
  const { busy, fault, done, setDone, doing } = work;
  return (
    <>
      <div role="status" aria-live="polite">
        {busy && <Busy what={busy} />}
        {done && <p className="aside">{done}</p>}
      </div>
      {fault && <FaultBox fault={fault} />}
      {bundle && (
        <Waiting
          bundle={bundle}
          busy={Boolean(busy)}
          doing={doing}
          onChange={onBundle}
          onDone={(message) => {
            setDone(message);
            onBundle(null);
            cache.invalidateQueries();
          }}
        />
      )}
    </>
  );
}
