"""The score table read from the database: to the last digit, whatever stands in its texts, and who is where today."""

import random
import unittest
from datetime import date

import numpy as np
import polars as pl
from sqlalchemy import insert, select, update

from bodkin.store.reads.table.load import (
    load_fields,
    load_results,
    load_roster,
    load_score_table,
    load_strand_norms,
    load_strand_scores,
    strand_names,
)
from bodkin.store.reads.table.score_table import RESULTS, Memo, school_years
from bodkin.store.tables import Enrolment, Field, Result, School, Student, StudentField, StudentProgram, StudentYear
from tests.support import stage
from tests.support.tables import result, table_of

TODAY = date(2027, 2, 12)


class Results(unittest.TestCase):
    def test_numbers_come_back_to_the_last_digit(self):
        """Scores as the driver reads them one by one, for numbers of every size."""
        rng = random.Random(7)
        with stage.demo().trying() as session:
            keys = list(session.scalars(select(Result.id).order_by(Result.id).limit(400)))
            for key in keys:
                score = rng.choice([rng.uniform(0, 1), rng.gauss(500, 50), 10 ** rng.uniform(-9, 9), 0.1 + 0.2, 1 / 3])
                values = {"score": score, "standard_error": rng.uniform(0, 1e-3), "percentile": None}
                session.execute(update(Result).where(Result.id == key).values(values))
            answer = load_results(session).filter(pl.col("line").is_in(keys)).sort("line")
            kept = session.execute(
                select(Result.score, Result.standard_error).where(Result.id.in_(keys)).order_by(Result.id)
            ).all()
        self.assertEqual(answer["score"].to_list(), [row.score for row in kept])
        self.assertEqual(answer["standard_error"].to_list(), [row.standard_error for row in kept])
        self.assertEqual(answer["percentile"].null_count(), 400)

    def test_texts_that_hold_breaks_and_separators(self):
        """A program with a line break or the separator in it: the same frame, by the plain way."""
        for text in ("Multilingual\nlearner", "Indi\x1fvidual", 'a "quoted" one', "tab\there"):
            with self.subTest(text=text), stage.demo().trying() as session:
                before = load_results(session)
                key = before["line"][5]
                session.execute(update(Result).where(Result.id == key).values(programs=text))
                after = load_results(session)
                self.assertEqual(after.schema, RESULTS)
                self.assertEqual(after.filter(pl.col("line") == key)["programs"].to_list(), [[text]])
                others = pl.col("line") != key
                self.assertTrue(after.filter(others).equals(before.filter(others)))

    def test_the_school_year_of_each_window(self):
        """The part of the window's name before its season; a result outside windows has none."""
        windows = ["2026-27 fall", None, "2025-26 spring"]
        rows = [result(at, "s", window, 500.0) for at, window in enumerate(windows)]
        years = table_of(rows).results.select(school_years()).to_series()
        self.assertEqual(years.to_list(), [window and window.split(" ")[0] for window in windows])

    def test_an_empty_database_has_an_empty_table(self):
        """Of the right columns."""
        store, _ = stage.fresh()
        with store.reading() as session:
            self.assertEqual(load_results(session).schema, RESULTS)
            table = load_score_table(session, TODAY)
        self.assertEqual((table.results.height, table.roster.height, table.fields.height), (0, 0, 0))


class Today(unittest.TestCase):
    def test_the_roster_is_that_of_the_day(self):
        """A student who changed class stands in the new one from that day on; programs come and go."""
        with stage.demo().trying() as session:
            place = session.execute(
                select(Enrolment.id, Enrolment.student_id, Enrolment.section_id, Student.student_id.label("name"))
                .join(Student, Student.id == Enrolment.student_id)
                .where(Enrolment.first_day <= TODAY, Enrolment.last_day >= TODAY)
                .order_by(Enrolment.id.desc()).limit(1)
            ).one()  # fmt: skip
            here = pl.col("student_id") == place.name
            before = load_roster(session, TODAY).filter(here).row(0, named=True)
            other = session.scalar(
                select(Enrolment.section_id).where(Enrolment.section_id != place.section_id)
                .order_by(Enrolment.section_id.desc()).limit(1)
            )  # fmt: skip
            left = date(2027, 2, 1)
            session.execute(update(Enrolment).where(Enrolment.id == place.id).values(last_day=left))
            session.execute(
                insert(Enrolment).values(
                    student_id=place.student_id, section_id=other, first_day=date(2027, 2, 2), last_day=None
                )
            )
            session.execute(update(StudentProgram).where(StudentProgram.student_id == place.student_id)
                            .values(last_day=left))  # fmt: skip
            after = load_roster(session, TODAY).filter(here).row(0, named=True)
            then = load_roster(session, left).filter(here).row(0, named=True)
        self.assertNotEqual(after["section"], before["section"])
        self.assertEqual(then["section"], before["section"])
        self.assertEqual(after["programs"], [])

    def test_everybody_of_the_year_stands_once(self):
        """One row a student of the school year, with the school of the roster."""
        with stage.demo().reading() as session:
            roster = load_roster(session, TODAY)
            year = session.execute(
                select(Student.student_id, School.name)
                .join(StudentYear, StudentYear.student_id == Student.id)
                .join(School, School.id == StudentYear.school_id)
                .where(StudentYear.school_year_id == 3)
            ).all()
        self.assertEqual(dict(roster.select("student_id", "school").iter_rows()), {row[0]: row[1] for row in year})

    def test_fields_that_are_switched_off_are_not_there(self):
        """Not for filters, not for breakdowns."""
        with stage.demo().trying() as session:
            field = session.execute(insert(Field).values(name="house", shown=False)).inserted_primary_key[0]
            session.execute(insert(StudentField).values(student_id=1, field_id=field, value="red"))
            self.assertEqual(set(load_fields(session)["field"]), {"sex"})
            session.execute(update(Field).where(Field.id == field).values(shown=True))
            self.assertEqual(set(load_fields(session)["field"]), {"sex", "house"})


