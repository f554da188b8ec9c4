"""The Needs step over the interface: equal to the headless runs, its acts and their undoing, who sees whom."""

import io
import random
import tempfile
import unittest
from contextlib import redirect_stderr, redirect_stdout
from datetime import datetime
from pathlib import Path

import numpy as np
import pandas as pd

from bodkin.api.app import build
from bodkin.cli import run
from bodkin.exchange.imports.bundles import Waiting, bring_in_all
from bodkin.exchange.imports.understanding import Changes
from bodkin.exchange.plain.import_rows import rows_out
from bodkin.exchange.plain.row_files import ROW_FILES
from bodkin.store.tables import Person
from tests.api.application import application, signed_in
from tests.api.client import TestClient
from tests.support import stage
from tests.support.answers import AS_IT_IS
from tests.support.extent import extent

MATHS = {"assessment": "Saltgauge", "subject": "mathematics", "from_window": "2026-27 fall",
         "to_window": "2026-27 winter"}  # fmt: skip
FALL = {"from_window": "2026-27 fall", "to_window": "2026-27 fall"}
DECIMALS = {"assessment": "Unit check: decimals", "subject": "mathematics", **FALL}
STORY = {"assessment": "Unit check: story structure", "subject": "reading", **FALL}
SCOPES = extent(4, 60)
"""Random scopes of each kind; with 15 the two tests look at thirty."""


def got(path, login="coach", **query):
    answer = signed_in(login).get(f"/api{path}", params=query)
    assert answer.status_code == 200, (path, answer.status_code, answer.text[:300])
    return answer


def sent(path, body, login="coach"):
    answer = signed_in(login).post(f"/api{path}", json=body)
    assert answer.status_code == 200, (path, answer.status_code, answer.text[:300])
    return answer.json()


def undone(key, login="coach"):
    return sent(f"/acts/{key}/undo", None, login)


