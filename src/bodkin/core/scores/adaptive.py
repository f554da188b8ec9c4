"""Adaptive testing: which item to give next, and what the answers say of an ability, with its error."""

from collections.abc import Callable
from dataclasses import dataclass

import numpy as np
from numpy.typing import ArrayLike
from scipy.special import expit

from bodkin.core.arrays import BoolArray, FloatArray, IntArray, floats, positive
from bodkin.core.errors import BadInput

PRIOR_MEAN, PRIOR_SD = 0.0, 1.0
"""Abilities before any answer, in logits: the scale of the item bank."""

GRID = np.linspace(-6.0, 6.0, 241)
"""Abilities over which the posterior is summed; 0.05 logits apart."""

FURTHEST = 6.0
"""Most likely abilities beyond this are none: every answer was right, or every one wrong."""

Answer = Callable[[IntArray], BoolArray]
"""Gives each student one item (position in the bank), and says who answered right."""


def chance_right(ability: ArrayLike, difficulty: ArrayLike) -> FloatArray:
    """Chance of a right answer, ``1/(1 + exp(-(ability - difficulty)))``, both in logits.

    Shapes as NumPy combines them; NaN where either is missing.
    Source: Rasch (1960), Probabilistic Models for Some Intelligence and Attainment Tests.
    """
    return np.asarray(expit(floats("ability", ability) - floats("difficulty", difficulty)))


@dataclass(frozen=True, slots=True)
class Ability:
    """Ability of each student and its standard error, in logits; NaN where the answers say nothing."""

    estimate: FloatArray
    error: FloatArray


def _answers(right: ArrayLike, difficulty: ArrayLike) -> tuple[FloatArray, FloatArray, BoolArray]:
    table, hard = floats("right", right), floats("difficulty", difficulty)
    hard = np.broadcast_to(hard, table.shape) if hard.ndim == 1 and table.ndim == 2 else hard
    if table.ndim != 2 or hard.shape != table.shape:
        raise BadInput(f"right needs students as rows and items as columns, with a difficulty each: {table.shape}")
    given = ~np.isnan(table)
    if not np.isin(table[given], (0.0, 1.0)).all():
        raise BadInput("right must be 0 or 1, or missing where the item was not given")
    if np.isnan(hard[given]).any():
        raise BadInput("every item that was given needs a difficulty")
    return table, np.where(given, hard, 0.0), given


def _before(students: int, mean: float, spread: float) -> FloatArray:
    """Log weight of each ability of the grid before any answer, shape (students, grid)."""
    return np.tile(-0.5 * ((GRID - mean) / spread) ** 2, (students, 1))


def _learn(weight: FloatArray, right: FloatArray, hard: FloatArray, given: BoolArray) -> None:
    """What one answer a student adds to the log weights, in place."""
    line = GRID[np.newaxis, :] - hard[given][:, np.newaxis]
    weight[given] += np.where(right[given][:, np.newaxis] == 1, line, 0.0) - np.logaddexp(0.0, line)


def _summary(weight: FloatArray) -> Ability:
    share = np.exp(weight - weight.max(axis=1, keepdims=True))
    share /= share.sum(axis=1, keepdims=True)
    mean = share @ GRID
    error = np.sqrt((share * (GRID[np.newaxis, :] - mean[:, np.newaxis]) ** 2).sum(axis=1))
    return Ability(mean, error)


def expected_ability(
    right: ArrayLike, difficulty: ArrayLike, prior_mean: float = PRIOR_MEAN, prior_sd: float = PRIOR_SD
) -> Ability:
    """Mean and standard deviation of the ability after the answers, from a normal prior (EAP).

    ``right``: 1, 0, or NaN where an item was not given, shape (students, items); ``difficulty``:
    logits, shape (items,) or (students, items). Without an answer the prior comes back. Raises
    BadInput for other shapes or values, or a prior without spread.
    Source: Bock & Mislevy (1982), Applied Psychological Measurement 6, 431-444.
    """
    table, hard, given = _answers(right, difficulty)
    weight = _before(table.shape[0], prior_mean, float(positive("prior_sd", prior_sd)))
    for item in range(table.shape[1]):
        _learn(weight, table[:, item], hard[:, item], given[:, item])
    return _summary(weight)


