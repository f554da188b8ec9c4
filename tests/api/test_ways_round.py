"""Ways round one's reach that once were open: groups, exports, decisions, names, other machines."""

import unittest
from datetime import date, timedelta
from unittest import mock

from sqlalchemy import select, text, update
from sqlalchemy.exc import DBAPIError

from bodkin.api.app import build
from bodkin.api.setup import drafts
from bodkin.demo.district import PASSWORD
from bodkin.store.tables import ExportLog, GroupMember, PageHanded, PageLog, Person, Student, ViewLog
from bodkin.store.writes import groups as kept
from bodkin.store.writes.setup import seal_secrets
from tests.api.application import SCOPE
from tests.api.client import TestClient
from tests.support import stage

MATHS = {**SCOPE, "subject": "mathematics"}
GROUP = {"focus": "x", "first_day": "2027-02-12", "last_day": "2027-03-12"}


class OnCopy(unittest.TestCase):
    """Over a district of its own, with a client for each person."""

    district = staticmethod(stage.small_copy)

    @classmethod
    def setUpClass(cls):
        cls.store, cls.kept = cls.district(), {}
        cls.app = build(stage.settings(), cls.store)
        cls.coach, cls.lead, cls.teacher, cls.specialist, cls.aide = (
            cls.signed_in(login) for login in ("coach", "lead", "teacher", "specialist", "aide")
        )
        with cls.store.reading() as session:
            cls.people = dict(session.execute(select(Person.login, Person.id).where(Person.login.is_not(None))).all())

    @classmethod
    def signed_in(cls, login):
        client = TestClient(cls.app, raise_server_exceptions=False)
        assert client.post("/api/sign-in", json={"login": login, "password": PASSWORD}).status_code == 204
        return client

    def at_first(self, client, **more):
        """Students in somebody's reach, asked for once: nothing here changes a score."""
        key = (id(client), *sorted(more.items()))
        if key not in self.kept:
            self.kept[key] = self.students(client, **more)
        return self.kept[key]

    def students(self, client, **more):
        rows = client.get("/api/drill-down", params={**SCOPE, **more}).json()["rows"]
        return [row["student_id"] for row in rows]

    def group(self, students, adult, *, first=date(2027, 2, 1), last=date(2027, 3, 1), subject="reading", name=None):
        """A group as the coach made it, with its members from its first day on."""
        with self.store.writing(scores=False) as session:
            key, _ = kept.make(
                session,
                {"name": name or f"Group {first} {last} {len(students)} {subject} {students[0]}", "focus": "x",
                 "adult_id": self.people[adult], "first_day": first, "last_day": last},
                ("Saltgauge", subject), self.people["coach"],
            )  # fmt: skip
            kept.add_members(session, key, students, first)
        self.addCleanup(self.drop, key)
        return key

    def drop(self, key):
        with self.store.writing(scores=False) as session:
            session.execute(text("DELETE FROM group_member WHERE group_id = :k"), {"k": key})
            session.execute(text("DELETE FROM `group` WHERE id = :k"), {"k": key})

    def same(self, ours, unknown):
        self.assertEqual((ours.status_code, ours.content), (unknown.status_code, unknown.content))


