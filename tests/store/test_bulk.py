"""Rows that the database loads itself: text of every kind as it was, checks back on, nothing half-taken."""

import unittest
from datetime import date
from unittest import mock

import polars as pl
from hypothesis import given, settings
from hypothesis import strategies as st
from sqlalchemy import delete, select, text
from sqlalchemy.exc import IntegrityError

from bodkin.store import bulk
from bodkin.store.bulk import UNIT, load_rows, plain_rows, read_rows
from bodkin.store.database import two_columns
from bodkin.store.reads.table.score_table import WORD
from bodkin.store.tables import Result, Student, StudentYear
from tests.support import stage
from tests.support.extent import extent

words = st.text(st.characters(exclude_categories=["Cs"], exclude_characters="\0"), max_size=30)

NAMES = {"given": (Student.given_name, pl.String()), "family": (Student.family_name, pl.String())}


class Bulk(unittest.TestCase):
    @classmethod
    def setUpClass(cls):
        cls.store, _ = stage.fresh()

    @settings(max_examples=extent(30, 60))
    @given(st.lists(st.tuples(st.one_of(st.none(), words), st.one_of(st.none(), words)), min_size=1, max_size=6))
    def test_text_comes_back_as_it_went_in(self, names):
        """Tabs, line ends, backslashes, quotes, a backslash and an N, every script; a missing value is missing."""
        self.there_and_back(names)

    def there_and_back(self, names):
        rows = pl.DataFrame(
            [(f"s{at}", *pair) for at, pair in enumerate(names)],
            schema={"student_id": pl.String, "given_name": pl.String, "family_name": pl.String},
            orient="row",
        )
        with self.store.writing(scores=False) as session:
            load_rows(session, Student, rows)
            answer = session.execute(select(Student.given_name, Student.family_name).order_by(Student.id)).all()
            self.assertEqual([tuple(row) for row in answer], names)
            read = read_rows(session, NAMES, lambda query: query.order_by(Student.id))
            self.assertEqual(read.rows(), [tuple(name or None for name in pair) for pair in names])
            session.execute(delete(Student))

    def test_many_rows_come_in_parts(self):
        """Five rows two at a time, in their order; a line break in the last part is read as it is."""
        names = [("a", "b"), (None, "c"), ("d", "e"), ("f", None), ("g", "h")]
        with mock.patch.object(bulk, "AT_ONCE", 2):
            self.there_and_back(names)
            self.there_and_back([*names, ("i\nj", "k")])

    def test_what_the_session_has_not_written_yet_is_found(self):
        """A student added a moment ago is among the rows of columns, as in any other question of the session."""
        with self.store.writing(scores=False) as session:
            session.add(Student(student_id="new", given_name="Ana"))
            query = select(Student.student_id, Student.given_name)
            self.assertEqual([row for rows in plain_rows(session, query) for row in rows], [("new", "Ana")])
            self.assertEqual(two_columns(session, query), {"new": "Ana"})
            session.execute(delete(Student))

    def test_special_words(self):
        """What means something to the database in a text file means nothing in a value."""
        self.there_and_back([(f"a{UNIT}b", None), ("", UNIT)])
        self.there_and_back(
            [("\\N", "N"), ("NULL", ""), ("\\", "\\t"), ("a\tb\nc\rd", '"x"'), ("'; DROP", "%s"), (None, "\\\\N")]
        )

    def test_words_that_are_kept_once_go_the_same_way(self):
        """A column of words escapes what a column of text does, and an empty word comes back as missing."""
        names = ["a\tb\nc", "\\N", "", None, "O'Dell"]
        rows = pl.DataFrame({"student_id": list("abcde"), "family_name": pl.Series(names, dtype=WORD)})
        columns = {"family_name": (Student.family_name, WORD)}
        with self.store.writing(scores=False) as session:
            load_rows(session, Student, rows)
            self.assertEqual(session.scalars(select(Student.family_name).order_by(Student.id)).all(), names)
            read = read_rows(session, columns, lambda query: query.order_by(Student.id))
            self.assertEqual(read.schema["family_name"], WORD)
            self.assertEqual(read["family_name"].to_list(), [name or None for name in names])
            session.execute(delete(Student))

    def test_what_is_not_taken_whole_is_not_taken(self):
        """A key twice, a text too long, a number too large: an error, not a warning, and no row."""
        cases = [
            (Student, pl.DataFrame({"student_id": ["a", "b", "a"]})),
            (Student, pl.DataFrame({"student_id": ["a", "x" * 65]})),
            (StudentYear, pl.DataFrame({"student_id": [1], "school_year_id": [1], "grade": ["123456789"]})),
        ]
        for table, rows in cases:
            with self.subTest(rows=rows.height), self.assertRaises(RuntimeError):  # noqa: SIM117 (the order matters)
                with self.store.writing(scores=False) as session:
                    load_rows(session, table, rows)
            with self.store.reading() as session:
                self.assertEqual(session.execute(select(table)).all(), [])

    def test_the_check_of_keys_comes_back(self):
        """After a load, and after one that failed, on the very same connection."""
        for names in (["c"], ["d", "d"]):
            with self.subTest(names=names), self.assertRaises((IntegrityError, RuntimeError)):  # noqa: SIM117 (the order matters)
                with self.store.writing(scores=False) as session:
                    load_rows(session, Student, pl.DataFrame({"student_id": names}))
                    self.assertEqual(session.scalar(text("SELECT @@foreign_key_checks")), 1)
                    session.add(Result(student_id=999, assessment_id=999, score=1.0, tested_on=date(2027, 1, 1)))
                    session.flush()
        with self.store.reading() as session:
            self.assertEqual(session.scalar(text("SELECT @@foreign_key_checks")), 1)

    def test_nothing_is_nothing(self):
        """No rows: not even a question to the database."""
        with self.store.reading() as session, mock.patch.object(session, "connection") as connection:
            load_rows(session, Student, pl.DataFrame(schema={"student_id": pl.String}))
        connection.assert_not_called()
