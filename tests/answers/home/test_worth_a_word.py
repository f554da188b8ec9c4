"""Who is worth a word: against a walk over a class, and in the cases where little is known."""

import unittest

import numpy as np

from bodkin.answers.comparison.comparison import compare
from bodkin.answers.home.worth_a_word import MOST, OWN, Word, Words, together, worth_a_word
from bodkin.answers.scope.scope import Scope
from bodkin.store.reads.table.score_table import NORMS, empty
from tests.support.tables import BASE, FALL, WINTER, pairs, result, table_of


def one_class(moves, **more):
    """Students who start at 500 (the middle of Mid) and move by so many points; 8.5 or so are expected."""
    rows = []
    for at, points in enumerate(moves):
        rows.append(result(2 * at, f"s{at}", FALL, 500, standard_error=8.0))
        rows.append(result(2 * at + 1, f"s{at}", WINTER, 500 + points, standard_error=8.0))
    return compare(table_of(rows, **more), Scope(**BASE))


class AClass(unittest.TestCase):
    def test_against_a_walk_over_the_students(self):
        """Verdicts and bands of sixty students read one after another."""
        made = compare(table_of(pairs(seed=4)), Scope(**BASE))
        answer = worth_a_word(made, {})
        earned, needs = [], []
        for row in made.students.filter("matched").iter_rows(named=True):
            move = np.sign(row["to_order"] - row["from_order"])
            even = row["verdict"] == "as_expected"
            if row["verdict"] == "clearly_above" or (even and move > 0 and row["met"]):
                earned.append((-row["gain_z"], row["student_id"]))
            if row["verdict"] == "clearly_below" or (even and move < 0 and not row["met"]):
                needs.append((row["gain_z"], row["student_id"]))
        self.assertEqual([one.student_id for one in answer.earned], [who for _, who in sorted(earned)][:MOST])
        self.assertEqual([one.student_id for one in answer.needs], [who for _, who in sorted(needs)][:MOST])
        self.assertTrue(answer.earned and answer.needs)

    def test_what_is_said(self):
        """Both scores, the growth and what was expected, and a band that was reached or lost."""
        made = one_class([40, -20, 8])
        answer = worth_a_word(made, {"s0": ("Zagalo", "Vasco")})
        self.assertEqual([(one.name, one.said) for one in answer.earned],
                         [("Vasco Zagalo", "500 to 540: +40 where +8 was expected; up to High.")])  # fmt: skip
        self.assertEqual(answer.needs[0].said, "500 to 480: \u221220 where +8 was expected; down to Low.")
        self.assertEqual({one.measure for one in (*answer.earned, *answer.needs)}, {"Tide Reading"})

    def test_a_higher_band_with_less_growth_than_expected_is_no_praise(self):
        """From 509 to 512 is a higher band and still less than expected; nobody is named for it."""
        rows = [result(0, "a", FALL, 509, standard_error=8.0), result(1, "a", WINTER, 512, standard_error=8.0)]
        answer = worth_a_word(compare(table_of(rows), Scope(**BASE)), {})
        self.assertEqual((answer.earned, answer.needs), ([], []))

    def test_a_result_that_is_doubted_needs_no_word_yet(self):
        """The conversation there is about the test."""
        made = one_class([-30, -25])
        self.assertEqual([one.student_id for one in worth_a_word(made, {}).needs], ["s0", "s1"])
        self.assertEqual([one.student_id for one in worth_a_word(made, {}, {"s0"}).needs], ["s1"])

    def test_without_norms_the_bands_alone_tell(self):
        """No expectation: who changed band is named, with the scores."""
        answer = worth_a_word(one_class([20, -20, 2], norms=empty(NORMS)), {})
        self.assertEqual([one.said for one in answer.earned], ["500 to 520; up to High."])
        self.assertEqual([one.said for one in answer.needs], ["500 to 480; down to Low."])
        self.assertIsNone(answer.needs[0].distance)

    def test_at_most_five_and_nobody_of_a_whole_school(self):
        """Five of a class; with more than 150 students none."""
        self.assertEqual(len(worth_a_word(one_class([30 + at for at in range(9)]), {}).earned), MOST)
        self.assertEqual(worth_a_word(one_class([40] * (OWN + 1)), {}), Words(earned=[], needs=[]))
        self.assertEqual(worth_a_word(one_class([]), {}), Words(earned=[], needs=[]))


class SeveralMeasures(unittest.TestCase):
    def test_the_largest_distances_come_first(self):
        """Whatever the measure; students without an expectation last, five of each kind."""

        def words(kind, measure, distances):
            return [
                Word(student_id=f"{measure}{at}", name="n", kind=kind, said="s", distance=distance, measure=measure)
                for at, distance in enumerate(distances)
            ]

        reading = Words(earned=words("earned", "r", [2.0, 1.0, None]), needs=words("needs", "r", [-3.0, -1.5]))
        maths = Words(earned=words("earned", "m", [1.5, 1.2, 0.4]), needs=words("needs", "m", [-2.0, None]))
        answer = together([reading, maths])
        self.assertEqual([one.student_id for one in answer.earned], ["r0", "m0", "m1", "r1", "m2"])
        self.assertEqual([one.student_id for one in answer.needs], ["r0", "m0", "r1", "m1"])


if __name__ == "__main__":
    unittest.main()