class Groups(OnCopy):
    def test_a_group_opens_its_students_on_its_days_only(self):
        """Ended, still to come, left, not joined yet: none of them is in the adult's reach; today's member is."""
        today = stage.TODAY
        ours = set(self.students(self.aide))
        others = [one for one in self.at_first(self.coach, grade="4") if one not in ours][:4]
        ended = self.group(others[:1], "aide", first=date(2026, 9, 1), last=today - timedelta(days=1))
        to_come = self.group(others[1:2], "aide", first=today + timedelta(days=1), last=date(2027, 4, 1))
        running = self.group(others[2:], "aide")
        with self.store.writing(scores=False) as session:
            mine = select(Student.id).where(Student.student_id == others[2]).scalar_subquery()
            here = (GroupMember.group_id == running, GroupMember.student_id == mine)
            session.execute(update(GroupMember).where(*here).values(first_day=today + timedelta(days=3)))
        for student in others[:3]:
            self.same(self.aide.get(f"/api/students/{student}"), self.aide.get("/api/students/SR99999"))
        self.assertEqual(self.aide.get(f"/api/students/{others[3]}").status_code, 200)
        self.assertEqual(set(self.students(self.aide)), ours | {others[3]})
        for key in (ended, to_come):
            members = self.aide.get(f"/api/groups/{key}").json().get("members", [])
            self.assertEqual(members, [])
            self.assertEqual(self.students(self.aide, group=key), [])

    def test_whom_one_does_not_see_one_cannot_open_to_others(self):
        """Handing a group on, or moving its days, needs all of it in reach; a name or a focus does not."""
        own = self.at_first(self.teacher)[:2]
        hidden = [one for one in self.at_first(self.coach, grade="4") if one not in self.at_first(self.teacher)][:1]
        key = self.group(own + hidden, "teacher")
        for change in (
            {"adult_id": self.people["aide"]}, {"adult_id": None}, {"last_day": "2027-06-01"},
            {"first_day": "2027-01-01"},
        ):  # fmt: skip
            answer = self.teacher.patch(f"/api/groups/{key}", json=change)
            self.assertEqual(answer.status_code, 403, change)
        self.assertEqual(self.teacher.patch(f"/api/groups/{key}", json={"focus": "vowels"}).status_code, 200)
        whole = self.group(own, "teacher")
        handed = self.teacher.patch(f"/api/groups/{whole}", json={"adult_id": self.people["aide"]})
        self.assertEqual(handed.status_code, 200)

    def test_an_act_that_handed_a_group_on_is_taken_back_only_with_all_of_it_in_reach(self):
        """Undo would open its students to the adult before."""
        own = self.at_first(self.teacher)[:2]
        key = self.group(own, "teacher")
        act = self.teacher.patch(f"/api/groups/{key}", json={"focus": "y"}).json()["act"]
        hidden = [one for one in self.at_first(self.coach, grade="4") if one not in self.at_first(self.teacher)][:1]
        self.coach.patch(f"/api/groups/{key}", json={"add": hidden})
        self.same(self.teacher.post(f"/api/acts/{act}/undo"), self.teacher.post("/api/acts/999999/undo"))
        self.assertNotIn(act, [one["id"] for one in self.teacher.get("/api/acts").json()])

    def test_a_name_tells_nothing_of_a_group_one_does_not_know(self):
        """Taken by another person's group: it can be had all the same. One's own name twice cannot."""
        taken = next(g["name"] for g in self.coach.get("/api/groups").json() if g["name"] == "Deep water readers")
        body = {**GROUP, "name": taken, "students": self.at_first(self.teacher)[:1]}
        made = self.teacher.post("/api/groups", json=body)
        self.assertEqual(made.status_code, 201)
        self.addCleanup(self.drop, made.json()["id"])
        self.assertEqual(self.teacher.post("/api/groups", json=body).status_code, 409)
        # In a breakdown by group the two of one name are one unit, which holds the members of both.
        both = {m["student_id"] for g in self.coach.get("/api/groups").json() if g["name"] == taken
                for m in g["members"]}  # fmt: skip
        rows = self.coach.get("/api/compare", params={**SCOPE, "by": "group"}).json()["by"]
        unit = next(row for row in rows if row["value"] == taken)
        with_both = set(self.at_first(self.coach)) & both
        self.assertEqual(unit["counts"]["matched"], len(with_both))

    def test_names_that_cannot_be_seen_or_break_a_line(self):
        """Refused with the field; what is kept already leaves a file on one line and as no formula."""
        student = self.at_first(self.teacher)[:1]
        for name in ("a\nb", "=1+1\r\n=2", "a\x00b", "a\tb", "a\u2028b", "\x1b[31m"):
            for field in ("name", "focus"):
                body = {**GROUP, "name": "plain", "students": student, field: name}
                answer = self.teacher.post("/api/groups", json=body)
                self.assertEqual((answer.status_code, field in answer.json()["message"]), (422, True), name)
        view = {"name": "a\nb", "step": "compare", "query": "grade=4"}
        self.assertEqual(self.teacher.post("/api/views", json=view).status_code, 422)
        key = self.group(student, "teacher", name="Readers\r\n=cmd()")
        for path in ("compare.csv", "drill-down.csv"):
            lines = self.coach.get(f"/api/{path}", params={**SCOPE, "group": key}).text.splitlines()
            self.assertIn("Readers =cmd()", lines[-1])
            self.assertFalse([line for line in lines if line.lstrip('\ufeff" ').startswith(("=", "+", "@"))])


