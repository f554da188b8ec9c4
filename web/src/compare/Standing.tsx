/** Two windows' flows, or one window's column, with the shares and headline figures beside it. */
import type { Schemas } from "../api/client";
import { BandMark } from "../marks/BandMark";
import { Flow } from "../marks/Flow";
import { usePanel } from "../panel/PanelContext";
import { How } from "../step/How";
import { useWidth } from "../ui/useWidth";
import { Worked } from "../ui/Worked";
import { many, percent, score, season, signed } from "../words/format";
import { compare as words } from "../words/steps/compare";

type Answer = Schemas["CompareAnswer"];
type Band = Schemas["BandRow"];

/** A share in the numbers that went into it. */
function shareWorked(row: Band, side: "from" | "to", whole: number): string {
  const n = row[`${side}_n`];
  if (n == null) return words.withheldTooFewStudents;
  return words.ofStudentsAreInWith(
    many(n),
    many(whole),
    row.band,
    percent(row[`${side}_share`]),
    percent(row[`${side}_low`]),
    percent(row[`${side}_high`]),
  );
}

function Shares({ answer }: { answer: Answer }) {
  const { open } = usePanel();
  const names = answer.bands.map((row) => row.band);
  const sides = answer.single ? (["to"] as const) : (["from", "to"] as const);
  const label = { from: answer.from_label, to: answer.to_label };
  const whole = {
    from: answer.bands.reduce((sum, row) => sum + (row.from_n ?? 0), 0),
    to: answer.bands.reduce((sum, row) => sum + (row.to_n ?? 0), 0),
  };
  return (
    <table className="rows" aria-label={words.sharesInEachBand}>
      <thead>
        <tr>
          <th>{words.band}</th>
          {sides.map((side) => (
            <th className="num" key={side}>
              {season(label[side])}
            </th>
          ))}
          <th className="num" title={words.shareOfStudentsInThis}>
            {words.atOrAbove}
          </th>
        </tr>
      </thead>
      <tbody>
        {[...answer.bands].reverse().map((row) => (
          <tr key={row.order}>
            <td>
              <BandMark order={row.order} bands={names} named />
            </td>
            {sides.map((side) => (
              <td className="num" key={side}>
                <Worked text={shareWorked(row, side, whole[side])}>
                  <button type="button" className="open" onClick={() => open({ side, band: row.order })}>
                    {percent(row[`${side}_share`])}{" "}
                    <span className="quiet small">{many(row[`${side}_n`])}</span>
                  </button>
                </Worked>
              </td>
            ))}
            <td className="num">
              {sides.map((side, at) => (
                <span key={side}>
                  {at > 0 && <span className="quiet"> → </span>}
                  <button
                    type="button"
                    className="open"
                    onClick={() => open({ side, at_or_above: row.order })}
                  >
                    {percent(row[`${side}_at_or_above`])}
                  </button>
                </span>
              ))}
            </td>
          </tr>
        ))}
      </tbody>
    </table>
  );
}

