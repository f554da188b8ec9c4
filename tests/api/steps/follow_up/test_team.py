"""Team meetings over the demo: the list from the rules, decisions with evidence, what was done, reach, undo."""

import unittest

from tests.api.application import SCOPE, signed_in
from tests.api.steps.follow_up.test_practice import ask, kept, undo

TEAM = "/api/follow-up/team"
TABLES = ("team_meeting", "meeting_student", "decision")


def post(path, body, login="coach", **query):
    return signed_in(login).post(f"{TEAM}/{path}", json=body, params=query)


class Meetings(unittest.TestCase):
    def setUp(self):
        self.before = kept(*TABLES)
        self.acts = []

    def tearDown(self):
        for act, login in reversed(self.acts):
            self.assertEqual(undo(act, login).status_code, 200)
        self.assertEqual(kept(*TABLES), self.before)

    def done(self, path, body, login="coach", **query):
        found = post(path, body, login, **query)
        self.assertEqual(found.status_code, 201, found.text)
        self.acts.append((found.json()["act"], login))
        return found.json()

    def decide(self, student, kind, login="coach", **more):
        return self.done("decisions", {"student_id": student, "kind": kind, **more}, login, **SCOPE)

    def test_the_list_fills_from_the_rules(self):
        """Everybody with a confirmed word of the rule, too little help, an exit rule met, a review that is due."""
        found = {one["student_id"]: one["reasons"] for one in ask("team/suggested")}
        for group in ask("groups"):
            for one in ask(f"groups/{group['id']}")["students"]:
                if one["confirmed"]:
                    self.assertIn(one["student_id"], found)
        said = [reason for reasons in found.values() for reason in reasons]
        words_of = (
            "says change the help",
            "the goal could be higher",
            "of the planned minutes",
            "review due",
            "exit rule",
        )
        for words in words_of:
            self.assertTrue(any(words in reason for reason in said), words)
        later = {one["student_id"]: one["reasons"] for one in ask("team/suggested", on="2027-01-04")}
        self.assertFalse(any("review due" in reason for reasons in later.values() for reason in reasons))

    def test_a_meeting_over_five_students(self):
        """Kept with its list in order; each decision shows there; a second one replaces the first; taken off again."""
        five = [one["student_id"] for one in ask("team/suggested")[:5]]
        meeting = self.done(
            "meetings", {"day": "2027-02-12", "name": "Reading", "students": dict.fromkeys(five, "why")}
        )
        key = meeting["key"]
        for student in five:
            self.decide(student, "stay", meeting_id=key, who="Caio", review_on="2027-03-26")
        seen = ask(f"team/meetings/{key}")
        self.assertEqual([one["student_id"] for one in seen["students"]], five)
        self.assertEqual((seen["decided"], seen["students"][0]["decided"]), (5, "Stay with the help"))
        self.decide(five[0], "other", meeting_id=key, text="See the school doctor")
        again = ask(f"team/meetings/{key}")
        self.assertEqual(
            (again["decided"], again["students"][0]["decided"]), (5, "Something else: See the school doctor")
        )
        more = [one["student_id"] for one in ask("team/suggested") if one["student_id"] not in five][:2]
        self.done(f"meetings/{key}/students", {"students": dict.fromkeys([*more, five[0]], "asked")})
        gone = signed_in("coach").delete(f"{TEAM}/meetings/{key}/students/{more[1]}")
        self.acts.append((gone.json()["act"], "coach"))
        listed = [one["student_id"] for one in ask(f"team/meetings/{key}")["students"]]
        self.assertEqual(listed, [*five, more[0]])

    def test_the_evidence_stays_as_it_was(self):
        """What the figures said on the day of the decision; the trend of today begins anew after it."""
        student = ask("groups/2")["students"][0]
        before = ask(f"team/students/{student['student_id']}")
        made = self.decide(student["student_id"], "change", group_id=2, text="Fewer texts, read twice")
        after = ask(f"team/students/{student['student_id']}")
        self.assertEqual(after["decided"][0]["words"], "Change the help: Fewer texts, read twice")
        self.assertEqual(ask(f"team/decisions/{made['key']}"), before["evidence"])
        now = after["evidence"]["groups"][0]["series"]
        self.assertEqual((now["n"], now["act"]), (0, "none"))
        self.assertRegex(now["said"], "counted since the change on Feb 12, 2027")
        self.assertEqual(now["marks"][-1]["words"], "Fewer texts, read twice")

    def test_whether_it_was_done(self):
        """Said once, changed, taken back; a review that is due leaves the list where a newer decision stands."""
        student = next(iter(ask("team/meetings")[0]["students"]))["student_id"]
        # Tests of the browser decide about the same students; theirs are not done.
        old = next(one for one in ask(f"team/students/{student}")["decided"] if one["done"])
        for done in (False, None):
            found = post(f"decisions/{old['id']}/done", {"done": done})
            self.assertEqual(found.status_code, 200, found.text)
            self.acts.append((found.json()["act"], "coach"))
        due = next(one for one in ask("team/suggested") if any("review due" in why for why in one["reasons"]))
        self.decide(due["student_id"], "stay", review_on="2027-06-01")
        reasons = {one["student_id"]: one["reasons"] for one in ask("team/suggested")}
        self.assertFalse(any("review due" in why for why in reasons.get(due["student_id"], [])))

    def test_who_may_know_of_it(self):
        """An interventionist sees what is about students in reach; a meeting about nobody in reach does not exist."""
        others = [one["student_id"] for one in ask("practice", grade="2", count=10_000)["students"]]
        mine = {one["student_id"] for one in ask("practice", "specialist", count=10_000)["students"]}
        outside = next(one for one in others if one not in mine)
        key = self.done("meetings", {"day": "2027-02-12", "name": "Others", "students": {outside: "x"}})["key"]
        made = self.decide(outside, "stay", meeting_id=key)
        client = signed_in("specialist")
        for path in (f"meetings/{key}", f"decisions/{made['key']}", f"students/{outside}"):
            self.assertEqual(client.get(f"{TEAM}/{path}", params=SCOPE).status_code, 404, path)
        self.assertNotIn(key, [one["id"] for one in ask("team/meetings", "specialist")])
        body = {"student_id": outside, "kind": "stay"}
        self.assertEqual(post("decisions", body, "specialist", **SCOPE).status_code, 404)
        own = ask("team/suggested", "specialist")
        self.assertTrue(own)
        self.decide(own[0]["student_id"], "stay", "specialist")

    def test_what_cannot_be_is_refused(self):
        """A review in the past, something else without words, a group of others, no such meeting or kind."""
        student = ask("team/suggested")[0]["student_id"]
        for more, status in (
            ({"review_on": "2027-02-12"}, 422), ({"kind": "other"}, 422), ({"kind": "stop"}, 422),
            ({"meeting_id": 999}, 404), ({"group_id": 999}, 404), ({"group_id": 1}, 422),
            ({"student_id": "nobody"}, 404),
        ):  # fmt: skip
            body = {"student_id": student, "kind": "stay", **more}
            self.assertEqual(post("decisions", body, **SCOPE).status_code, status, more)
        self.assertEqual(post("meetings", {"day": "2027-02-12", "name": " "}).status_code, 422)
        self.assertEqual(post("decisions/999/done", {"done": True}).status_code, 404)
