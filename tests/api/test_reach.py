"""Whom one may see: outside one's reach nothing exists, and the answer is that of an unknown id."""

import unittest

from sqlalchemy import select

from bodkin.api.context import Context
from bodkin.store.reads.people import adults, by_key
from bodkin.store.tables import Person, Student
from tests.api.application import SCOPE, application, nobody, signed_in
from tests.support import stage


def other_class_students(n=3):
    """Students whom the demo's teacher does not teach, but the coach knows."""
    rows = signed_in("coach").get("/api/growth", params={**SCOPE, "section": "4 Dunlin", "count": 5000}).json()["rows"]
    return [row["student_id"] for row in rows[:n]]


class OutsideReach(unittest.TestCase):
    def same(self, ours, unknown):
        """Status, body and type of an answer do not tell the two apart."""
        self.assertEqual(
            (ours.status_code, ours.content, ours.headers["content-type"]),
            (unknown.status_code, unknown.content, unknown.headers["content-type"]),
        )

    def test_another_class_s_student(self):
        """By the student's page and by a scope that names the student."""
        teacher = signed_in("teacher")
        student = other_class_students(1)[0]
        self.assertEqual(signed_in("coach").get(f"/api/students/{student}").status_code, 200)
        self.same(teacher.get(f"/api/students/{student}"), teacher.get("/api/students/SR99999"))
        for route in ("growth", "compare", "drill-down", "drill-down.csv", "compare.csv", "scope/rail"):
            with self.subTest(route=route):
                self.same(
                    teacher.get(f"/api/{route}", params={**SCOPE, "student": student}),
                    teacher.get(f"/api/{route}", params={**SCOPE, "student": "SR99999"}),
                )

    def test_another_class_as_a_filter(self):
        """A class outside reach holds nobody, as a class that does not exist."""
        teacher = signed_in("teacher")
        for name in ("4 Dunlin", "4 Nowhere"):
            answer = teacher.get("/api/growth", params={**SCOPE, "section": name}).json()
            self.assertEqual((answer["rows"], answer["covered"], answer["left_out"]), ([], 0, []))

    def test_another_s_group_and_its_export(self):
        """Seen, changed, exported or used as a filter: as a number that is not there."""
        teacher, coach = signed_in("teacher"), signed_in("coach")
        group = next(g["id"] for g in coach.get("/api/groups").json() if g["name"] == "Deep water readers")
        for ask in (
            lambda key: teacher.get(f"/api/groups/{key}"),
            lambda key: teacher.get(f"/api/groups/{key}/members.csv"),
            lambda key: teacher.patch(f"/api/groups/{key}", json={"name": "mine"}),
            lambda key: teacher.get("/api/growth", params={**SCOPE, "group": key}),
            lambda key: teacher.get("/api/drill-down.csv", params={**SCOPE, "group": key}),
        ):
            self.same(ask(group), ask(999999))
            self.assertEqual(ask(group).status_code, 404)
        self.assertNotIn(group, [g["id"] for g in teacher.get("/api/groups").json()])

    def test_a_group_cannot_be_made_of_others_students(self):
        """The refusal is that of an unknown student, and no group is there afterwards."""
        teacher = signed_in("teacher")
        body = {"name": "Not mine", "focus": "x", "first_day": "2027-02-12", "last_day": "2027-03-12"}
        ours = teacher.post("/api/groups", json={**body, "students": other_class_students()})
        self.same(ours, teacher.post("/api/groups", json={**body, "students": ["SR99999"]}))
        self.assertEqual(ours.status_code, 404)
        self.assertNotIn("Not mine", [g["name"] for g in signed_in("coach").get("/api/groups").json()])

    def test_another_class_s_target_does_not_exist(self):
        """Neither read nor set nor taken away; that of a class that is not there answers alike; the own one works."""
        teacher, coach = signed_in("teacher"), signed_in("coach")
        theirs, nobodys = {**SCOPE, "section": "4 Avocet"}, {**SCOPE, "section": "4 Unicorn"}
        self.assertEqual(coach.put("/api/goals/target", params=theirs, json={"share": 0.61}).status_code, 200)
        try:
            for share in (0.3, None):
                ours = teacher.put("/api/goals/target", params=theirs, json={"share": share})
                self.same(ours, teacher.put("/api/goals/target", params=nobodys, json={"share": share}))
                self.assertGreaterEqual(ours.status_code, 400)
            self.assertIsNone(teacher.get("/api/growth", params=theirs).json()["target"])
            self.assertEqual(coach.get("/api/growth", params=theirs).json()["target"]["share"], 0.61)
            both = {**SCOPE, "section": ["4 Avocet", "4 Curlew"]}
            self.assertGreaterEqual(teacher.put("/api/goals/target", params=both, json={"share": 0.3}).status_code, 400)
        finally:
            coach.put("/api/goals/target", params=theirs, json={"share": None})
        own = {**SCOPE, "section": "4 Curlew"}
        self.assertEqual(teacher.put("/api/goals/target", params=own, json={"share": 0.55}).status_code, 200)
        self.assertEqual(teacher.get("/api/growth", params=own).json()["target"]["share"], 0.55)
        self.assertEqual(teacher.put("/api/goals/target", params=own, json={"share": None}).status_code, 200)

    def test_the_interface_s_description_is_not_served(self):
        """Neither to nobody nor to somebody."""
        for client in (nobody(), signed_in("coach")):
            self.assertEqual(client.get("/api/openapi.json").status_code, 404)

    def test_search_and_choices_hold_only_ones_own(self):
        """A teacher finds and is offered only the own class."""
        teacher = signed_in("teacher")
        choices = teacher.get("/api/scope/choices", params={**SCOPE, "year": "2026-27"}).json()
        self.assertEqual(choices["section"], ["4 Curlew"])
        with stage.demo().reading() as session:
            name = session.scalar(select(Student.family_name).where(Student.student_id == other_class_students(1)[0]))
        found = {row["student_id"] for row in teacher.get("/api/students", params={"q": name}).json()}
        self.assertFalse(found & set(other_class_students(30)))
        known = {row["student_id"] for row in signed_in("coach").get("/api/students", params={"q": name}).json()}
        self.assertTrue(known - found)

    def test_an_aide_sees_the_group_s_measure_only(self):
        """Reading of the own group; mathematics, and everybody else, do not exist."""
        aide = signed_in("aide")
        self.assertEqual(aide.get("/api/growth", params=SCOPE).json()["covered"], 10)
        self.assertEqual(aide.get("/api/growth", params={**SCOPE, "subject": "mathematics"}).json()["covered"], 0)
        self.assertEqual([m["subject"] for m in aide.get("/api/scope/choices").json()["measures"]], ["reading"])
        student = aide.get("/api/growth", params={**SCOPE, "count": 5000}).json()["rows"][0]["student_id"]
        self.assertEqual({r["subject"] for r in aide.get(f"/api/students/{student}").json()["results"]}, {"reading"})

    def test_an_aide_sees_nobody_s_programs(self):
        """Not in rows, choices, a breakdown or a filter, not even just after a coach asked the same."""
        aide, coach = signed_in("aide"), signed_in("coach")
        group = next(g["id"] for g in coach.get("/api/groups").json() if g["name"] == "Osier word workshop")
        theirs = coach.get("/api/growth", params={**SCOPE, "group": group, "count": 5000}).json()["rows"]
        self.assertTrue(any(row["programs"] for row in theirs))
        rows = aide.get("/api/growth", params={**SCOPE, "group": group, "count": 5000}).json()["rows"]
        self.assertEqual({row["student_id"] for row in rows}, {row["student_id"] for row in theirs})
        self.assertFalse(any(row["programs"] for row in rows))
        self.assertEqual(aide.get("/api/scope/choices").json()["program"], [])
        by = aide.get("/api/compare", params={**SCOPE, "by": "program"}).json()["by"]
        self.assertEqual([row["value"] for row in by], ["none"])
        self.assertEqual(aide.get(f"/api/students/{rows[0]['student_id']}").json()["programs"], [])

    def test_an_interventionist_takes_out_the_own_groups_only(self):
        """The assigned grade is seen, but its names leave in no file."""
        specialist = signed_in("specialist")
        seen = {
            r["student_id"]
            for r in specialist.get("/api/growth", params={**SCOPE, "grade": "3", "count": 5000}).json()["rows"]
        }
        text = specialist.get("/api/drill-down.csv", params={**SCOPE, "grade": "3"}).text
        out = {line.split(",")[0] for line in text.splitlines() if line.startswith("SR")}
        groups = [g for g in specialist.get("/api/groups").json() if g["adult"] == "Caio Valadao"]
        own = {m["student_id"] for g in groups for m in g["members"]}
        self.assertEqual(out, seen & own)
        self.assertGreater(len(seen), len(out))


