"""A question about a file: what is doubtful, what can be answered, and what an answer does to the rows."""

from collections.abc import Callable, Mapping, Sequence
from dataclasses import dataclass, field

import polars as pl

Answers = Mapping[str, str]
"""Answers by ``kind`` (to all of a kind) or ``kind/key`` (to one); the one holds over the all."""

NO_ANSWERS: Answers = {}
SAME, NEW, LEAVE, NEAREST = "same", "new", "leave", "nearest"
"""Answers that many questions have: it is the one that is known, it is a new one, these rows stay out; and, to all of
a kind, each is the same as the one that is nearest to it."""
LINES_SHOWN = 5


@dataclass(frozen=True, slots=True)
class Choice:
    """One answer: its word in an address and how a person reads it."""

    answer: str
    words: str


@dataclass(frozen=True, slots=True)
class Item:
    """One thing that is asked: ``said`` in words, ``n`` rows it is about and the first ``lines`` of them.

    ``known``: what else it could be the same as; such an answer is ``same:`` and the value.
    """

    key: str
    said: str
    lines: tuple[int, ...]
    n: int
    choices: tuple[Choice, ...]
    known: tuple[str, ...] = ()

    @property
    def nearest(self) -> str | None:
        """The answer that it is the same as the nearest known one; None where none is near."""
        return next((choice.answer for choice in self.choices if choice.answer.startswith(f"{SAME}:")), None)

    def taken(self, answer: str) -> str | None:
        """An answer as this item has it; None where it is none of its answers."""
        if answer == NEAREST:
            return self.nearest
        if any(choice.answer == answer for choice in self.choices):
            return answer
        return answer if answer.startswith(f"{SAME}:") and answer.split(":", 1)[1] in self.known else None


Settle = Callable[[pl.DataFrame, Answers], pl.DataFrame]
"""What answers do: gets the rows and the answers by item, returns the rows as they come in."""


@dataclass(frozen=True, slots=True)
class Question:
    """Everything of one kind that is doubtful about a file; ``settle`` leaves rows without an answer as they are."""

    kind: str
    words: str
    items: Sequence[Item]
    settle: Settle = field(default=lambda rows, _answers: rows)

    def answer_to(self, item: Item, answers: Answers) -> str | None:
        """What was answered for an item, for it alone or for all of its kind; None while it is open."""
        for given in (answers.get(f"{self.kind}/{item.key}"), answers.get(self.kind)):
            if given is not None and (taken := item.taken(given)) is not None:
                return taken
        return None

    def answered(self, answers: Answers) -> dict[str, str]:
        """The answers that were given, by item."""
        found = {item.key: self.answer_to(item, answers) for item in self.items}
        return {key: answer for key, answer in found.items() if answer is not None}

    def open(self, answers: Answers) -> int:
        """How many items nobody has answered."""
        return sum(self.answer_to(item, answers) is None for item in self.items)


def open_items(questions: Sequence[Question], answers: Answers) -> int:
    """How many items of some questions are open."""
    return sum(question.open(answers) for question in questions)


def lines_of(rows: pl.DataFrame) -> tuple[int, ...]:
    """The first lines that rows stand in."""
    return tuple(rows["line"].head(LINES_SHOWN).to_list())


def without_lines(rows: pl.DataFrame, lines: Sequence[int]) -> pl.DataFrame:
    """The rows without those of some lines."""
    return rows.filter(~pl.col("line").is_in(list(lines))) if lines else rows


def without_left(rows: pl.DataFrame, answers: Answers, lines: Mapping[str, Sequence[int]]) -> pl.DataFrame:
    """The rows without those of items that are left out; ``lines``: where each item stands."""
    return without_lines(rows, [at for key, answer in answers.items() if answer == LEAVE for at in lines[key]])


def settled(rows: pl.DataFrame, questions: Sequence[Question], answers: Answers) -> pl.DataFrame:
    """The rows once every answer that was given has had its effect."""
    for question in questions:
        if given := question.answered(answers):
            rows = question.settle(rows, given)
    return rows