class Measures(OnCopy):
    def test_an_aide_sees_each_student_in_the_group_s_measure_only(self):
        """Two groups in two subjects: each student's card holds the one."""
        first, second = self.at_first(self.coach, grade="4")[:2]
        self.group([first], "aide", subject="reading")
        self.group([second], "aide", subject="mathematics")
        for student, subject in ((first, "reading"), (second, "mathematics")):
            results = self.aide.get(f"/api/students/{student}").json()["results"]
            self.assertEqual({one["subject"] for one in results}, {subject})
        self.assertIn(first, self.students(self.aide))
        self.assertNotIn(second, self.students(self.aide))
        seen = {row["student_id"] for row in self.aide.get("/api/drill-down", params=MATHS).json()["rows"]}
        self.assertEqual(second in seen, True)
        self.assertNotIn(first, seen)


class Exports(OnCopy):
    """Whole, since an interventionist must see more students than a caseload holds."""

    district = staticmethod(stage.demo_copy)

    def test_an_interventionist_takes_out_own_groups_only(self):
        """Not the members of others' groups, though those are in reach and shown."""
        others = [g for g in self.specialist.get("/api/groups").json() if g["adult_id"] != self.people["specialist"]]
        inside = self.at_first(self.specialist)[:3]
        key = self.group(inside, "teacher")
        own = {m["student_id"] for g in self.specialist.get("/api/groups").json()
               if g["adult_id"] == self.people["specialist"] for m in g["members"]}  # fmt: skip
        for group in [*others, self.specialist.get(f"/api/groups/{key}").json()]:
            lines = self.specialist.get(f"/api/groups/{group['id']}/members.csv").text.splitlines()[1:]
            self.assertLessEqual({line.split(",")[5] for line in lines if line}, own)

    def test_a_grade_cannot_be_taken_out_by_way_of_a_group(self):
        """Whom one put into own groups counts up to a caseload, in one group or in many, today or all month."""
        led = {m["student_id"] for g in self.coach.get("/api/groups").json()
               if g["adult_id"] == self.people["specialist"] for m in g["members"]}  # fmt: skip
        grade = [one for one in self.at_first(self.specialist) if one not in led]
        self.assertGreater(len(grade), kept.CASELOAD + 20)
        small = {**GROUP, "name": "Few", "adult_id": self.people["specialist"], "students": grade[:10]}
        made = self.specialist.post("/api/groups", json=small).json()
        self.addCleanup(self.drop, made["id"])

        def taken():
            text_ = self.specialist.get(f"/api/groups/{made['id']}/members.csv").text
            return sum(",SR" in line for line in text_.splitlines())

        self.assertEqual(taken(), 10)
        many = {**small, "name": "Many", "students": grade[10 : kept.CASELOAD + 20]}
        more = self.specialist.post("/api/groups", json=many).json()
        self.addCleanup(self.drop, more["id"])
        self.assertEqual(taken(), 0)
        self.specialist.patch(f"/api/groups/{more['id']}", json={"remove": grade[10 : kept.CASELOAD + 20]})
        self.assertEqual(taken(), 0)

    def test_every_export_is_in_the_log(self):
        """Who, what, in which form and how many students; a lead sees those of the own school, others none."""
        shown = len(self.at_first(self.teacher))
        self.teacher.get("/api/drill-down.csv", params=SCOPE)
        self.teacher.get("/api/compare.xlsx", params=SCOPE)
        self.coach.get("/api/tables/oneroster.zip")
        lines = self.coach.get("/api/logs/exports").json()
        name = self.teacher.get("/api/me").json()["name"]
        self.assertEqual([(line["form"], line["students"]) for line in lines[1:3]], [("xlsx", None), ("csv", shown)])
        self.assertEqual({line["by"] for line in lines[1:3]}, {name})
        self.assertIn("Saltgauge Reading for my students", lines[2]["what"])
        school = self.lead.get("/api/me").json()["school"]
        with self.store.reading() as session:
            mine = set(session.scalars(text("SELECT p.name FROM person p JOIN school s ON s.id = p.school_id"
                                            " WHERE s.name = :s"), {"s": school}))  # fmt: skip
        self.assertLessEqual({line["by"] for line in self.lead.get("/api/logs/exports").json()}, mine)
        self.assertEqual(self.teacher.get("/api/logs/exports").status_code, 403)

    def test_who_opened_whom(self):
        """A line for each time, the latest first; a lead sees students in reach only; pages follow each other."""
        student = self.at_first(self.teacher)[0]
        for _ in range(3):
            self.teacher.get(f"/api/students/{student}")
        lines = self.coach.get("/api/logs/views").json()
        self.assertEqual([line["student_id"] for line in lines[:3]], [student] * 3)
        self.assertEqual(self.coach.get("/api/logs/views", params={"before": lines[0]["id"]}).json(), lines[1:])
        reach = set(self.students(self.lead))
        self.assertLessEqual({one["student_id"] for one in self.lead.get("/api/logs/views").json()}, reach)

    def test_the_logs_only_grow(self):
        """Also for the application's own account, and whichever way the line was written."""
        store, _ = stage.fresh()
        store.engine.dispose()
        migrated, _ = stage._database()
        migrated.migrate()
        with migrated.noting() as session:
            session.add(Person(name="P", role="coach"))
            session.add(Student(student_id="s"))
            session.flush()
            at = {"person_id": 1, "at": "2027-02-12 10:00:00"}
            session.execute(ExportLog.__table__.insert().values(**at, what="x", form="csv", students=1))
            session.execute(ViewLog.__table__.insert().values(**at, student="s"))
            page = {"audience": "family", "sections": "growth", "language": "en", "form": "pdf", "sha256": "0"}
            session.execute(PageLog.__table__.insert().values(**at, student="s", **page))
            session.execute(PageHanded.__table__.insert().values(**at, page_log_id=1, to="x"))
        for statement in (
            "UPDATE view_log SET person_id = 1", "DELETE FROM view_log", "DELETE FROM export_log",
            "UPDATE export_log SET students = 0", "UPDATE page_log SET audience = 'x'", "DELETE FROM page_log",
            "UPDATE page_handed SET `to` = 'y'", "DELETE FROM page_handed",
        ):  # fmt: skip
            with self.assertRaisesRegex(DBAPIError, "only added"), migrated.noting() as session:
                session.execute(text(statement))