class Groups(unittest.TestCase):
    def test_made_seen_changed_exported_and_used_as_a_filter(self):
        """The whole life of a group in a teacher's hands."""
        teacher = signed_in("teacher")
        students = [
            row["student_id"] for row in teacher.get("/api/growth", params={**SCOPE, "count": 5000}).json()["rows"]
        ]
        body = {
            "name": "Reading, Tuesdays", "focus": "Story structure", "assessment": "Saltgauge", "subject": "reading",
            "first_day": "2027-02-15", "last_day": "2027-04-01", "students": students[:5],
        }  # fmt: skip
        made = teacher.post("/api/groups", json=body)
        self.assertEqual(made.status_code, 201, made.text)
        key = made.json()["id"]
        self.assertEqual({m["student_id"] for m in made.json()["members"]}, set(students[:5]))
        self.assertEqual(teacher.post("/api/groups", json=body).status_code, 409)
        changed = teacher.patch(f"/api/groups/{key}", json={"add": [students[6]], "remove": [students[0]]}).json()
        now = {*students[1:5], students[6]}
        self.assertEqual({m["student_id"] for m in changed["members"]}, now)
        shown = teacher.get("/api/growth", params={**SCOPE, "group": key}).json()
        self.assertEqual({row["student_id"] for row in shown["rows"]}, now)
        self.assertIn("Reading, Tuesdays", shown["caption"])
        export = teacher.get(f"/api/groups/{key}/members.csv").text
        self.assertTrue(export.startswith("\ufeff"))
        self.assertEqual({line.split(",")[-2] for line in export.splitlines()[1:]}, now)
        for wrong, word in (({"last_day": "2027-01-01"}, "last_day"), ({"name": ""}, "name"), ({"x": 1}, "x")):
            refused = teacher.patch(f"/api/groups/{key}", json=wrong)
            self.assertEqual(refused.status_code, 422)
            self.assertIn(word, refused.json()["message"])

    def test_an_interventionist_changes_the_own_groups_and_knows_no_other(self):
        """The group led is changeable; another adult's group of other students is not there."""
        groups = {g["name"]: g for g in signed_in("specialist").get("/api/groups").json()}
        self.assertTrue(groups["Tide pool readers"]["may_change"])
        self.assertNotIn("Osier word workshop", groups)

    def test_a_lead_changes_a_group_only_if_all_of_it_is_of_the_own_school(self):
        """A group across two schools is seen with the own students only, and cannot be changed."""
        coach, lead = signed_in("coach"), signed_in("lead")
        here, there = (
            coach.get("/api/growth", params={**SCOPE, "school": school, "count": 5000}).json()["rows"][0]["student_id"]
            for school in ("Saltgrass Primary", "Osier Bank Primary")
        )
        body = {"name": "Both banks", "focus": "x", "first_day": "2027-02-15", "last_day": "2027-04-01"}
        made = coach.post("/api/groups", json={**body, "students": [here, there]}).json()["id"]
        seen = lead.get(f"/api/groups/{made}").json()
        self.assertEqual([m["student_id"] for m in seen["members"]], [here])
        self.assertFalse(seen["may_change"])
        self.assertEqual(lead.patch(f"/api/groups/{made}", json={"name": "Mine"}).status_code, 403)
        coach.patch(f"/api/groups/{made}", json={"remove": [there]})
        self.assertEqual(lead.patch(f"/api/groups/{made}", json={"name": "Own bank"}).status_code, 200)


