/** Who of one's own students has earned a word and who needs one; progress comes first. */

import type { Schemas } from "../api/client";
import { StudentName } from "../panel/StudentName";
import { PinMark } from "../pins/PinMark";
import { How } from "../step/How";
import { home as words } from "../words/steps/home";

type Word = Schemas["Word"];

const TITLES = { earned: words.hasEarnedAWord, needs: words.needsAWord } as const;

function Rows({ kind, words }: { kind: keyof typeof TITLES; words: Word[] }) {
  if (words.length === 0) return <div />;
  return (
    <section aria-label={TITLES[kind]} className="u-above-20">
      <h2>
        <How of="worth-a-word">{TITLES[kind]}</How>
      </h2>
      <ul className="findings">
        {words.map((one) => (
          <li key={`${one.student_id} ${one.measure}`} className="word-row">
            <PinMark id={one.student_id} name={one.name} />
            <div>
              <StudentName student={one} />
              <div className="quiet small">
                {one.measure}, {one.said}
              </div>
            </div>
          </li>
        ))}
      </ul>
    </section>
  );
}

export function WorthAWord({ words }: { words: Schemas["Words"] }) {
  if (words.earned.length + words.needs.length === 0) return null;
  return (
    <div className="columns">
      <Rows kind="earned" words={words.earned} />
      <Rows kind="needs" words={words.needs} />
    </div>
  );
}