class LikeTheHeadlessRuns(unittest.TestCase):
    @classmethod
    def setUpClass(cls):
        holder = tempfile.TemporaryDirectory()
        cls.addClassCleanup(holder.cleanup)
        cls.folder = Path(holder.name)
        cls.frames = {}
        with stage.demo().reading() as session:
            for name in ("items", "answers", "standards", "prerequisites", "mastery"):
                cls.frames[name] = rows_out(session, ROW_FILES[name])

    def headless(self, name, students, *more, subject=None, tests=None):
        """The files of a run over some students, standards of one subject, some tests."""
        frames = dict(self.frames)
        for table in ("answers", "mastery"):
            frames[table] = frames[table].filter(frames[table]["student_id"].is_in(students))
        if subject is not None:
            standards = frames["standards"].filter(frames["standards"]["subject"] == subject)
            codes = standards["code"].to_list()
            below = frames["prerequisites"]
            frames |= {
                "standards": standards, "prerequisites": below.filter(below["code"].is_in(codes)),
                "mastery": frames["mastery"].filter(frames["mastery"]["standard"].is_in(codes)),
            }  # fmt: skip
        if tests is not None:
            frames |= {one: frames[one].filter(frames[one]["test"].is_in(tests)) for one in ("items", "answers")}
        words = [name]
        for option in ("standards", "prerequisites", "mastery", "answers", "items") if name == "standards" else (
            "answers", "items",
        ):  # fmt: skip
            frames[option].write_csv(self.folder / f"{option}.csv")
            words += [f"--{option}", str(self.folder / f"{option}.csv")]
        errors = io.StringIO()
        with redirect_stdout(io.StringIO()), redirect_stderr(errors):
            status = run([*words, *more, "--out", str(self.folder / "out")])
        self.assertEqual((status, errors.getvalue()), (0, ""))

    def read(self, name):
        return pd.read_csv(self.folder / "out" / f"{name}.csv", dtype=str, keep_default_na=False)

    def test_standards_over_random_scopes(self):
        """Random scopes: every state of every student, and what to teach first, as the run has them."""
        draw = random.Random(7)
        choices = got("/scope/choices", assessment="Saltgauge", subject="mathematics").json()
        subject_tests = [test for test in self.frames["items"]["test"].unique() if "story" not in test
                         and "reasons" not in test]  # fmt: skip
        for turn in range(SCOPES):
            scope = dict(MATHS)
            if turn % 3 == 0:
                scope["section"] = draw.choice(choices["section"])
            elif turn % 3 == 1:
                scope |= {"grade": draw.choice(choices["grade"]), "school": draw.choice(choices["school"])}
            else:
                scope |= {"grade": draw.choice(choices["grade"]), "matched": "false"}
            limits = draw.choice(((80, 60, 3), (90, 40, 2), (70, 50, 5)))
            asked = {"mastered_from": limits[0], "nearly_from": limits[1], "fewest": limits[2]}
            if turn % 2:
                asked |= {"evidence_from": "2026-11-01", "evidence_to": "2027-01-31"}
            answer = got("/needs/standards", **scope, **asked).json()
            grid = pd.read_csv(io.BytesIO(got("/needs/standards.csv", **scope, **asked).content), dtype=str)
            # The last line holds the caption.
            grid = grid.dropna(subset=["name"])
            if grid.empty:
                continue
            kept = [column["standard"] for column in answer["columns"]]
            grades = sorted(set(grid.grade.dropna()))
            reach = {*grades, *(str(int(max(grades, key=int)) + 1),)} if grades else set()
            more = ["--mastered-from", str(limits[0]), "--nearly-from", str(limits[1]), "--fewest", str(limits[2])]
            more += [word for grade in reach for word in ("--reach", grade)]
            if turn % 2:
                more += ["--from", "2026-11-01", "--to", "2027-01-31"]
            with self.subTest(scope=scope, asked=asked):
                self.headless("standards", grid.student_id.tolist(), *more, subject="mathematics", tests=subject_tests)
                told = self.read("mastery")
                state = {(row.student_id, row.standard): row.state for row in told.itertuples()}
                for row in grid.to_dict("records"):
                    for standard in kept:
                        self.assertEqual(row[standard], state.get((row["student_id"], standard), "no evidence"))
                table = {row.standard: row for row in self.read("standards").itertuples()}
                for skill in answer["skills"]:
                    row = table[skill["standard"]]
                    counts = [
                        str(skill[name]) for name in ("mastered", "nearly", "not_yet", "lacking", "later", "weight")
                    ]
                    names = ("mastered", "nearly", "not_yet", "lacking", "later", "weight")
                    self.assertEqual(counts, [getattr(row, name) for name in names])

    def test_the_classes_of_the_grid_leave_in_parts(self):
        """The first so many of them; what is said of all students stays."""
        whole = got("/needs/standards", **MATHS, count=500).json()
        self.assertGreater(len(whole["classes"]), 60)
        self.assertEqual((whole["students"], whole["classes_n"]), ([], len(whole["classes"])))
        self.assertEqual(sum(row["n"] for row in whole["classes"]), whole["covered"])
        part = got("/needs/standards", **MATHS, count=7).json()
        self.assertEqual(part, {**whole, "classes": whole["classes"][:7]})
        for at, column in enumerate(whole["columns"]):
            (skill,) = (one for one in whole["skills"] if one["standard"] == column["standard"])
            self.assertEqual(sum(row["cells"][at]["evidence"] for row in whole["classes"]), skill["evidence"])

    def test_items_over_random_scopes(self):
        """Random scopes of two tests: every figure, flag and option as the run has them."""
        draw = random.Random(8)
        for turn in range(SCOPES):
            scope = dict(draw.choice((DECIMALS, STORY)))
            choices = got("/scope/choices", assessment=scope["assessment"], subject=scope["subject"]).json()
            if turn % 3:
                scope |= {("section", "school")[turn % 2]: draw.choice(choices[("section", "school")[turn % 2]])}
            answer = got("/needs/items", **scope).json()
            grid = got("/needs/items/answers", **scope).json() if not answer["options_withheld"] else {"students": []}
            students = [row["student_id"] for row in grid["students"]]
            if not students:
                continue
            with self.subTest(scope=scope):
                self.headless("items", students, tests=[scope["assessment"]])
                options = self.read("options")
                for item, row in zip(answer["items"], self.read("items").itertuples(), strict=True):
                    self.assertEqual(item["item"], row.item)
                    for name in ("difficulty", "discrimination", "upper_lower"):
                        if item[name] is None:
                            self.assertEqual(getattr(row, name), "")
                        else:
                            self.assertAlmostEqual(item[name], float(getattr(row, name)))
                    self.assertEqual(";".join(flag["flag"] for flag in item["flags"]), row.flags)
                    mine = options[(options.item == row.item) & (options.option != "")]
                    self.assertEqual([one["n"] for one in item["options"]], mine.n.astype(int).tolist())
                    np.testing.assert_allclose([one["top_n"] for one in item["options"]], mine.top_n.astype(float))
                totals = dict(self.read("students")[["student_id", "points"]].itertuples(index=False, name=None))
                for row in grid["students"]:
                    self.assertAlmostEqual(row["total"], float(totals[row["student_id"]]))


