"""Standards over many students: plans of classes, everybody's evidence, sums by grade and school, each told twice."""

import random
import unittest
from datetime import date

import networkx as nx
import numpy as np
import polars as pl

from bodkin.answers.home.findings import FEWEST
from bodkin.answers.home.needs_findings import needs_looks
from bodkin.answers.needs.calendar import SOON, against_calendar
from bodkin.answers.needs.evidence import EVIDENCE, all_evidence, mastery
from bodkin.answers.needs.standards import Plans, StandardsSeen, classes_of, taught_by_class
from bodkin.core.needs.mastery import MASTERED, NEARLY, NONE, NOT_YET, STATES, THIN
from bodkin.core.needs.standards import when_taught
from bodkin.core.scores.gap import gap_of_shares
from bodkin.store.reads.needs_data import ENTRIES, STANDARDS, TEACHING, NeedsData

CODES = ["A", "B", "C", "D"]
TODAY = date(2027, 2, 12)
SPANS = ((date(2026, 10, 1), date(2026, 11, 1)), (date(2027, 2, 1), date(2027, 2, 28)),
         (date(2027, 4, 1), date(2027, 4, 9)))  # fmt: skip


def some_students(draw, n):
    rows = [(f"s{at}", draw.choice(["3", "4", None]), draw.choice(["North", "South", None]),
             draw.choice(["Owls", "Elms", None])) for at in range(n)]  # fmt: skip
    return pl.DataFrame(rows, schema=["student_id", "grade", "school", "section"], orient="row")


def some_data(draw, students):
    """Standards, a teaching calendar with plans of classes and of grades, and entries on some students."""
    standards = [(code, "3" if code < "C" else "4", "maths", "Number", f"Text {code}", None) for code in CODES]
    teaching = []
    for code in CODES:
        for school, section, grade in (("North", "Owls", None), ("South", "Elms", None), (None, None, "3"),
                                       (None, None, "4")):  # fmt: skip
            if draw.random() < 0.6:
                teaching.append((code, grade, school, section, *draw.choice(SPANS)))
    entries = [
        (at, student, draw.choice(CODES), draw.choice(STATES[:4]), date(2027, 1, 1 + at % 28), "teacher", None, None)
        for at, student in enumerate(draw.choices(students["student_id"].to_list(), k=4 * students.height))
    ]
    return NeedsData(
        standards=pl.DataFrame(standards, schema=STANDARDS, orient="row"),
        teaching=pl.DataFrame(teaching, schema=TEACHING, orient="row"),
        entries=pl.DataFrame(entries, schema=ENTRIES, orient="row"),
    )


def pieces_of(data):
    """The entries as evidence."""
    rows = [
        (row["student_id"], row["standard"], STATES.index(row["state"]), None, None, None, row["on"], row["source"],
         None, None, True, row["line"], None)
        for row in data.entries.iter_rows(named=True)
    ]  # fmt: skip
    return pl.DataFrame(rows, schema=EVIDENCE, orient="row")