function Facts({ answer }: { answer: Answer }) {
  const { open } = usePanel();
  const { quoted, movement, explained } = answer;
  const moves = movement?.up != null && !answer.single && !answer.same_grade;
  return (
    <dl className="facts">
      {quoted && (
        <div>
          <dt>
            <How of="shares">
              {words.at} {quoted.band} {words.orAbove}
            </How>
          </dt>
          <dd>
            <Worked text={explained.quoted}>
              <button
                type="button"
                className="open"
                onClick={() => open({ side: "to", at_or_above: quoted.order })}
              >
                {percent(quoted.to_share)}
              </button>
            </Worked>{" "}
            <small>
              {many(quoted.to_n)} {words.now}
              {!answer.single && (
                <>
                  {" · "}
                  <button
                    type="button"
                    className="open"
                    onClick={() => open({ side: "from", at_or_above: quoted.order })}
                  >
                    {percent(quoted.from_share)}, {many(quoted.from_n)} {words.before}
                  </button>
                </>
              )}
            </small>
          </dd>
        </div>
      )}
      {moves &&
        (["up", "down"] as const).map((way) => (
          <div key={way}>
            <dt>
              <How of="movement">
                {words.moved} {way}
              </How>
            </dt>
            <dd>
              <Worked text={explained[way]}>
                <button type="button" className="open" onClick={() => open({ moved: way })}>
                  {many(movement?.[way])}
                </button>
              </Worked>
            </dd>
          </div>
        ))}
      {moves && movement?.net != null && (
        <div>
          <dt>
            <How of="movement" title={words.movedUpLessMovedDown}>
              {words.netMove}
            </How>
          </dt>
          <dd>
            <Worked text={explained.net}>
              <button type="button" className="figure">
                {signed(movement.net * 100)}
              </button>
            </Worked>{" "}
            <small>{words.in100}</small>
          </dd>
        </div>
      )}
      {quoted && answer.just_below != null && (
        <div>
          <dt>
            <How of="bands-and-cuts">
              {words.justBelow} {quoted.band}
            </How>
          </dt>
          <dd>
            <Worked text={explained.just_below}>
              <button type="button" className="open" onClick={() => open({ just_below: true })}>
                {many(answer.just_below)}
              </button>
            </Worked>
          </dd>
        </div>
      )}
      {answer.lowest_fifth != null && (
        <div>
          <dt>
            <How of="among-one-s-own">{words.lowestFifth}</How>
          </dt>
          <dd>
            <Worked text={explained.lowest_fifth}>
              <button type="button" className="open" onClick={() => open({ lowest_fifth: true })}>
                {many(answer.lowest_fifth)}
              </button>
            </Worked>
          </dd>
        </div>
      )}
      {answer.bands.length > 0 && answer.near_cut != null && (
        <div>
          <dt>
            <How of="bands-and-cuts">{words.closeToACut}</How>
          </dt>
          <dd>
            <Worked text={explained.near_cut}>
              <button type="button" className="open" onClick={() => open({ near_cut: true })}>
                {many(answer.near_cut)}
              </button>
            </Worked>
          </dd>
        </div>
      )}
    </dl>
  );
}

/** The later window's scores in five numbers. */
function Overall({ answer }: { answer: Answer }) {
  const { open } = usePanel();
  const numbers = answer.overall;
  if (!numbers) return null;
  const parts = [
    words.mean(numbers.mean?.toFixed(1)),
    words.median(score(numbers.median)),
    ...(numbers.lowest != null
      ? [words.lowest(score(numbers.lowest)), words.highest(score(numbers.highest))]
      : []),
  ];
  return (
    <p className="quiet small u-above-8">
      {season(answer.to_label)}:{" "}
      <button type="button" className="open" onClick={() => open({ side: "to" })}>
        {many(numbers.n)} {words.scores}
      </button>
      {" · "}
      {parts.map((part) => part.replace(" ", "\u00a0")).join(" · ")}
    </p>
  );
}

/** What stands where two windows cannot be drawn. */
function whyNot(answer: Answer): string {
  if (answer.withheld && answer.bands.some((row) => row.to_n == null)) return words.someGroupsAreTooSmall;
  return answer.bands.length ? words.nobodyHasAResultIn : words.thisTestHasNoCuts;
}

export function Standing({ answer, picture }: { answer: Answer; picture?: React.ReactNode }) {
  const { open } = usePanel();
  const [box, width] = useWidth<HTMLDivElement>(560);
  const shown = answer.bands.length > 0 && answer.bands.every((row) => row.to_share != null);
  const both = answer.bands.every((row) => row.from_share != null);
  const drawn = answer.movement && shown && (answer.single || both);
  return (
    <div className="compare">
      <div ref={box}>
        {picture ??
          (drawn && answer.movement ? (
            <Flow
              bands={answer.bands}
              movement={answer.movement}
              labels={[answer.from_label, answer.to_label]}
              width={Math.max(width, 380)}
              height={268}
              single={answer.single}
              onOpen={open}
            />
          ) : (
            <p className="aside">
              {words.thereIsNothingToDraw} {whyNot(answer)}.
            </p>
          ))}
      </div>
      <div>
        <Facts answer={answer} />
        {answer.bands.length > 0 && <Shares answer={answer} />}
        <Overall answer={answer} />
        {answer.shift && !answer.single && !answer.same_grade && (
          <p className="quiet small u-above-8">{answer.shift}</p>
        )}
      </div>
    </div>
  );
}
