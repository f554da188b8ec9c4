"""Asks everything about the rows of a file that can be asked before they are compared with what is there."""

from collections.abc import Sequence
from datetime import date

from sqlalchemy.orm import Session

from bodkin.exchange.questions.dates import days_outside
from bodkin.exchange.questions.people import PEOPLE_FINDERS
from bodkin.exchange.questions.question import Answers, Question, settled
from bodkin.exchange.questions.values import VALUE_FINDERS, Find
from bodkin.exchange.tables_in.reading import Reading

NOT_ASKED = frozenset({"calendar", "standards", "prerequisites"})
"""Kinds of files that name neither people nor tests and set the school years themselves."""


def ask(session: Session, kind: str, reading: Reading, answers: Answers, today: date) -> list[Question]:
    """The questions about a file; the rows of ``reading`` are left as the answers have it.

    One answer bears on the next question: a school that is said to be a known one is asked about no more.
    """
    if kind in NOT_ASKED:
        return []
    finders: Sequence[Find] = (
        *VALUE_FINDERS, *PEOPLE_FINDERS, lambda session, rows: days_outside(session, rows, today),
    )  # fmt: skip
    rows, found = reading.good(), []
    for find in finders:
        question = find(session, rows)
        if question is not None:
            found.append(question)
            rows = settled(rows, [question], answers)
    if any(question.answered(answers) for question in found):
        # Refused rows stay to be told of; what the answers leave out is gone.
        reading.settle(rows)
    return found
