"""OneRoster 1.2 as files: out, in, out again the same; packages of others; faults in their place."""

import io
import json
import unittest
import uuid
import zipfile
from datetime import datetime

import polars as pl
from sqlalchemy import func, select

from bodkin.exchange.faults import BadFile
from bodkin.exchange.imports import imports
from bodkin.exchange.imports.understanding import Changes
from bodkin.exchange.oneroster.files import ABSENT, FILES, columns_of, read_package
from bodkin.exchange.oneroster.package_out import oneroster_package
from bodkin.exchange.oneroster.package_rows import NAMESPACE, made_id
from bodkin.store.reads.table.load import load_score_table
from bodkin.store.tables import Base, Cut, District, Enrolment, Person, Result, School, Section, Student, StudentYear
from bodkin.store.writes.undo import undo_import
from tests.support import stage
from tests.support.answers import AS_IT_IS
from tests.support.oneroster import ROSTER, package

NOW = datetime(2026, 9, 1)


def parts(content):
    with zipfile.ZipFile(io.BytesIO(content)) as archive:
        return {name: archive.read(name).decode() for name in archive.namelist()}


def bring(store, content, name="roster.zip"):
    with store.writing(scores=True) as session:
        return imports.bring_in(session, name, content, None, NOW, Changes(answers=AS_IT_IS))


def everything(store):
    left = {"act", "import", "import_change", "district"}
    with store.reading() as session:
        return {
            table.name: sorted(map(str, session.execute(select(table)).all()))
            for table in Base.metadata.sorted_tables
            if table.name not in left
        } | {"district name": session.scalars(select(District.name)).all()}


class RoundTrip(unittest.TestCase):
    def test_out_in_and_out_again_are_the_same_files(self):
        """A district's package into an empty Bodkin and out again is the same zip."""
        with stage.small().reading() as session:
            first = oneroster_package(session)
            theirs = load_score_table(session).results.drop("line", "programs")
        empty, _ = stage.fresh()
        before = everything(empty)
        key, seen = bring(empty, first)
        self.assertEqual((seen.kind, seen.reading.faults), ("oneroster", []))
        with empty.reading() as session:
            second = oneroster_package(session)
            ours = load_score_table(session).results.drop("line", "programs")
        one, other = parts(first), parts(second)
        self.assertEqual(list(one), list(other))
        for name, text in one.items():
            if text != other[name]:
                self.fail(f"{name}: {sorted(set(text.splitlines()) ^ set(other[name].splitlines()))[:4]}")
        self.assertEqual(first, second)
        self.assertEqual(sorted(theirs.rows(), key=str), sorted(ours.rows(), key=str))
        # And taken back whole.
        with empty.writing(scores=True) as session:
            undo_import(session, key)
        self.assertEqual(everything(empty), before)

    def test_the_files_are_those_of_the_specification(self):
        """Every file that is there begins with the columns of the specification, in its order."""
        with stage.small().reading() as session:
            files = parts(oneroster_package(session))
        manifest = dict(line.split(",") for line in files.pop("manifest.csv").splitlines())
        self.assertEqual(manifest["oneroster.version"], "1.2")
        self.assertEqual({f"{name}.csv" for name in FILES}, set(files))
        for name in FILES:
            header = files[f"{name}.csv"].splitlines()[0].split(",")
            self.assertEqual(header, columns_of(name))
            self.assertEqual(manifest[f"file.{name}"], "bulk")
            self.assertTrue(all(one.startswith("metadata.") for one in header[3 + len(FILES[name]) :]))
        for name in ABSENT:
            self.assertEqual(manifest[f"file.{name}"], "absent")
        # In bulk files nothing is said of status and time; every reference leads somewhere.
        frames = {name: pl.read_csv(files[f"{name}.csv"].encode(), infer_schema=False) for name in FILES}
        ids = {name: set(frame["sourcedId"]) for name, frame in frames.items()}
        for name, frame in frames.items():
            self.assertEqual(frame["status"].null_count(), frame.height)
            self.assertEqual(len(ids[name]), frame.height)
        for name, column, other in (
            ("classes", "courseSourcedId", "courses"), ("classes", "schoolSourcedId", "orgs"),
            ("classes", "termSourcedIds", "academicSessions"), ("enrollments", "userSourcedId", "users"),
            ("enrollments", "classSourcedId", "classes"), ("results", "lineItemSourcedId", "lineItems"),
            ("results", "studentSourcedId", "users"), ("lineItems", "categorySourcedId", "categories"),
            ("demographics", "sourcedId", "users"), ("roles", "orgSourcedId", "orgs"),
        ):  # fmt: skip
            self.assertLessEqual(set(frames[name][column].drop_nulls()), ids[other], f"{name}.{column}")