class Strands(unittest.TestCase):
    def sql(self, query):
        with stage.demo().reading() as session:
            return [tuple(row) for row in session.connection().exec_driver_sql(query)]

    def test_distances_by_hand(self):
        """Own score: the strand less the whole, over the strand's error; the class: less the class mean."""
        answer = got("/needs/strands", **MATHS, section="5 Gannet", line="own").json()
        window = self.sql("SELECT w.id FROM window w JOIN school_year y ON y.id = w.school_year_id "
                          "WHERE y.name = '2026-27' AND w.season = 'winter'")[0][0]  # fmt: skip
        rows = self.sql(
            "SELECT s.student_id, t.name, x.score, x.standard_error, r.score FROM strand_result x "
            "JOIN result r ON r.id = x.result_id JOIN strand t ON t.id = x.strand_id "
            f"JOIN student s ON s.id = r.student_id WHERE r.assessment_id = 2 AND r.window_id = {window}"
        )
        held = {(student, strand): (score, error, whole) for student, strand, score, error, whole in rows}
        students = [one["student_id"] for one in answer["students"]]
        self.assertGreater(len(students), 15)
        for strand in answer["strands"]:
            for student, distance in zip(students, strand["distance"], strict=True):
                score, error, whole = held[student, strand["strand"]]
                self.assertAlmostEqual(distance, (score - whole) / error, places=3)
            self.assertEqual(strand["below"], sum(value < 0 for value in strand["distance"]))
        by_class = got("/needs/strands", **MATHS, section="5 Gannet", line="class").json()
        strand = by_class["strands"][0]
        scores = [score for score in strand["score"] if score is not None]
        everyone = [held[student, strand["strand"]][0] for student in students]
        self.assertEqual(sorted(np.round(everyone, 3)), sorted(np.round(scores, 3)))
        self.assertLess(abs(np.mean([p for p in strand["points"] if p is not None])), 12)

    def test_a_part_opens_its_students(self):
        """Near: those from one error below up to the line, as many as the distances say."""
        answer = got("/needs/strands", **MATHS, grade="5", school="Causeway Intermediate").json()
        for strand in answer["strands"][:2]:
            part = {"strand": strand["strand"], "line": answer["line"], "away_from": -1, "away_to": 0}
            found = got("/needs/strands/drill-down", **MATHS, grade="5", school="Causeway Intermediate", **part).json()
            self.assertEqual(found["n"], sum(value is not None and -1 <= value < 0 for value in strand["distance"]))

    def test_strands_of_points_stand_as_per_cents(self):
        """The outcome test has points alone: per cents of them, with a binomial error."""
        scope = {"assessment": "Regional Spring Test", "subject": "mathematics", "from_window": "2025-26 spring",
                 "to_window": "2025-26 spring"}  # fmt: skip
        answer = got("/needs/strands", **scope, grade="5").json()
        self.assertTrue(answer["of_points"])
        scores = [score for strand in answer["strands"] for score in strand["score"] if score is not None]
        self.assertTrue(scores and all(0 <= score <= 100 for score in scores))
        self.assertIn("target", {one["key"] for one in answer["lines"] if one["why"]})

    def test_many_students_come_as_counts(self):
        """Beyond two thousand no names leave: as many counts as students. Here over two windows of all grades."""
        scope = {**MATHS, "matched": "false", "from_window": "2025-26 fall"}
        answer = got("/needs/strands", **scope).json()
        strand = answer["strands"][0]
        if answer["students"]:
            self.assertLessEqual(len(answer["students"]), 2000)
        else:
            self.assertEqual(sum(strand["counts"]), strand["n"])
            self.assertEqual(strand["distance"], [])