class ByClass(unittest.TestCase):
    def test_each_class_by_its_own_plan_else_by_its_grade(self):
        """Sixty drawn calendars: what all classes are told together is what each one is told by its own dates."""
        met = set()
        for seed in range(60):
            draw = random.Random(seed)
            students = some_students(draw, 40)
            data = some_data(draw, students)
            seen = StandardsSeen(students, data, mastery(all_evidence(data, pieces_of(data)), []), nx.DiGraph(),
                                 CODES, CODES, [])  # fmt: skip
            told = taught_by_class(seen, CODES, TODAY)
            for code in CODES:
                wanted = []
                for school, section, grade, _ in classes_of(students):
                    mine = [row for row in data.teaching.iter_rows(named=True) if row["standard"] == code]
                    own = [row for row in mine if section and (row["school"], row["section"]) == (school, section)]
                    used = own or [row for row in mine if row["grade"] is not None and row["grade"] == grade]
                    wanted.append((section or "no class", when_taught([(r["from"], r["to"]) for r in used], TODAY)))
                self.assertEqual([(one.section, one.taught) for one in told[code]], wanted, (seed, code))
                met |= {one.taught for one in told[code]}
        self.assertEqual(met, {"now", "before", "later", "never"})

    def test_without_a_calendar_no_class_is_told(self):
        """No dates at all: not a class that is never taught, but nothing to say."""
        students = some_students(random.Random(1), 5)
        data = NeedsData(standards=pl.DataFrame([("A", "3", "maths", "N", "t", None)], schema=STANDARDS, orient="row"))
        seen = StandardsSeen(students, data, mastery(all_evidence(data, pieces_of(data)), []), nx.DiGraph(), ["A"],
                             ["A"], [])  # fmt: skip
        self.assertEqual(taught_by_class(seen, ["A"], TODAY), {"A": []})
        self.assertEqual(Plans.of(data.teaching).taught(["A"], [], TODAY).shape, (0, 1))

    def test_every_student_stands_in_one_class(self):
        """School and class together, their students in order, by school, grade and name."""
        students = some_students(random.Random(3), 80)
        found = classes_of(students)
        rows = students.rows(named=True)
        self.assertEqual(sorted(at for *_, mine in found for at in mine), list(range(80)))
        for school, section, grade, mine in found:
            self.assertEqual(mine, sorted(mine))
            self.assertTrue(all((rows[at]["school"], rows[at]["section"]) == (school, section) for at in mine))
            self.assertEqual(grade, next((rows[at]["grade"] for at in mine), None))


class AgainstCalendar(unittest.TestCase):
    def test_each_problem_by_counting_students(self):
        """Thirty drawn districts: by hand from each class's dates, half of those with evidence, three at least."""
        met, graph = set(), nx.DiGraph([("A", "C"), ("B", "C"), ("A", "D")])
        spans = (*SPANS, (date(2027, 3, 1), date(2027, 3, 5)))
        for seed in range(30):
            draw = random.Random(seed)
            students = some_students(draw, 60)
            data = some_data(draw, students)
            days = [draw.choice(spans) for _ in range(data.teaching.height)]
            teaching = data.teaching.with_columns(pl.Series("from", [a for a, _ in days]),
                                                  pl.Series("to", [b for _, b in days]))  # fmt: skip
            data = NeedsData(standards=data.standards, teaching=teaching, entries=data.entries)
            found = mastery(all_evidence(data, pieces_of(data)), students["student_id"].to_list())
            seen = StandardsSeen(students, data, found, graph, CODES, CODES, [])
            wanted = set()
            for school, section, grade, mine in classes_of(students):
                n = {}
                for column, code in enumerate(CODES):
                    states = [found.codes[at, column] for at in mine]
                    n[code] = (sum(one in (NEARLY, NOT_YET) for one in states), sum(one < THIN for one in states))
                many = {code for code in CODES if n[code][0] >= 3 and 2 * n[code][0] >= n[code][1]}
                for code in CODES:
                    rows = [row for row in teaching.iter_rows(named=True) if row["standard"] == code]
                    own = [row for row in rows if section and (row["school"], row["section"]) == (school, section)]
                    used = own or [row for row in rows if row["grade"] and row["grade"] == grade]
                    dates = [(row["from"], row["to"]) for row in used]
                    taught = when_taught(dates, TODAY)
                    bare = [one for one in graph.predecessors(code) if one in many]
                    if taught in ("never", "before") and code in many:
                        problem = "never planned" if taught == "never" else "taught and still lacking"
                        wanted.add((problem, school, section, code, *n[code], ()))
                    if taught == "later" and bare and min(a for a, _ in dates if a > TODAY) <= TODAY + SOON:
                        worst = max(n[one][0] for one in bare)
                        wanted.add(("coming without its ground", school, section, code, worst, n[bare[0]][1],
                                    tuple(bare)))  # fmt: skip
            lists = against_calendar(seen, TODAY)
            told = [(one.problem, one.school, one.section, one.standard, one.n, one.evidence, tuple(one.ground))
                    for each in lists for one in each.rows]  # fmt: skip
            self.assertEqual(set(told), wanted, seed)
            self.assertEqual((len(told), sum(each.n for each in lists)), (len(wanted), len(wanted)))
            for each, few in zip(lists, against_calendar(seen, TODAY, 2), strict=True):
                self.assertEqual([one.n for one in each.rows], sorted((one.n for one in each.rows), reverse=True))
                self.assertEqual((few.n, few.rows), (each.n, each.rows[:2]))
            met |= {one[0] for one in told}
        self.assertEqual(len(met), 3)