class SourcedIds(unittest.TestCase):
    def test_they_are_uuids_of_version_5(self):
        """As Python's own uuid5 makes them of the same names, for odd names and for every variant of the digits."""
        for names in (
            ("student", "S1"), ("line", 'Tide "A"', "reading", None, "x"), ("org", "Åse\n\\ 李"), ("result", 7, 0),
            *(("n", at) for at in range(64)),
        ):  # fmt: skip
            text = json.dumps([str(one) for one in names], ensure_ascii=False)
            self.assertEqual(made_id(*names), str(uuid.uuid5(NAMESPACE, text)))


class OfOthers(unittest.TestCase):
    def setUp(self):
        self.store, _ = stage.fresh()

    def test_a_roster_of_another_system_comes_in(self):
        """Other keys, orders and extra columns are read."""
        _, seen = bring(self.store, package(**ROSTER))
        self.assertEqual(seen.reading.faults, [])
        self.assertIn("1 users who are neither students nor staff", " ".join(seen.plan.notices))
        with self.store.reading() as session:
            self.assertEqual(session.scalars(select(District.name)).one(), "Fenland")
            self.assertEqual(sorted(session.scalars(select(School.name))), ["Reed School", "Rush School"])
            self.assertEqual(
                sorted(session.execute(select(Person.name, Person.role))),
                [("Mo Lark", "school_lead"), ("Mo Lark", "teacher")],
            )
            names = session.execute(select(Student.student_id, Student.given_name))
            self.assertEqual(sorted(names), [("1001", "Ana"), ("1002", "Bobby")])
            self.assertEqual(sorted(session.scalars(select(Section.name))), ["Room 4", "Room 4", "Room 4 B"])
            self.assertEqual(list(session.scalars(select(StudentYear.grade))), ["4", "4"])
            self.assertEqual(session.scalar(select(func.count()).select_from(Enrolment)), 2)
            self.assertTrue(imports.preview(session, "x.zip", package(**ROSTER)).plan.empty)

    def test_the_next_package_changes_what_changed_and_undo_takes_it_back(self):
        """Only the differences are written, and undo restores the rows."""
        bring(self.store, package(**ROSTER))
        before = everything(self.store)
        later = dict(ROSTER)
        later["users"] = later["users"].replace("Ana,Zorro", "Ana,Zorro-Yew")
        later["enrollments"] = later["enrollments"].replace(
            "e1,,,k1,s1,u1,student,,2026-08-24,", "e1,,,k1,s1,u1,student,,2026-08-24,2026-11-01"
        ) + "e5,,,k2,s1,u1,student,,2026-11-02,\n"  # fmt: skip
        later["enrollments"] = later["enrollments"].replace("e2,,", "e2,tobedeleted,2026-11-02T00:00:00Z")
        key, seen = bring(self.store, package(**later))
        self.assertEqual((seen.plan.counts["new"], seen.plan.counts["changed"]), (1, 3))
        self.assertIn("Zorro to Zorro-Yew", " ".join(row.detail for row in seen.plan.rows))
        with self.store.reading() as session:
            self.assertEqual(session.scalar(select(func.count()).select_from(Enrolment)), 2)
        with self.store.writing(scores=True) as session:
            undo_import(session, key)
        self.assertEqual(everything(self.store), before)

    def test_a_grade_book_comes_in_as_tests_of_the_class(self):
        """Line items and results of a class become a test with scores."""
        book = {
            **ROSTER,
            "categories": "sourcedId,status,dateLastModified,title,weight\nq,,,Quizzes,\n",
            "lineItems": "sourcedId,status,dateLastModified,title,description,assignDate,dueDate,classSourcedId,"
            "categorySourcedId,gradingPeriodSourcedId,academicSessionSourcedId,schoolSourcedId,resultValueMin,"
            "resultValueMax\nl1,,,Fractions quiz,,2026-10-01,2026-10-02,k1,q,,t,s1,0,10\n",
            "results": "sourcedId,status,dateLastModified,lineItemSourcedId,studentSourcedId,scoreStatus,score,"
            "scoreDate,comment\nx1,,,l1,u1,fully graded,8,2026-10-02,\nx2,,,l1,u2,exempt,,2026-10-02,\n"
            "x3,,,l9,u1,fully graded,8,2026-10-02,\n",
        }  # fmt: skip
        _, seen = bring(self.store, package(**book))
        self.assertEqual([(f.line, f.column) for f in seen.reading.faults], [(4, "lineItemSourcedId")])
        with self.store.reading() as session:
            results = load_score_table(session).results
        self.assertEqual(
            results.select("student_id", "assessment", "subject", "score", "section", "school").rows(),
            [("1001", "Fractions quiz", "Mathematics", 8.0, "Reed School: Room 4", "Reed School")],
        )

    def test_what_is_left_out_is_told(self):
        """Score scales of another system, and line items marked for deletion, both once."""
        scales = "sourcedId,status,dateLastModified,title,type,courseSourcedId,classSourcedId,scoreScaleValue\n"
        lines = (
            "sourcedId,status,dateLastModified,title,description,assignDate,dueDate,classSourcedId,"
            "categorySourcedId,gradingPeriodSourcedId,academicSessionSourcedId,schoolSourcedId,resultValueMin,"
            "resultValueMax\nl1,tobedeleted,2026-10-02T00:00:00Z,Quiz,,2026-10-01,2026-10-02,k1,q,,t,s1,0,10\n"
        )
        book = {
            **ROSTER, "lineItems": lines, "categories": "sourcedId,status,dateLastModified,title,weight\nq,,,Quiz,\n",
            "scoreScales": f'{scales}z1,,,Letters,common,,k1,"{{A:90-100}}"\n',
        }  # fmt: skip
        _, seen = bring(self.store, package(**book))
        answer = list(seen.plan.notices)
        self.assertEqual(sum("1 score scales of another kind are left out" in one for one in answer), 1, answer)
        self.assertEqual(
            sum("marked for deletion are kept" in one and "1 of lineItems" in one for one in answer), 1, answer
        )

    def test_students_known_from_scores_are_the_same_students(self):
        """A roster after scores adds nobody twice."""
        head = "student_id,assessment,subject,window,grade,score,school,section,teacher\n"
        with self.store.writing(scores=True) as session:
            imports.bring_in(
                session, "s.csv", (head + "1001,Pond,reading,2026-27 fall,4,400,Reed School,Room 4,Mo Lark\n").encode(),
                None, NOW,
            )  # fmt: skip
        bring(self.store, package(**ROSTER))
        with self.store.reading() as session:
            self.assertEqual(session.scalar(select(func.count()).select_from(Student)), 2)
            self.assertEqual(session.scalar(select(func.count()).select_from(Enrolment)), 2)
            self.assertEqual(session.scalar(select(func.count()).select_from(Person)), 2)
            self.assertEqual(session.scalar(select(func.count()).select_from(Result)), 1)

    def faults(self, **files):
        with self.store.reading() as session:
            seen = imports.preview(session, "r.zip", package(**{**ROSTER, **files}))
        return {(fault.file.split("/")[-1], fault.line, fault.column) for fault in seen.reading.faults}

    def test_faults_are_named_by_file_line_and_column(self):
        """A bad cell inside the zip is found by its place."""
        enrolments, users, years = (ROSTER[name] for name in ("enrollments", "users", "academicSessions"))
        for expected, files in (
            (("academicSessions.csv", 3, "endDate"), {"academicSessions": years.replace("2027-01-15", "2026-01-15")}),
            (("academicSessions.csv", 3, "startdate"), {"academicSessions": years.replace("24,2027-01", "x,2027-01")}),
            (("enrollments.csv", 2, "classSourcedId"), {"enrollments": enrolments.replace("k1,s1,u1", "k9,s1,u1")}),
            (("enrollments.csv", 3, "userSourcedId"), {"enrollments": enrolments.replace("k3,s2,u2", "k3,s2,u9")}),
            (("users.csv", 3, "sourcedid"), {"users": users.replace("u2,,", "u1,,")}),
            (("users.csv", 3, "identifier"), {"users": users.replace("1002", "1001")}),
            (("orgs.csv", 4, "name"), {"orgs": ROSTER["orgs"].replace("Rush School", "Reed School")}),
            (("classes.csv", 2, "schoolSourcedId"), {"classes": ROSTER["classes"].replace("s1", "s7", 1)}),
        ):  # fmt: skip
            with self.subTest(expected):
                self.assertIn(expected, self.faults(**files))

    def test_numbers_of_results_are_held_to_the_bounds_of_a_plain_file(self):
        """No text, infinite, negative or broken number comes in, is lost without a word, or breaks the import."""
        lines = "sourcedId,status,dateLastModified,title,assignDate,classSourcedId,metadata.bodkin.window\n"
        lines += "l1,,,Quiz,2026-10-01,k1,2026-27 fall\n"
        numbers = {
            "standardError": ("3.5", "0", "-1", "1e309", "NaN", "x"), "percentile": ("100", "101", "-1", "inf"),
            "minutes": ("0", "-1", "long"), "points": ("-2", "nan"), "pointsPossible": ("0", "-1"),
            "itemsTried": ("12", "12.5", "-1", "1e20", "some"), "itemsRight": ("7", "100001"),
        }  # fmt: skip
        good = {name: texts[0] for name, texts in numbers.items()}
        bad = [(name, text) for name, texts in numbers.items() for text in texts[1:]]
        cells = [dict.fromkeys(numbers, ""), good, *({**good, name: text} for name, text in bad)]
        results = "sourcedId,status,dateLastModified,lineItemSourcedId,studentSourcedId,score,"
        results += ",".join(f"metadata.bodkin.{name}" for name in numbers) + "\n"
        results += "".join(f"x{at},,,l1,u1,{at},{','.join(row.values())}\n" for at, row in enumerate(cells))
        _, seen = bring(self.store, package(**ROSTER, lineItems=lines, results=results))
        self.assertEqual(
            [(fault.line, fault.column) for fault in seen.reading.faults],
            [(line, f"metadata.bodkin.{name}") for line, (name, _) in enumerate(bad, start=4)],
        )
        self.assertTrue(all(fault.message.startswith("write a") for fault in seen.reading.faults))
        with self.store.reading() as session:
            self.assertEqual(set(session.scalars(select(Result.score))), {0.0, 1.0})

    def scales(self, *rows):
        """A package with score scales of ours: for each its bands, or what stands in their place, and what it says."""
        told = {"assessment": "Pond", "subject": "reading", "grade": "4", "season": "", "purpose": ""}
        text = f"sourcedId,status,dateLastModified,title,{','.join(f'metadata.bodkin.{name}' for name in told)},"
        text += "metadata.bodkin.bands\n"
        for at, (bands, more) in enumerate(rows):
            cell = (bands if isinstance(bands, str) else json.dumps(bands)).replace('"', '""')
            text += ",".join([f"z{at},,,S", *(told | {"assessment": f"Pond {at}"} | more).values(), f'"{cell}"']) + "\n"
        return package(**ROSTER, scoreScales=text)

    def test_bands_of_a_scale_are_held_to_the_rules_of_a_file_of_cuts(self):
        """What is no number, a gap in the order, cuts that fall, a word of its own: the scale stays out whole."""
        low, high = [1, "Low", None, None], [2, "High", 480.5, None]
        bad = [
            *((low, [2, "High", number, None]) for number in (float("nan"), float("inf"), "x")),
            *((low, [order, "High", 480, None]) for order in (2.5, 3, 10**30)),
            (low, high, [3, "Top", 470, None]), (low, [2, "", 480, None]),
        ]  # fmt: skip
        words = [{"purpose": "other"}, {"season": "summer"}]
        rows = [*((bands, {}) for bands in bad), *(((low, high), more) for more in words), ((low, high), {})]
        _, seen = bring(self.store, self.scales(*rows))
        wanted = ["bands"] * len(bad) + ["purpose", "season"]
        self.assertEqual(
            {(fault.file.split("/")[-1], fault.line, fault.column) for fault in seen.reading.faults},
            {("scoreScales.csv", line, f"metadata.bodkin.{name}") for line, name in enumerate(wanted, start=2)},
        )
        with self.store.reading() as session:
            kept = session.execute(select(Cut.order, Cut.band, Cut.min_score, Cut.purpose).order_by(Cut.order))
            self.assertEqual(
                list(map(tuple, kept)), [(1, "Low", None, "performance"), (2, "High", 480.5, "performance")]
            )

    def test_scales_of_another_form_are_left_out_and_told(self):
        """Bands that are no list of four values each, or that nest without end."""
        others = ((1, 2), ([1, "Low", None],), ({"order": 1},), (), "[" * 990, "{", "5")
        _, seen = bring(self.store, self.scales(*((bands, {}) for bands in others)))
        self.assertIn(f"{len(others)} score scales of another kind are left out", seen.plan.notices)
        self.assertEqual(seen.reading.faults, [])

    def test_what_is_no_package_of_this_version_is_refused_whole(self):
        """Another version, or another zip, is refused with the reason."""
        for content in (
            package(**ROSTER, manifest="propertyName,value\noneroster.version,1.1\n"),
            package(**ROSTER, manifest="a,b\n1,2\n"),
            package(**ROSTER)[:-30],
        ):
            with self.subTest(content[:20]), self.store.reading() as session, self.assertRaises(BadFile):
                imports.preview(session, "r.zip", content)
        lacking = {name: text for name, text in ROSTER.items() if name != "roles"}
        manifest = "propertyName,value\noneroster.version,1.2\n" + "".join(f"file.{name},bulk\n" for name in ROSTER)
        read = read_package("r.zip", package(**lacking, manifest=manifest))
        self.assertEqual(read.faults[0].message, "the manifest lists this file, but it is missing")