class Targets(OnCopy):
    def target(self, client, section):
        found = client.get("/api/growth", params={**SCOPE, "section": section}).json()["target"]
        return found["share"] if found else None

    def set(self, client, section, share):
        asked = {**SCOPE, "section": section}
        return client.put("/api/goals/target", params=asked, json={"share": share}).status_code

    def test_a_class_keeps_its_target_under_another_name_and_lends_it_to_nobody(self):
        """Renamed it has it still; a class of the old name, at another school too, has none of it."""
        self.assertEqual(self.set(self.coach, "4 Curlew", 0.61), 200)
        self.assertEqual(self.target(self.teacher, "4 Curlew"), 0.61)
        rename = text("UPDATE section SET name = :new WHERE name = :old AND school_year_id ="
                      " (SELECT id FROM school_year WHERE name = '2026-27')")  # fmt: skip
        with self.store.writing(scores=True) as session:
            session.execute(rename, {"old": "4 Curlew", "new": "4 Oystercatcher"})
        self.assertEqual(self.target(self.coach, "4 Oystercatcher"), 0.61)
        with self.store.writing(scores=True) as session:
            session.execute(rename, {"old": "4 Avocet", "new": "4 Curlew"})
        self.assertIsNone(self.target(self.coach, "4 Curlew"))
        self.assertEqual(self.set(self.teacher, "4 Oystercatcher", None), 200)
        self.assertIsNone(self.target(self.coach, "4 Oystercatcher"))

    def test_a_target_of_an_earlier_bodkin_is_found_and_moves_to_the_class(self):
        """It was kept under the class's name; set anew it is kept under the class, and there is one, not two."""
        with self.store.writing(scores=False) as session:
            session.execute(text("INSERT INTO growth_target (assessment_id, who, share) VALUES ((SELECT id FROM"
                                 " assessment WHERE name = 'Saltgauge' AND subject = 'reading'), :who, 0.42)"),
                            {"who": "class 5 Dunlin, 2026-27"})  # fmt: skip
        self.assertEqual(self.target(self.coach, "5 Dunlin"), 0.42)
        self.assertEqual(self.set(self.coach, "5 Dunlin", 0.5), 200)
        with self.store.reading() as session:
            kept_now = session.scalars(text("SELECT who FROM growth_target")).all()
        self.assertEqual(len(kept_now), 1)
        self.assertNotIn("Dunlin", kept_now[0])


