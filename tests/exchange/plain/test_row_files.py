"""Files whose lines are rows of one table: in, out again, refused with the place, taken back."""

import tempfile
import unittest
from datetime import datetime
from pathlib import Path

import polars as pl
from sqlalchemy import func, select

from bodkin.exchange.imports import imports
from bodkin.exchange.imports.kinds import KINDS
from bodkin.exchange.imports.understanding import Changes
from bodkin.exchange.plain.export import neutral, plain_table, write_plain_files
from bodkin.store.reads.table.score_table import WORD
from bodkin.store.tables import Answer, Assessment, Base, Group, Person, Result, Student, Window
from bodkin.store.writes.undo import undo_import
from tests.support import stage
from tests.support.answers import AS_IT_IS

NOW = datetime(2026, 9, 1)

SCORES = """student_id,given_name,family_name,assessment,subject,window,tested_on,grade,score,school,section,teacher
a1,Ana,Zorro,Pond,reading,2026-27 fall,2026-09-20,3,410,Reed,3 A,Mo Lark
a2,Bo,Yew,Pond,reading,2026-27 fall,2026-09-21,3,420,Reed,3 A,Mo Lark
"""


def bring(store, name, text, **changes):
    with store.writing(scores=True) as session:
        return imports.bring_in(session, name, text.encode(), None, NOW, Changes(**{"answers": AS_IT_IS, **changes}))


def everything(store):
    left = {"act", "import", "import_change", "district"}
    with store.reading() as session:
        return {
            table.name: sorted(map(str, session.execute(select(table)).all()))
            for table in Base.metadata.sorted_tables
            if table.name not in left
        }


class OutAndIn(unittest.TestCase):
    def test_every_table_goes_out_into_an_empty_bodkin_and_out_again(self):
        """Byte for byte the same files; programs may also be told by results, so theirs only grow."""
        empty, _ = stage.fresh()
        with tempfile.TemporaryDirectory() as folder:
            first, second = Path(folder) / "first", Path(folder) / "second"
            with stage.small().reading() as session:
                written = {path.stem for path in write_plain_files(session, first)}
            self.assertEqual(written - {"datapackage"}, set(KINDS))
            for name in KINDS:
                with self.subTest(name):
                    content = (first / f"{name}.csv").read_bytes()
                    with empty.writing(scores=True) as session:
                        key, seen = imports.bring_in(session, f"{name}.csv", content, None, NOW)
                    self.assertEqual((seen.kind, seen.reading.faults), (name, []))
                    self.assertIsNotNone(key)
                    if len(content) < 1_000_000:
                        with empty.reading() as session:
                            self.assertTrue(imports.preview(session, "again.csv", content).plan.empty)
            with empty.reading() as session:
                write_plain_files(session, second)
            for name in KINDS:
                one, other = ((at / f"{name}.csv").read_text() for at in (first, second))
                with self.subTest(name):
                    if name == "programs":
                        self.assertLessEqual(set(one.splitlines()), set(other.splitlines()))
                    elif one != other:
                        self.fail(f"{name}: {set(one.splitlines()) ^ set(other.splitlines())!s:.600}")


