/** What bringing the files in would change on the screens, worked out and given up again. */
import { useQuery } from "@tanstack/react-query";
import { client, got, type Schemas } from "../../api/client";
import { many } from "../../words/format";
import { setup as words } from "../../words/steps/setup";

const share = (value: number | null) => (value == null ? words.notKnown : `${Math.round(100 * value)} %`);

function Measure({ one }: { one: Schemas["RehearsedMeasure"] }) {
  const counts = one.windows.map((row) => words.windowCount(row.window, many(row.before), many(row.after)));
  if (one.changed) counts.push(words.scoresChange(many(one.changed)));
  return (
    <div>
      <h3>
        {one.assessment}, {one.subject}
      </h3>
      <ul>
        <li>{counts.length ? counts.join("; ") : words.noResultsMore}</li>
        <li>{words.newAndGone(one.latest, many(one.new), many(one.gone))}</li>
        {one.band && (
          <li>
            {words.atOrAbove(one.band)}{" "}
            {one.share_before != null && one.latest_before && (
              <>{words.shareBefore(share(one.share_before), one.latest_before)} </>
            )}
            {words.shareAfter(share(one.share_after), one.latest)}
          </li>
        )}
      </ul>
    </div>
  );
}

interface Props {
  drafts: string[];
  /** Changes whenever the files are read another way, so that it is worked out anew. */
  reading: string;
}

export function Rehearsal({ drafts, reading }: Props) {
  const found = useQuery({
    queryKey: ["rehearsal", ...drafts, reading],
    queryFn: () => got(client.POST("/api/imports/rehearse", { body: { drafts } })),
    gcTime: 0,
    retry: false,
  });
  return (
    <section className="rehearsal" aria-label={words.whatChangesOnTheScreens} aria-busy={found.isPending}>
      <h2>{words.whatChangesOnTheScreens}</h2>
      {found.isPending && <p className="quiet">{words.workingItOut}</p>}
      {found.isError && <p className="quiet">{found.error.message}</p>}
      {found.data?.measures.length === 0 && <p className="quiet">{words.noFigureChanges}</p>}
      <div className="measures">
        {found.data?.measures.map((one) => (
          <Measure key={`${one.assessment} ${one.subject}`} one={one} />
        ))}
      </div>
    </section>
  );
}