class Aide(unittest.TestCase):
    def test_the_table_of_an_aide_is_made_once(self):
        """The measures of the own groups are picked out once for each state of the data, not once a question."""
        runtime = application().state.runtime
        with runtime.store.reading() as session:
            person = next(by_key(session, key) for key, _, role in adults(session) if role == "aide")
            first = Context(runtime, session, person).table
            again = Context(runtime, session, person).table
        self.assertIs(first, again)
        self.assertEqual(first.view, "no programs")


class SignIn(unittest.TestCase):
    def test_wrong_password_and_unknown_login_answer_alike(self):
        """And after too many tries one has to wait."""
        client = nobody()
        ours = client.post("/api/sign-in", json={"login": "coach", "password": "wrong"})
        unknown = client.post("/api/sign-in", json={"login": "noone", "password": "wrong"})
        self.assertEqual((ours.status_code, ours.content), (unknown.status_code, unknown.content))
        for _ in range(8):
            last = client.post("/api/sign-in", json={"login": "noone", "password": "wrong"})
        self.assertIn("Too many tries", last.json()["message"])

    def test_the_cookie_is_closed_to_scripts_and_other_sites(self):
        """HttpOnly, SameSite=strict, and an end."""
        client = nobody()
        answer = client.post("/api/sign-in", json={"login": "lead", "password": "tideline-demo"})
        cookie = answer.headers["set-cookie"].lower()
        for word in ("httponly", "samesite=strict", "max-age="):
            self.assertIn(word, cookie)

    def test_a_person_whose_login_is_taken_away_is_out_at_once(self):
        """The session names a person; whether that person may still sign in is asked each time."""
        client = nobody()
        with stage.demo().writing(scores=False) as session:
            kept = session.scalar(select(Person).where(Person.login == "lead"))
            key = kept.id
        client.post("/api/sign-in", json={"login": "lead", "password": "tideline-demo"})
        self.assertEqual(client.get("/api/me").status_code, 200)
        with stage.demo().writing(scores=False) as session:
            session.get(Person, key).login = None
        try:
            self.assertEqual(client.get("/api/me").status_code, 401)
        finally:
            with stage.demo().writing(scores=False) as session:
                session.get(Person, key).login = "lead"