class Rows(unittest.TestCase):
    def setUp(self):
        self.store, _ = stage.fresh()
        bring(self.store, "scores.csv", SCORES)

    def refused(self, name, text):
        with self.store.reading() as session:
            seen = imports.preview(session, name, text.encode())
        return seen.kind, [(fault.line, fault.column, fault.message) for fault in seen.reading.faults]

    def test_what_is_named_and_not_there_is_refused_at_its_place(self):
        """A student, test or class that is not known: line and column."""
        kind, faults = self.refused("a.csv", "student_id,on,reason\na1,2026-10-01,ill\nb9,2026-10-01,ill\n")
        self.assertEqual(kind, "absences")
        self.assertEqual(faults, [(3, "student_id", 'there is no student "b9"; import it first')])
        kind, faults = self.refused(
            "s.csv", "student_id,assessment,subject,window,strand,score\na1,Pond,reading,2026-27 winter,Words,400\n"
        )
        self.assertEqual((kind, faults[0][:2]), ("strand_scores", (2, "window")))
        kind, faults = self.refused("p.csv", "code,rests_on\nX1,X2\n")
        self.assertEqual({fault[1] for fault in faults}, {"code", "rests_on"})

    def test_what_does_not_fit_together_is_refused(self):
        """Days in the wrong order, values out of range: line and column."""
        for text, column in (
            ("group,on,student_id,minutes,session_minutes\nG,2026-10-01,a1,40,30\n", "minutes"),
            ("student_id,accommodation,from,to\na1,Time,2026-10-02,2026-10-01\n", "to"),
            ("student_id,on,text,items,right\na1,2026-10-01,Otters,5,6\n", "right"),
            ("student_id,subject,marking_period,symbol\na1,reading,Q1,A\n", "marking_period"),
            (
                "student_id,assessment,subject,window,strand,score,points\na1,Pond,reading,2026-27 fall,Words,,\n",
                "score",
            ),
            ("student_id,on,reason\na1,2026-10-01,ill\na1,2026-10-01,away\n", "student_id"),
        ):
            with self.subTest(text):
                _, faults = self.refused("f.csv", text)
                self.assertEqual([fault[1] for fault in faults], [column])

    def test_new_changed_same_and_undone(self):
        """Each row of a file is counted as what it is, and undo restores the table."""
        before = everything(self.store)
        head = "student_id,on,reason,minutes\n"
        first, _ = bring(self.store, "absences.csv", head + "a1,2026-10-01,ill,\na2,2026-10-02,,30\n")
        between = everything(self.store)
        second, seen = bring(
            self.store, "absences.csv", head + "a1,2026-10-01,away,\na2,2026-10-02,,30\na2,2026-10-03,ill,\n"
        )
        self.assertEqual(seen.plan.counts, {"new": 1, "changed": 1, "same": 1})
        self.assertIn("reason ill to away", seen.plan.rows[0].detail)
        for key, was in ((second, between), (first, before)):
            with self.store.writing(scores=True) as session:
                undo_import(session, key)
            self.assertEqual(everything(self.store), was)

    def test_strand_scores_find_the_sitting_they_belong_to(self):
        """By the day where a row names one, by the language, else the latest of the window."""
        more = "student_id,assessment,subject,window,tested_on,grade,score,language\n"
        bring(self.store, "more.csv", more + "a1,Pond,reading,2026-27 fall,2026-09-25,3,415,English\n"
              "a1,Pond,reading,2026-27 fall,2026-09-22,3,450,Portuguese\n")  # fmt: skip
        head = "student_id,assessment,subject,window,strand,tested_on,language,score\n"
        sit = "a1,Pond,reading,2026-27 fall,"
        bring(self.store, "s.csv", head + f"{sit}One,2026-09-20,,1\n{sit}Two,,,2\n{sit}Three,,Portuguese,3\n")
        with self.store.reading() as session:
            out = plain_table(session, "strand_scores")
        found = {row["strand"]: (str(row["tested_on"]), row["score"]) for row in out.iter_rows(named=True)}
        self.assertEqual(found, {"One": ("2026-09-20", 1), "Two": ("2026-09-25", 2), "Three": ("2026-09-22", 3)})

    def test_groups_bring_their_adult_and_a_session_its_group(self):
        """Rows point at what an earlier file brought."""
        text = "group,student_id,from,focus,assessment,subject,adult,minutes\n"
        bring(
            self.store,
            "g.csv",
            text + "Reeds,a1,2026-10-01,Words,Pond,reading,Ida Quill,30\nReeds,a2,2026-10-01,,,,,\n",
        )
        bring(self.store, "s.csv", "group,on,student_id,minutes\nReeds,2026-10-05,a1,30\nReeds,2026-10-05,a2,0\n")
        _, faults = self.refused("s.csv", "group,on,student_id,minutes\nNobody,2026-10-05,a1,30\n")
        self.assertEqual(len(faults), 1)
        with self.store.reading() as session:
            group = session.scalars(select(Group)).one()
            adult = session.get(Person, group.adult_id)
            self.assertEqual((group.focus, group.minutes, adult.name, adult.login), ("Words", 30, "Ida Quill", None))

    def test_a_groups_record_goes_in_and_out(self):
        """A second adult, times, sizes and rules come back as they were written."""
        head = "group,student_id,from,focus,second_adult,slots,fewest,most,entry_rule,exit_rule\n"
        entry, leave = (f"Pond, reading: percentile {way} in the latest window" for way in ("below 20", "at least 40"))
        bring(
            self.store, "g.csv", f'{head}Reeds,a1,2026-10-01,x,Ida Quill,Mon 9:00; Wed 9:00,3,8,"{entry}","{leave}"\n'
        )
        with self.store.reading() as session:
            out = plain_table(session, "groups").row(0, named=True)
        told = [out[name] for name in ("second_adult", "slots", "fewest", "most", "entry_rule", "exit_rule")]
        self.assertEqual(told, ["Ida Quill", "Mon 9:00; Wed 9:00", 3, 8, entry, leave])

    def test_links_bring_their_test_and_answers_may_be_left_out(self):
        """A link names its tests; an empty option is no answer."""
        bring(
            self.store,
            "l.csv",
            "assessment,subject,grade,season,min_score,outcome,level\nLake,reading,3,fall,400,End,2\n",
        )
        bring(self.store, "i.csv", "test,item,key\nQuiz,1,A\nQuiz,2,B;C\n")
        bring(self.store, "a.csv", "student_id,test,item,option\na1,Quiz,1,A\na1,Quiz,2,\n")
        with self.store.reading() as session:
            self.assertEqual(session.scalar(select(func.count()).where(Assessment.name == "Lake")), 1)
            self.assertEqual(sorted(map(str, session.scalars(select(Answer.option)))), ["A", "None"])

    def test_the_kind_is_told_by_the_header(self):
        """Every kind of file is recognised from its own header."""
        for kind in KINDS.values():
            header = ",".join(column.name for column in kind.layout.columns)
            with self.subTest(kind.layout.name), self.store.reading() as session:
                self.assertEqual(imports.preview(session, "x.csv", f"{header}\n".encode()).kind, kind.layout.name)