class Alike(OnCopy):
    def test_a_result_and_a_student_outside_reach_answer_alike(self):
        """And like those that are not there; so does a retest."""
        check = self.coach.get("/api/check", params=SCOPE).json()
        reach = set(self.students(self.lead))
        hidden = next(one["result_id"] for one in check["doubts"] if one["student_id"] not in reach)
        body = {"act": "keep", "result_id": hidden, "why": "x"}
        self.same(
            self.lead.post("/api/check/decisions", json=body),
            self.lead.post("/api/check/decisions", json={**body, "result_id": 2_000_000_000}),
        )
        whose = next(one["student_id"] for one in check["doubts"] if one["result_id"] == hidden)
        measure = {"assessment": "Saltgauge", "subject": "reading", "window": SCOPE["to_window"]}
        retest = {"student_id": whose, **measure, "why": "x"}
        made = self.coach.post("/api/check/retests", json=retest)
        self.assertEqual(made.status_code, 200)
        with self.store.reading() as session:
            key = session.scalar(text("SELECT MAX(id) FROM retest_request"))
        for client in (self.lead, self.teacher):
            self.same(client.post(f"/api/check/retests/{key}/done"), client.post("/api/check/retests/2000000000/done"))

    def test_own_old_acts_do_not_name_a_child_who_has_left(self):
        """Neither in the list of acts nor on Home; nor can they be taken back."""
        student = self.at_first(self.teacher)[0]
        reason = {"student_id": student, "window": SCOPE["to_window"], "reason": "ill"}
        act = self.teacher.post("/api/check/reasons", json=reason).json()
        self.assertIn(act["id"], [one["id"] for one in self.teacher.get("/api/acts").json()])
        with mock.patch("bodkin.api.context.students_in_reach", lambda *_: frozenset({"SR99999"})):
            self.assertNotIn(act["id"], [one["id"] for one in self.teacher.get("/api/acts").json()])
            home = self.teacher.get("/api/home", params={**SCOPE, "since": "2020-01-01T00:00:00"}).json()
            self.assertNotIn(act["said"], str(home))
            self.same(self.teacher.post(f"/api/acts/{act['id']}/undo"), self.teacher.post("/api/acts/2000000000/undo"))
        self.assertEqual(self.teacher.post(f"/api/acts/{act['id']}/undo").status_code, 200)

    def test_moments_and_places_at_the_ends_of_what_there_is(self):
        """Refused or answered, never 500."""
        for since in ("0001-01-01T00:00:00+14:00", "9999-12-31T23:59:59-12:00", "0001-01-01T00:00:00"):
            self.assertIn(self.coach.get("/api/home", params={**SCOPE, "since": since}).status_code, (200, 422))
        for start in (10**7, 10**9, 10**18, 10**30, -1):
            for path in ("growth/rows", "compare/history"):
                answer = self.coach.get(f"/api/{path}", params={**SCOPE, "start": start})
                self.assertIn(answer.status_code, (200, 422), (path, start))