def likeliest_ability(right: ArrayLike, difficulty: ArrayLike, rounds: int = 60) -> Ability:
    """The ability under which the answers are most likely, with ``1/sqrt(information)`` as error (ML).

    Shapes and errors as :func:`expected_ability`. NaN for a student who answered everything right,
    everything wrong, or nothing: there is no such ability.
    Source: Rasch model, Newton's method on the likelihood; girth is the reference.
    """
    table, hard, given = _answers(right, difficulty)
    tried, score = given.sum(axis=1), np.nansum(table, axis=1)
    known = (score > 0) & (score < tried)
    theta = np.where(known, 0.0, np.nan)
    for _ in range(rounds):
        p = np.where(given, expit(theta[:, np.newaxis] - hard), 0.0)
        information = (p * (1 - p)).sum(axis=1)
        step = (score - p.sum(axis=1)) / np.where(information > 0, information, np.nan)
        # Far from the answers the likelihood is flat and a full step would overshoot.
        theta = np.clip(theta + np.clip(step, -1.0, 1.0), -FURTHEST, FURTHEST)
    p = np.where(given, expit(theta[:, np.newaxis] - hard), 0.0)
    information = (p * (1 - p)).sum(axis=1)
    outside = np.abs(theta) >= FURTHEST
    estimate = np.where(outside, np.nan, theta)
    return Ability(estimate, np.where(np.isnan(estimate), np.nan, 1 / np.sqrt(np.where(known, information, np.nan))))


def most_informative(ability: ArrayLike, difficulty: ArrayLike, used: ArrayLike) -> IntArray:
    """For each student the unused item that tells most at this ability; the earlier one of two alike.

    ``ability``: shape (students,); ``difficulty``: (items,); ``used``: (students, items), true for
    items that were given. Raises BadInput for other shapes or a student without an item left.
    Source: maximum Fisher information, ``p (1 - p)`` in the Rasch model; Lord (1980),
    Applications of Item Response Theory to Practical Testing Problems, chapter 10.
    """
    at, hard, gone = floats("ability", ability), floats("difficulty", difficulty), np.asarray(used, dtype=bool)
    if at.ndim != 1 or hard.ndim != 1 or gone.shape != (at.size, hard.size):
        raise BadInput(f"used must have a row a student and a column an item, got {gone.shape}")
    if gone.all(axis=1).any():
        raise BadInput(f"student {int(np.argmax(gone.all(axis=1)))} has no item left")
    p = expit(at[:, np.newaxis] - hard)
    return np.asarray(np.argmax(np.where(gone, -1.0, p * (1 - p)), axis=1), dtype=np.int64)


@dataclass(frozen=True, slots=True)
class Sitting:
    """An adaptive test as it went: ability, items in the order given (-1 after the end), right (NaN after it)."""

    ability: Ability
    items: IntArray
    right: FloatArray

    @property
    def tried(self) -> IntArray:
        """How many items each student was given."""
        return np.asarray((self.items >= 0).sum(axis=1), dtype=np.int64)


def administer(difficulty: ArrayLike, students: int, answer: Answer, most_items: int, error_wanted: float) -> Sitting:
    """Give an adaptive test: the most informative item next, until the error is small enough.

    ``difficulty``: of the bank's items, logits; ``answer``: called once for each round with an
    item a student (-1 for those who are done). Ends for a student at ``error_wanted`` (logits) or
    ``most_items``. Abilities are expected ones on the prior of the bank. Raises BadInput for a
    bank with fewer items than may be given.
    """
    hard = floats("difficulty", difficulty)
    wanted = float(positive("error_wanted", error_wanted))
    if hard.ndim != 1 or not 1 <= most_items <= hard.size:
        raise BadInput(f"most_items must be from 1 to the {hard.size} items of the bank, got {most_items}")
    used = np.zeros((students, hard.size), dtype=bool)
    given = np.full((students, most_items), -1, dtype=np.int64)
    right = np.full((students, most_items), np.nan)
    weight = _before(students, PRIOR_MEAN, PRIOR_SD)
    ability = _summary(weight)
    for at in range(most_items):
        going = ability.error > wanted
        if not going.any():
            break
        item = np.where(going, most_informative(ability.estimate, hard, used), -1)
        answers = np.asarray(answer(item), dtype=bool)
        used[np.flatnonzero(going), item[going]] = True
        given[going, at] = item[going]
        right[going, at] = answers[going]
        _learn(weight, right[:, at], hard[np.maximum(item, 0)], going)
        ability = _summary(weight)
    return Sitting(ability, given, right)