class Roster(unittest.TestCase):
    def test_students_come_in_before_any_result_and_change_their_names(self):
        """A roster alone stands, and a corrected name replaces the old one."""
        store, _ = stage.fresh()
        head = "student_id,school_year,given_name,family_name,school,grade\n"
        rows = "n1,2026-27,Ana,Zorro,Reed,3\nn2,2026-27,Bo,,,4\n"
        first, seen = bring(store, "students.csv", head + rows)
        self.assertEqual(seen.plan.adds, {"students": 2, "school years": 1, "schools": 1})
        before = everything(store)
        key, seen = bring(
            store, "students.csv", head + rows.replace("Zorro", "Zorro-Yew").replace("Bo,,,4", "Bo,,Reed,4")
        )
        self.assertEqual((seen.plan.counts["changed"], seen.plan.adds), (1, {"names_changed": 1}))
        with store.writing(scores=True) as session:
            undo_import(session, key)
        self.assertEqual(everything(store), before)
        with store.writing(scores=True) as session:
            undo_import(session, first)
        with store.reading() as session:
            self.assertEqual(session.scalar(select(func.count()).select_from(Student)), 0)


class Calendars(unittest.TestCase):
    def setUp(self):
        self.store, _ = stage.fresh()
        bring(self.store, "scores.csv", SCORES)

    def windows(self):
        with self.store.reading() as session:
            rows = session.execute(
                select(Result.tested_on, Window.season).outerjoin(Window, Window.id == Result.window_id)
            )
            return {str(day): season for day, season in rows}

    def test_dated_results_go_to_the_window_of_their_day_and_back(self):
        """A calendar moves results between windows, and undo moves them back."""
        head = "kind,name,from,to\n"
        before = everything(self.store)
        key, seen = bring(
            self.store, "calendar.csv",
            head + "school year,2026-27,2026-08-24,2027-06-11\nwindow,2026-27 fall,2026-09-21,2026-10-02\n"
            "closure,autumn week,2026-10-19,2026-10-23\n",
        )  # fmt: skip
        self.assertEqual(seen.plan.counts, {"new": 1, "changed": 2, "same": 0})
        self.assertEqual(
            seen.plan.notices, ["1 results move to another window, or out of all windows, because of their date"]
        )
        self.assertEqual(self.windows(), {"2026-09-20": None, "2026-09-21": "fall"})
        with self.store.writing(scores=True) as session:
            undo_import(session, key)
        self.assertEqual(everything(self.store), before)

    def test_what_is_no_calendar_is_refused(self):
        """Overlaps and days outside the school year name their line."""
        head = "kind,name,from,to\n"
        for rows, column in (
            ("window,autumn,2026-09-21,2026-10-02\n", "name"),
            ("school year,26/27,2026-09-21,2027-06-02\n", "name"),
            ("window,2026-27 fall,2026-09-21,2026-10-02\nwindow,2026-27 winter,2026-10-01,2026-10-12\n", "from"),
            ("holiday,x,2026-09-21,2026-10-02\n", "kind"),
            ("closure,x,2026-09-21,2026-09-02\n", "to"),
        ):
            with self.subTest(rows), self.store.reading() as session:
                seen = imports.preview(session, "calendar.csv", (head + rows).encode())
                self.assertEqual([fault.column for fault in seen.reading.faults], [column])


