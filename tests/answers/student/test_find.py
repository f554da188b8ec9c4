"""Finding a student: every word, by id, with a typing error, within reach only."""

import unittest

from bodkin.answers.student.find import FOUND, find_students
from tests.support.tables import FALL, result, table_of

NAMES = {
    "SR11029": ("Eastlake", "Elio"), "SR11030": ("Easterly", "Ana María"), "SR20001": ("Marsh", "Tobias"),
    "SR20002": ("Ng", "Bo"), "SR20003": ("Ngo", "Bea"),
}  # fmt: skip


def found(text, reach=None, names=NAMES):
    hits = find_students(table_of([result(1, "SR11029", FALL, 500)]), text, names, reach)
    return [one.student_id for one in hits], {one.near for one in hits}


class Find(unittest.TestCase):
    def test_the_very_words(self):
        """Parts of names in any order, an id; the order of names."""
        self.assertEqual(found("east"), (["SR11030", "SR11029"], {False}))
        self.assertEqual(found("lake elio"), (["SR11029"], {False}))
        self.assertEqual(found("sr20001"), (["SR20001"], {False}))

    def test_one_typing_error(self):
        """A letter other, left out, doubled, two swapped; also in an id; said to be near."""
        for typed in ("eastlaje", "eastlke", "eastllake", "eatslake", "elio eastlaje", "sr11092"):
            with self.subTest(typed=typed):
                self.assertEqual(found(typed), (["SR11029"], {True}))

    def test_what_is_not_forgiven(self):
        """Short words must stand as they are, two errors need eight letters, and an exact hit hides near ones."""
        self.assertEqual(found("nh")[0], [])
        self.assertEqual(found("mrsha")[0], [])
        self.assertEqual(found("eeastlkae")[0], ["SR11029"])
        self.assertEqual(found("ng")[0], ["SR20002", "SR20003"])
        self.assertEqual(found("zzzz")[0], [])

    def test_within_reach_only(self):
        """Somebody outside reach is not found, near or not."""
        self.assertEqual(found("eastlake", {"SR20001"})[0], [])
        self.assertEqual(found("eastlaje", {"SR20001"})[0], [])

    def test_at_most_so_many(self):
        """A word that many hold lists the first of them by name."""
        many = {f"s{at}": (f"Reed{at:03}", "Ann") for at in range(100)}
        self.assertEqual(found("reed", names=many)[0], [f"s{at}" for at in range(FOUND)])