class Elsewhere(OnCopy):
    def test_nothing_on_this_machine_is_fetched_from(self):
        """Open ports, closed ports and names that do not exist answer alike."""
        settings = stage.settings()
        port = settings.database_url.split("@127.0.0.1:")[1].split("/")[0]
        said = set()
        for at, address in enumerate((
            f"http://127.0.0.1:{port}/", "http://127.0.0.1:9/", "http://localhost/", "http://[::1]:80/",
            "http://0.0.0.0/", "http://169.254.169.254/", "http://127.1/", "http://[::ffff:127.0.0.1]/",
            "http://no-such-host.invalid/",
        )):  # fmt: skip
            body = {"name": f"S{at}", "address": address, "client_id": "a", "client_secret": "b"}
            self.assertEqual(self.coach.post("/api/sources", json=body).status_code, 201)
            key = next(one["id"] for one in self.coach.get("/api/sources").json() if one["name"] == f"S{at}")
            answer = self.coach.post(f"/api/sources/{key}/fetch")
            said.add((answer.status_code, answer.json()["message"].replace(address, "ADDRESS")))
            self.coach.delete(f"/api/sources/{key}")
        self.assertEqual(len(said), 1, said)
        self.assertEqual(said.pop()[0], 502)

    def test_the_secret_of_a_service_is_sealed_in_the_database(self):
        """Also one that an earlier Bodkin kept in plain text, from the next start on."""

        body = {
            "name": "Sealed",
            "address": "https://roster.example/",
            "client_id": "a",
            "client_secret": "tide & salt",
        }
        self.assertEqual(self.coach.post("/api/sources", json=body).status_code, 201)
        with self.store.writing(scores=False) as session:
            session.execute(text("INSERT INTO roster_source (name, address, client_id, client_secret) VALUES"
                                 " ('Old', 'https://old.example/', 'a', 'plain & old')"))  # fmt: skip
            seal_secrets(session, stage.settings().vault)
        with self.store.reading() as session:
            rows = dict(session.execute(text("SELECT name, client_secret FROM roster_source")).all())
        vault = stage.settings().vault
        for name, secret in (("Sealed", "tide & salt"), ("Old", "plain & old")):
            self.assertNotIn(secret, rows[name])
            self.assertEqual(vault.open(rows[name]), secret)

    def test_uploads_are_the_owner_s_alone_and_do_not_stay(self):
        """Nobody else of the machine reads them; after a day they are gone without anybody asking."""
        settings = stage.settings()
        content = b"student_id,assessment\nx,y\n"
        self.coach.post("/api/imports/preview", files={"file": ("scores.csv", b"norms\n" + content)})
        folder = settings.folder / "uploads"
        self.assertEqual(folder.stat().st_mode & 0o077, 0)
        kept_file = drafts._folder(mock.Mock(runtime=mock.Mock(settings=settings))) / "9-x-old.csv"
        drafts._write(kept_file, content)
        self.assertEqual(kept_file.stat().st_mode & 0o077, 0)
        drafts.drop_old(settings)
        self.assertTrue(kept_file.exists())
        with mock.patch.object(drafts, "KEPT_SECONDS", -1):
            drafts.drop_old(settings)
        self.assertFalse(kept_file.exists())