class Formulas(unittest.TestCase):
    def test_text_that_a_spreadsheet_would_run_leaves_marked_and_comes_back_as_it_was(self):
        """Formulas leave with an apostrophe that reading takes off again."""
        store, _ = stage.fresh()
        name = '=HYPERLINK(""x"")'
        head = "student_id,school_year,given_name,family_name\n"
        bring(store, "students.csv", head + f"-1+2,2026-27,\"{name}\",+Yew\n@x,2026-27,'Amina,O'Dell\n")
        with tempfile.TemporaryDirectory() as folder, store.reading() as session:
            write_plain_files(session, Path(folder))
            text = (Path(folder) / "students.csv").read_text()
            known = set(session.scalars(select(Student.student_id)))
        self.assertIn("'-1+2,2026-27", text)
        self.assertNotRegex(text, r'(?m)(^|,)"?[=+@-]')
        self.assertEqual(known, {"-1+2", "@x"})
        with store.reading() as session:
            seen = imports.preview(session, "again.csv", text.encode())
        self.assertTrue(seen.plan.empty)
        self.assertIn("'Amina", text)

    def test_words_that_are_kept_once_are_marked_too(self):
        """It does not matter how a column holds its texts."""
        texts = ["=1+1", "4A", None]
        frame = pl.DataFrame({"section": pl.Series(texts, dtype=WORD), "note": texts})
        self.assertEqual(neutral(frame).rows(), [("'=1+1", "'=1+1"), ("4A", "4A"), (None, None)])


class Export(unittest.TestCase):
    def test_an_unknown_table_is_told(self):
        """The export of a table that is not there lists those that are."""
        with stage.demo().reading() as session, self.assertRaisesRegex(Exception, "no such table"):
            plain_table(session, "person")

    def test_types_are_those_of_the_layout(self):
        """Numbers, dates and texts leave as what they are."""
        with stage.demo().reading() as session:
            out = plain_table(session, "practice")
        self.assertEqual(out.schema["on"], pl.Date)
        self.assertEqual(set(out["passed"].unique()), {"true", "false"})
