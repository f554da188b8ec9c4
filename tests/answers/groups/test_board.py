"""The board: who comes first, where the list is cut, and the part of the test in which a student stands lowest."""

import random
import unittest

import numpy as np
import polars as pl

from bodkin.answers.groups.board import LowestStrands, Need, _lowest
from bodkin.answers.words import without_accents

SCORES = {"student_id": pl.String, "score": pl.Float64}


class Lowest(unittest.TestCase):
    def test_the_lowest_by_score_and_then_by_name(self):
        """Sixty drawn classes with many equal scores: as sorting everybody and cutting the list would have it."""
        cut_among_equals = 0
        for seed in range(60):
            draw = random.Random(seed)
            who = [f"s{at}" for at in range(40)]
            scores = {one: draw.choice([None, 0.0, 480.0, 490.0, 500.0, 510.0]) for one in who}
            names = {one: (draw.choice("ABCDEF"), one) for one in who}
            asked = draw.sample([*who, "nobody"], 30)
            about = pl.DataFrame(list(scores.items()), schema=SCORES, orient="row")

            def key(one, scores=scores, names=names):
                score, (family, given) = scores.get(one), names.get(one, ("", one))
                return score is None, score or 0.0, f"{given} {family}".strip()

            wanted = sorted(asked, key=key)
            for n in (0, 1, 7, 15, 29, 30, 100):
                self.assertEqual(_lowest(asked, about, names, n), wanted[:n], (seed, n))
            cut_among_equals += scores.get(wanted[14]) == scores.get(wanted[15])
        self.assertGreater(cut_among_equals, 20)

    def test_the_strand_furthest_below_the_line(self):
        """The lowest of those that are known; nothing for somebody without any, or whom nobody asked about."""
        distance = np.array([[0.4, -1.8, np.nan], [np.nan, np.nan, np.nan], [1.0, 2.0, 0.5]])
        found = LowestStrands(["Words", "Reading", "Writing"], {"a": 0, "b": 1, "c": 2}, distance)
        self.assertEqual(found.of("a"), Need("Reading", -1.8))
        self.assertEqual(found.of("c"), Need("Writing", 0.5))
        self.assertEqual((found.of("b"), found.of("nobody")), (None, None))
        self.assertEqual(found.of("a").words, "Reading \u22121.8")


class Letters(unittest.TestCase):
    def test_accents_go_and_letters_stay(self):
        """Composed and decomposed alike; what has no accent is untouched."""
        for text, plain in (("\u00c9mile", "Emile"), ("E\u0301mile", "Emile"), ("Nu\u00f1ez 4", "Nunez 4"), ("", "")):
            self.assertEqual(without_accents(text), plain)


if __name__ == "__main__":
    unittest.main()