class Items(unittest.TestCase):
    def tables(self):
        """Every answer and item as they are kept."""
        with stage.demo().reading() as session:
            run_sql = session.connection().exec_driver_sql
            queries = ("SELECT * FROM item ORDER BY id", "SELECT * FROM mastery_entry ORDER BY id")
            return [tuple(row) for query in queries for row in run_sql(query)]

    def totals(self):
        grid = got("/needs/items/answers", **STORY).json()
        return {row["student_id"]: row["total"] for row in grid["students"]}

    def test_the_planted_items_are_named_first(self):
        """The wrong key and the strong wrong answer are the headline of their tests."""
        self.assertEqual(got("/needs/items", **STORY).json()["headline"], "Item 7: wrong key?")
        self.assertEqual(got("/needs/items", **DECIMALS).json()["headline"], "Item 9: one shared mistake")

    def test_mending_a_key_changes_exactly_the_right_scores(self):
        """Who chose the old key loses a point, who chose the new one wins it; undo brings back every row."""
        before, kept = self.totals(), self.tables()
        compare = got("/compare", **STORY).json()
        answer = got("/needs/items", **STORY).json()
        chose = {}
        for option in ("A", "B"):
            found = got("/needs/items/drill-down", **STORY, item="7", option=option).json()
            chose[option] = {row["student_id"] for row in found["rows"]}
        change = {"test": STORY["assessment"], "item": "7", "keys": ["A"], "dropped": False}
        preview = sent("/needs/items/preview", change)
        self.assertEqual(self.totals(), before)
        done = sent("/needs/items/mend", {**change, "why": "the key was shifted"})
        try:
            after = self.totals()
            wanted = {one: total + (one in chose["A"]) - (one in chose["B"]) for one, total in before.items()}
            self.assertEqual(after, wanted)
            self.assertEqual(preview["changed"], sum(after[one] != before[one] for one in before))
            mended = got("/needs/items", **STORY).json()
            self.assertEqual(mended["headline"][:18], "No item looks wron")
            self.assertIn("the key was shifted", mended["mends"][0]["said"])
            self.assertNotEqual(got("/compare", **STORY).json()["data_version"], compare["data_version"])
        finally:
            undone(done["id"])
        self.assertEqual((self.totals(), self.tables()), (before, kept))
        self.assertEqual(got("/needs/items", **STORY).json()["items"], answer["items"])

    def test_a_dropped_item_counts_for_nobody(self):
        """Points possible fall by one, its options stay to be seen, and the common test in Compare follows."""
        change = {"test": STORY["assessment"], "item": "7", "keys": ["B"], "dropped": True, "why": "no right answer"}
        done = sent("/needs/items/mend", change)
        try:
            answer = got("/needs/items", **STORY).json()
            self.assertEqual(answer["possible"], 9.0)
            item = next(row for row in answer["items"] if row["item"] == "7")
            self.assertEqual((item["dropped"], item["difficulty"], item["flags"]), (True, None, []))
            self.assertEqual(sum(one["n"] for one in item["options"]), item["answered"])
        finally:
            undone(done["id"])

    def test_what_cannot_be_done_is_said(self):
        """No such item, a key that is no option, nothing changed, another role."""
        for body, status in (
            ({"test": "x", "item": "7", "keys": ["A"], "why": "x"}, 404),
            ({"test": STORY["assessment"], "item": "7", "keys": ["Z"], "why": "x"}, 422),
            ({"test": STORY["assessment"], "item": "7", "keys": ["B"], "why": "x"}, 422),
        ):
            self.assertEqual(signed_in("coach").post("/api/needs/items/mend", json=body).status_code, status)
        self.assertEqual(signed_in("coach").get("/api/needs/items", params=MATHS).status_code, 404)

    def test_a_common_test_is_a_measure_like_any_other(self):
        """Compare, the history grid and Check take it; its score is the per cent of its points."""
        totals = {row["student_id"]: row["total"] for row in got("/needs/items/answers", **DECIMALS).json()["students"]}
        found = got("/drill-down", **DECIMALS, count=1000).json()["rows"]
        self.assertEqual(len(found), len(totals))
        for row in found:
            self.assertAlmostEqual(row["to_score"], 100 * totals[row["student_id"]] / 24)
        grid = got("/compare/history", **MATHS, section="5 Gannet", measure="Unit check: decimals|mathematics").json()
        self.assertIn("Unit check: decimals", {column["assessment"] for column in grid["columns"]})
        check = got("/check", **DECIMALS).json()
        self.assertEqual(check["tested"], len(totals))
        self.assertLess(check["expected"], 400)


