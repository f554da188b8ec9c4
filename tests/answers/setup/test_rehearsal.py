"""A rehearsal says beforehand what the screens say afterwards; the first day says what is still missing."""

import unittest
from datetime import date, datetime

from bodkin.answers.comparison.comparison import compare, quoted_order
from bodkin.answers.comparison.summary import summarise
from bodkin.answers.scope.scope import Scope
from bodkin.answers.setup.first_day import LATER, STEPS, first_day
from bodkin.answers.setup.rehearsal import rehearse
from bodkin.exchange.imports import imports
from bodkin.exchange.imports.kinds import KINDS
from bodkin.exchange.imports.understanding import Changes
from bodkin.store.reads.table.load import load_score_table
from tests.support import files, stage
from tests.support.answers import AS_IT_IS

HEAD = "student_id,assessment,subject,window,grade,score\n"
NOW = datetime(2026, 9, 1)
SPRING = "2026-27 spring"


class Rehearsed(unittest.TestCase):
    @classmethod
    def setUpClass(cls):
        cls.store, _ = stage.fresh()
        cls.bring(files.scores(2))
        cls.bring(files.cuts(), "cuts.csv")

    @classmethod
    def bring(cls, text, name="f.csv"):
        with cls.store.writing(scores=True) as session:
            changes = Changes(answers=AS_IT_IS)
            imports.bring_in(session, name, text.encode(), None, NOW, changes)

    def table(self):
        with self.store.reading() as session:
            return load_score_table(session, date(2026, 10, 1))

    def test_nothing_changes_where_nothing_changes(self):
        """No measure is listed."""
        table = self.table()
        self.assertEqual(rehearse(table, table).measures, [])

    def test_counts_students_and_shares_are_those_of_the_screens_afterwards(self):
        """A window more: results, students who are new in it, and the share at the quoted band."""
        before = self.table()
        assessment, subject = files.MEASURE
        ids = sorted(set(before.results["student_id"]))[:20]
        rows = "".join(f'"{one}",{assessment},{subject},{SPRING},4,{440 + 7 * at}\n' for at, one in enumerate(ids))
        self.bring(HEAD + rows)
        after = self.table()
        (found,) = rehearse(before, after).measures
        self.assertEqual([(one.window, one.before, one.after) for one in found.windows], [(SPRING, 0, 20)])
        self.assertEqual((found.latest, found.new, found.gone, found.changed), (SPRING, 20, 0, 0))
        for table, window, share in (
            (before, found.latest_before, found.share_before),
            (after, found.latest, found.share_after),
        ):
            scope = Scope(assessment=assessment, subject=subject, from_window=window, to_window=window, matched=False)
            bands = summarise(compare(table, scope, [])).bands
            quoted = next(band for band in bands if band.order == quoted_order(len(bands)))
            self.assertEqual((share, found.band), (quoted.to_at_or_above, quoted.band))
        # Taken back the same students are gone.
        (back,) = rehearse(after, before).measures
        self.assertEqual([(one.window, one.before, one.after) for one in back.windows], [(SPRING, 20, 0)])


class FirstDay(unittest.TestCase):
    def test_every_kind_it_names_is_a_kind_of_file(self):
        """And every step of the round is there."""
        named = {kind for table in (STEPS, LATER) for pair in table.values() for kinds in pair for kind in kinds}
        self.assertLessEqual(named, set(KINDS))
        self.assertEqual(
            list(LATER), ["check", "compare", "growth", "needs", "groups", "follow-up", "student", "share"]
        )

    def test_a_step_is_done_once_its_files_are_there(self):
        """Empty nothing is; with rows of each kind all is, and nothing is lacking."""
        nothing = first_day(dict.fromkeys(KINDS, 0))
        self.assertFalse(nothing.done or any(step.done for step in nothing.steps))
        self.assertTrue(all(step.lacks for step in nothing.later))
        everything = first_day(dict.fromkeys(KINDS, 1))
        self.assertTrue(everything.done)
        self.assertFalse(any(step.lacks or step.more for step in everything.later))
        some = first_day({**dict.fromkeys(KINDS, 0), "calendar": 3, "cuts": 4})
        self.assertEqual([step.key for step in some.steps if step.done], ["calendar"])
        compare_step = next(step for step in some.later if step.step == "compare")
        self.assertEqual(compare_step.lacks, ["scores"])
