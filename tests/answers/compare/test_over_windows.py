"""Results over many windows, against a plain telling of the rules, one student after another."""

import random
import unittest
from datetime import date

from bodkin.answers.compare.over_windows import over_windows
from bodkin.answers.scope.scope import Scope
from tests.support.tables import BASE, SPRING, WINDOWS, WINTER, result, table_of


def drawn(seed):
    """Sixty students who miss windows, sit twice, and change grade and school between windows."""
    draw, rows = random.Random(seed), []
    for at in range(60):
        for window in WINDOWS:
            for _ in range(draw.choice((0, 1, 1, 1, 2))):
                more = {"grade": draw.choice(("3", "4")), "school": draw.choice(("Fen", "Mere"))}
                more["tested_on"] = draw.choice((None, date(2026, 1, draw.randint(1, 28))))
                rows.append(result(len(rows), f"s{at:02}", window, 480 + draw.randint(0, 40), **more))
    draw.shuffle(rows)
    for line, row in enumerate(rows):
        row["line"] = line
    return rows


def by_hand(rows, follow, matched, **choice):
    """Student, window and score of each result that counts, as a person would pick them."""
    latest = {}
    for row in sorted(rows, key=lambda row: (row["tested_on"] or date.min, row["line"])):
        latest[row["student_id"], row["window"]] = row
    fits = lambda row: all(row[name] in wanted for name, wanted in choice.items())  # noqa: E731
    if follow == "grade":
        return sorted((one, window, row["score"]) for (one, window), row in latest.items() if fits(row))
    found = []
    for student in {one for one, _ in latest}:
        own = [(window, latest[student, window]) for window in WINDOWS if (student, window) in latest]
        if fits(own[-1][1]) and (len(own) == len(WINDOWS) or not matched):
            found += [(student, window, row["score"]) for window, row in own]
    return sorted(found)


class OverWindows(unittest.TestCase):
    def test_equal_to_one_student_after_another(self):
        """Students and grades, matched or not, of a grade, a school or all; each row knows its student and window."""
        for seed in range(4):
            rows = drawn(seed)
            table = table_of(rows)
            for follow in ("students", "grade"):
                for matched in (True, False):
                    for choice in ({}, {"grade": ("4",)}, {"school": ("Fen",)}, {"grade": ("9",)}):
                        scope = Scope(
                            **{**BASE, "to_window": SPRING, "between": (WINTER,), "follow": follow, "matched": matched},
                            **choice,
                        )
                        with self.subTest(seed=seed, follow=follow, matched=matched, **choice):
                            over = over_windows(table, scope)
                            who = over.rows["who"].to_list()
                            students = over.students["student_id"].to_list()
                            found = [
                                (students[who[at]], str(window), over.rows["score"][at])
                                for place, window in enumerate(scope.windows)
                                for at in range(len(who))[over.window(place)]
                            ]
                            wanted = by_hand(rows, follow, matched, **choice)
                            self.assertEqual(sorted(found), wanted)
                            self.assertEqual(over.n, len({one for one, *_ in wanted}))
                            numbers = {students[at]: over.number[at] for at in who}
                            self.assertEqual(sorted(numbers.values()), list(range(over.n)))