class Acts(unittest.TestCase):
    SCOPE = MATHS | {"section": "5 Gannet"}

    def states(self):
        answer = got("/needs/standards", **self.SCOPE).json()
        at = [column["standard"] for column in answer["columns"]].index("M5-NP-2")
        return {row["student_id"]: row["states"][at] for row in answer["students"]}

    def test_quick_entry_is_one_batch(self):
        """Two rounds of typing, one of them taken back in a cell, are undone as one; what counts follows at once."""
        before = self.states()
        first, second, third = list(before)[:3]
        body = {"on": "2027-02-10", "source": "quick check"}
        entry = {"standard": "M5-NP-2"}
        done = sent("/needs/entries", {**body, "entries": [
            {**entry, "student_id": first, "state": "mastered", "note": "with counters"},
            {**entry, "student_id": second, "state": "not yet"},
        ]})  # fmt: skip
        again = sent("/needs/entries", {**body, "act": done["id"], "in_all": 4, "entries": [
            {**entry, "student_id": second, "state": None}, {**entry, "student_id": third, "state": "nearly"},
        ]})  # fmt: skip
        self.assertEqual(again["id"], done["id"])
        after = self.states()
        self.assertEqual((after[first], after[second], after[third]), ("0", before[second], "1"))
        evidence = got("/needs/standards/evidence", student=first, standard="M5-NP-2", assessment="Saltgauge",
                       subject="mathematics").json()  # fmt: skip
        self.assertEqual((evidence[0]["note"], evidence[0]["counts"]), ("with counters", True))
        self.assertIn("Tolliver", evidence[0]["by"])
        undone(done["id"])
        self.assertEqual(self.states(), before)
        self.assertEqual(
            signed_in("coach").post("/api/needs/entries", json={**body, "act": done["id"], "entries": [
                {**entry, "student_id": first, "state": "mastered"}
            ]}).status_code, 409,
        )  # fmt: skip

    def test_names_are_matched(self):
        """By id, either way round, without accents; a slip is doubtful, a stranger unknown, two of a name doubtful."""
        grid = got("/needs/standards", **self.SCOPE).json()["students"]
        one = grid[0]
        given, family = one["name"].split(" ", 1)
        text = f"{one['student_id']}\n{family}, {given}\n{given} {family}x\nNobody Whatsoever\n\n"
        found = sent("/needs/entries/names", {"text": text})
        self.assertEqual([row["state"] for row in found[:2]], ["sure", "sure"])
        self.assertEqual({row["choices"][0]["student_id"] for row in found[:2]}, {one["student_id"]})
        self.assertEqual([row["state"] for row in found[2:]], ["doubtful", "unknown"])
        self.assertIn(one["student_id"], {choice["student_id"] for choice in found[2]["choices"]})

    def test_material_is_given_and_done(self):
        """Kept on a standard, given to students once, done by some; every act can be taken back."""
        acts = [sent("/needs/material", {"standard": "M5-NP-2", "title": "Slide the digits", "link": "Page 9"})]
        students = list(self.states())[:3]
        found = got("/needs/material", standard="M5-NP-2").json()["materials"]
        key = next(row["id"] for row in found if row["title"] == "Slide the digits")
        acts.append(sent(f"/needs/material/{key}/give", {"students": students}))
        acts.append(sent(f"/needs/material/{key}/done", {"students": students[:1], "done": True}))
        row = next(r for r in got("/needs/material", standard="M5-NP-2").json()["materials"] if r["id"] == key)
        self.assertEqual([one["student_id"] for one in row["given"] if one["done_on"]], students[:1])
        again = signed_in("coach").post(f"/api/needs/material/{key}/give", json={"students": students})
        self.assertEqual(again.status_code, 422)
        for act in reversed(acts):
            undone(act["id"])
        self.assertEqual(got("/needs/material", standard="M5-NP-2").json()["materials"], [])