class Evidence(unittest.TestCase):
    def test_each_student_as_by_the_newest_entry(self):
        """Forty drawn sets: the newest that is not thin, the later line on a day; who has none has none everywhere."""
        for seed in range(40):
            draw = random.Random(seed)
            students = some_students(draw, 12)
            data = some_data(draw, students)
            asked = [*students["student_id"].to_list(), "nobody"]
            draw.shuffle(asked)
            found = mastery(all_evidence(data, pieces_of(data)), asked)
            for at, student in enumerate(asked):
                for column, code in enumerate(CODES):
                    mine = [row for row in data.entries.iter_rows(named=True)
                            if (row["student_id"], row["standard"]) == (student, code)]  # fmt: skip
                    best = max(mine, key=lambda row: (row["state"] != STATES[THIN], row["on"], row["line"]),
                               default=None)  # fmt: skip
                    wanted = NONE if best is None else STATES.index(best["state"])
                    self.assertEqual(found.codes[at, column], wanted, (seed, student, code))
            few = mastery(found.evidence, asked[:2])
            self.assertEqual(set(few.counting["student_id"]) - set(asked[:2]), set())
            self.assertEqual(few.points.height, 0)


class Looks(unittest.TestCase):
    def test_each_grade_of_each_school_by_counting_students(self):
        """The chances of Home's looks are those of counts taken student by student."""
        looked = 0
        for seed in range(12):
            draw = random.Random(seed)
            students = some_students(draw, 260)
            data = some_data(draw, students)
            found = mastery(all_evidence(data, pieces_of(data)), students["student_id"].to_list())
            seen = StandardsSeen(students, data, found, nx.DiGraph(), CODES, CODES, [])
            seen.graph.add_nodes_from(CODES)
            wanted = []
            rows = students.rows(named=True)
            places = dict.fromkeys((r["grade"], r["school"]) for r in rows if r["grade"] and r["school"])
            for grade in dict.fromkeys(grade for grade, _ in places):
                for school in [own for g, own in places if g == grade]:
                    here = [at for at, r in enumerate(rows) if (r["grade"], r["school"]) == (grade, school)]
                    there = [at for at, r in enumerate(rows)
                             if r["grade"] == grade and r["school"] not in (school, None)]  # fmt: skip
                    lack = [sum(found.codes[at, c] in (NEARLY, NOT_YET) for at in here) for c in range(len(CODES))]
                    column = int(np.argmax(lack))
                    n, k = ([sum(found.codes[at, column] in states for at in side) for side in (here, there)]
                            for states in ((MASTERED, NEARLY, NOT_YET), (NEARLY, NOT_YET)))  # fmt: skip
                    if min(len(here), len(there), *n) >= FEWEST:
                        wanted.append(gap_of_shares((k[1], k[0]), (n[1], n[0])).p)
            self.assertEqual([look.p for look in needs_looks(seen)], wanted, seed)
            looked += len(wanted)
        self.assertGreater(looked, 20)


if __name__ == "__main__":
    unittest.main()