class Strands(unittest.TestCase):
    def test_a_strand_has_its_scores_and_norms(self):
        """One score a result, by the result's own line; wider norms than the whole test's."""
        with stage.demo().reading() as session:
            names = strand_names(session)["Saltgauge", "reading"]
            key = ("Saltgauge", "reading", names[1])
            scores, norms = load_strand_scores(session, *key), load_strand_norms(session, *key)
            results = load_results(session).filter(
                (pl.col("assessment") == "Saltgauge") & (pl.col("subject") == "reading")
            )
        self.assertEqual(len(names), 5)
        self.assertEqual(set(scores["line"]), set(results["line"]))
        self.assertEqual(scores["line"].n_unique(), scores.height)
        self.assertTrue((norms["sd"] > 36).all())

    def test_an_unknown_strand_has_nothing(self):
        """No scores, no norms, no error."""
        with stage.demo().reading() as session:
            key = ("Saltgauge", "reading", "Sailing")
            scores, norms = load_strand_scores(session, *key), load_strand_norms(session, *key)
        self.assertEqual((scores.height, norms.height), (0, 0))


class KeptWork(unittest.TestCase):
    def test_made_once_and_the_least_lately_used_goes(self):
        """Three places: the fourth drops the one not asked for lately."""
        made = []
        kept = Memo(most=3)

        def ask(key):
            return kept.once(key, lambda: made.append(key) or len(made))

        for key in "abca":
            ask(key)
        self.assertEqual(made, ["a", "b", "c"])
        ask("d")
        for key in "acdb":
            ask(key)
        self.assertEqual(made, ["a", "b", "c", "d", "b"])

    def test_large_values_push_out_what_was_not_asked_for_lately(self):
        """Frames of 8,000 bytes with room for 20,000: two stay; the one just made stays however large it is."""
        made = []
        kept = Memo(most_bytes=20_000)

        def ask(key, rows=1000):
            return kept.once(key, lambda: made.append(key) or pl.DataFrame({"x": np.zeros(rows)}))

        for key in "abacab":
            ask(key)
        self.assertEqual(made, ["a", "b", "c", "b"])
        self.assertLessEqual(kept.bytes, 20_000)
        self.assertEqual(ask("huge", 9000).height, 9000)
        self.assertEqual(ask("huge", 9000).height, 9000)
        self.assertEqual(made.count("huge"), 1)

    def test_what_is_kept_with_a_kept_table_counts_too(self):
        """A table put in while small pushes the other out once enough has been worked out from it."""
        kept, table = Memo(most_bytes=20_000), table_of([])
        kept.once("frame", lambda: pl.DataFrame({"x": np.zeros(1000)}))
        kept.once("table", lambda: table)
        before = kept.bytes
        table.worked.once("far", lambda: pl.DataFrame({"x": np.zeros(2000)}))
        self.assertEqual(kept.bytes - before, 16_000)
        kept.once("small", lambda: 1)
        self.assertEqual(kept.once("frame", lambda: "made anew"), "made anew")
        self.assertIs(kept.kept(lambda key: key == "table").once("table", lambda: None), table)

    def test_the_latest_for_one_mark_alone(self):
        """Asked for another mark it is made anew and takes the first one's place; it counts with its size."""
        kept, made = Memo(), []

        def ask(mark, rows=1000):
            return kept.latest("x", mark, lambda: made.append(mark) or pl.DataFrame({"x": np.zeros(rows)}))

        first = ask("a")
        self.assertIs(ask("a"), first)
        self.assertEqual(ask("b", 500).height, 500)
        self.assertEqual(kept.bytes, 4_000)
        self.assertEqual(ask("a").height, 1000)
        self.assertEqual(made, ["a", "b", "a"])

    def test_what_fails_is_not_kept(self):
        """The next one tries again."""
        kept = Memo()
        with self.assertRaises(ZeroDivisionError):
            kept.once("x", lambda: 1 // 0)
        self.assertEqual(kept.once("x", lambda: 5), 5)