class Reach(unittest.TestCase):
    def test_a_teacher_works_with_own_students_only(self):
        """Strands, standards, items and names hold nobody else; acts about others do not exist."""
        mine = {row["student_id"] for row in got("/drill-down", "teacher", **MATHS, count=2000).json()["rows"]}
        strands = got("/needs/strands", "teacher", **MATHS).json()
        self.assertLessEqual({one["student_id"] for one in strands["students"]}, mine)
        why = {one["key"]: one["why"] for one in strands["lines"]}
        self.assertIsNotNone(why["district"])
        standards = got("/needs/standards", "teacher", **MATHS).json()
        self.assertLessEqual({one["student_id"] for one in standards["students"]}, mine)
        everyone = {row["student_id"] for row in got("/drill-down", **MATHS, count=2000).json()["rows"]}
        other = min(everyone - mine)
        teacher = signed_in("teacher")
        query = {"student": other, "standard": "M5-NP-1", "assessment": "Saltgauge", "subject": "mathematics"}
        self.assertEqual(teacher.get("/api/needs/standards/evidence", params=query).status_code, 404)
        entry = {"on": "2027-02-01", "source": "x",
                 "entries": [{"student_id": other, "standard": "M5-NP-1", "state": "nearly"}]}  # fmt: skip
        self.assertEqual(teacher.post("/api/needs/entries", json=entry).status_code, 404)
        name = got("/students", q=other).json()
        matched = teacher.post("/api/needs/entries/names", json={"text": other}).json()
        self.assertTrue(name)
        self.assertEqual(matched[0]["state"], "unknown")

    def test_few_who_sat_a_test_hide_the_options(self):
        """Eight students of several classes: counts only, and neither options nor answers outside the class's view."""
        rows = got("/drill-down", **DECIMALS, count=8).json()["rows"]
        scope = [*DECIMALS.items(), *(("student", row["student_id"]) for row in rows)]
        answer = signed_in("coach").get("/api/needs/items", params=scope).json()
        self.assertEqual((answer["n"], answer["options_withheld"]), (8, True))
        self.assertTrue(all(not row["options"] and row["difficulty"] is None for row in answer["items"]))
        self.assertEqual(signed_in("coach").get("/api/needs/items/answers", params=scope).status_code, 404)

    def test_home_and_rail_tell_of_needs(self):
        """The missing ground under decimals, the wrong key and the strong wrong answer are found on Home."""
        found = [one["sentence"] for one in got("/home", **MATHS).json()["worth_a_look"]]
        self.assertTrue(any("Grade 5 at Causeway" in one and "digit of a number" in one for one in found), found)
        reading = [one["sentence"] for one in got("/home", **{**MATHS, "subject": "reading"}).json()["worth_a_look"]]
        self.assertTrue(any("item 7: wrong key" in one for one in reading), reading)
        rail = got("/scope/rail", **MATHS, grade="5", school="Causeway Intermediate").json()
        line = next(step["line"] for step in rail["steps"] if step["path"] == "needs")
        self.assertIn("115 lack it", line)
        self.assertTrue(application().routes)


