/** Who and what is new: everything doubtful about a file, answered one by one or all of a kind with one click. */
import type { Schemas } from "../../api/client";
import { setup as words } from "../../words/steps/setup";
import type { Asking } from "./Mapping";

type Question = Schemas["QuestionAnswer"];
type Item = Schemas["QuestionItem"];

interface OneProps {
  item: Item;
  busy: boolean;
  onAnswer: (answer: string) => void;
}

/** One thing that is asked, with its answers as buttons; what is chosen stays pressed and can be changed. */
function One({ item, busy, onAnswer }: OneProps) {
  const others = item.known.filter((name) => !item.choices.some((one) => one.answer === `same:${name}`));
  const chosen = item.answer?.startsWith("same:") ? item.answer.slice(5) : "";
  return (
    <li className={item.answer ? "answered" : undefined}>
      <div>
        {item.said}
        <span className="quiet small"> {words.whereItStands(item.n, item.lines)}</span>
      </div>
      <div className="answers">
        {item.choices.map((one) => (
          <button
            key={one.answer}
            type="button"
            className="offered"
            aria-pressed={item.answer === one.answer}
            disabled={busy}
            onClick={() => onAnswer(one.answer)}
          >
            {one.words}
          </button>
        ))}
        {others.length > 0 && item.choices.some((one) => one.answer === "new") && (
          <select
            className="input"
            aria-label={words.theSameAsAnother(item.key)}
            value={others.includes(chosen) ? chosen : ""}
            disabled={busy}
            onChange={(event) => event.target.value && onAnswer(`same:${event.target.value}`)}
          >
            <option value="">{words.theSameAs}</option>
            {others.map((name) => (
              <option key={name}>{name}</option>
            ))}
          </select>
        )}
      </div>
    </li>
  );
}

function Kind({ question, busy, onAnswers }: { question: Question; busy: boolean; onAnswers: OnAnswers }) {
  const more = question.n - question.items.length;
  return (
    <section aria-label={question.words}>
      <h3>
        {question.words[0]?.toUpperCase()}
        {question.words.slice(1)}{" "}
        <span className="quiet">
          {question.open === 0
            ? words.allAnswered
            : question.n > 1 && words.openOf(question.open, question.n)}
        </span>
      </h3>
      {question.n > 1 && question.choices.length > 0 && (
        <p className="answers">
          <span className="quiet">{words.allOfThese(question.n)}</span>
          {question.choices.map((one) => (
            <button
              key={one.answer}
              type="button"
              className="offered"
              disabled={busy}
              onClick={() => onAnswers(question, null, one.answer)}
            >
              {one.words}
            </button>
          ))}
        </p>
      )}
      <ul className="questions">
        {question.items.map((item) => (
          <One
            key={item.key}
            item={item}
            busy={busy}
            onAnswer={(answer) => onAnswers(question, item, answer)}
          />
        ))}
      </ul>
      {more > 0 && <p className="quiet small">{words.andMoreOfThese(more)}</p>}
    </section>
  );
}

type OnAnswers = (question: Question, item: Item | null, answer: string) => void;

export function Questions({ draft, busy, onChange }: Asking) {
  if (draft.questions.length === 0) return null;
  const say: OnAnswers = (question, item, answer) => {
    const kept = Object.entries(draft.changes.answers ?? {});
    // An answer to all of a kind replaces those to single ones.
    const others = item ? kept : kept.filter(([key]) => !key.startsWith(`${question.kind}/`));
    const key = item ? `${question.kind}/${item.key}` : question.kind;
    onChange({ ...draft.changes, answers: { ...Object.fromEntries(others), [key]: answer } });
  };
  return (
    <section className="asked" aria-label={words.whoAndWhatIsNew}>
      <h2>
        {words.whoAndWhatIsNew}{" "}
        {draft.open_questions > 0 && (
          <span className="quiet">{words.questionsOpen(draft.open_questions)}</span>
        )}
      </h2>
      <p className="quiet small">{words.bodkinDoesNotGuess}</p>
      {draft.questions.map((question) => (
        <Kind key={question.kind} question={question} busy={busy} onAnswers={say} />
      ))}
    </section>
  );
}