class FewData(unittest.TestCase):
    """A Bodkin with scores and little else: each view says what is missing and where to bring it in."""

    SCOPE = {"assessment": "Tide Test", "subject": "mathematics", **FALL}  # noqa: RUF012 (a constant)

    @classmethod
    def setUpClass(cls):
        cls.store, _ = stage.fresh()
        cls.addClassCleanup(cls.store.engine.dispose)
        with cls.store.writing(scores=True) as session:
            session.add(Person(name="Kit Amber", role="coach", login="kit", password_hash=stage.password()))
        cls.client = TestClient(build(stage.settings(), cls.store))
        answer = cls.client.post("/api/sign-in", json={"login": "kit", "password": "tideline-demo"})
        assert answer.status_code == 204, answer.text

    def bring_in(self, name, text):
        changes = Changes(confirmed=True, answers=AS_IT_IS)
        with self.store.writing(scores=True) as session:
            bring_in_all(session, [Waiting(name, name, text.encode, changes)], 1, datetime(2027, 2, 12))

    def get(self, path, **more):
        answer = self.client.get(f"/api/needs/{path}", params=self.SCOPE | more)
        self.assertEqual(answer.status_code, 200, answer.text[:200])
        return answer.json()

    def test_step_by_step(self):
        """Scores alone; then standards; items and answers of one student; everybody right; prerequisites."""
        head = "student_id,assessment,subject,window,grade,score\n"
        rows = "".join(f"s{at},Tide Test,mathematics,2026-27 fall,5,{500 + at}\n" for at in range(12))
        self.bring_in("scores.csv", head + rows)
        self.assertIn("strand_scores.csv", self.get("strands")["lead"])
        self.assertEqual(self.get("standards")["headline"], "No standards yet")
        self.assertIn("standards.csv", self.get("standards")["lead"])
        self.bring_in("standards.csv", "code,grade,subject,strand,text\nS1,5,mathematics,Number,Count\n"
                                       "S2,5,mathematics,Number,Add\n")  # fmt: skip
        bare = self.get("standards")
        self.assertEqual(bare["headline"], "No evidence yet on these standards")
        self.assertTrue(any("prerequisites.csv" in note for note in bare["notes"]))
        self.assertTrue(any("teaching_calendar.csv" in note for note in bare["notes"]))
        self.assertEqual({row["states"] for row in bare["students"]}, {"44"})
        self.assertEqual((self.get("standards/ahead"), self.get("standards/calendar")), ([], []))
        self.bring_in("items.csv", "test,item,key,standards\nQuiz,1,A,S1\n")
        self.bring_in("answers.csv", "student_id,test,item,option,tested_on\ns0,Quiz,1,A,2026-10-01\n")
        days = "2026-09-01..2026-10-31"
        quiz = {"assessment": "Quiz", "from_window": days, "to_window": days}
        one = self.get("items", **quiz)
        self.assertEqual((one["n"], one["items"][0]["difficulty"], one["alpha"]), (1, None, None))
        self.assertTrue(one["options_withheld"])
        thin = self.get("standards")
        self.assertEqual(next(row["states"] for row in thin["students"] if row["student_id"] == "s0"), "34")
        answers = "".join(f"s{at},Quiz,1,A,2026-10-01\n" for at in range(1, 12))
        self.bring_in("answers.csv", "student_id,test,item,option,tested_on\n" + answers)
        every = self.get("items", **quiz)
        self.assertEqual([flag["flag"] for flag in every["items"][0]["flags"]], ["nobody_wrong"])
        self.assertEqual((every["items"][0]["discrimination"], every["alpha"]), (None, None))
