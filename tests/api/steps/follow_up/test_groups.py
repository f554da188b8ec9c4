"""Follow-up over the demo: the planted stories, sessions entered and taken back, who may see and enter what."""

import unittest
from datetime import date

from tests.api.application import signed_in
from tests.support import stage


def groups(login="coach"):
    return {one["name"]: one for one in signed_in(login).get("/api/follow-up/groups").json()}


def group(key, login="coach", **query):
    return signed_in(login).get(f"/api/follow-up/groups/{key}", params=query)


def tables():
    with stage.demo().reading() as session:
        # By the database's own checksum of every row: to read them all takes a third of a second each time.
        return dict(
            row[:2] for row in session.connection().exec_driver_sql("CHECKSUM TABLE session, attendance, result")
        )


class Stories(unittest.TestCase):
    def test_each_group_has_its_own_reading(self):
        """One works, one does not although the minutes were given, one met half its minutes: its first lines say so."""
        found = groups()
        works, works_not, half = (
            found[name] for name in ("Tide pool readers", "Deep water readers", "Osier word workshop")
        )
        self.assertRegex(works["headline"], r"^\d+ could have a higher goal$")
        self.assertEqual(works_not["headline"], "12 students need other help")
        self.assertNotIn("cannot be said", works_not["lead"])
        self.assertRegex(half["headline"], "need other help")
        self.assertIn("cannot be said whether the help works", half["lead"])
        for one in found.values():
            own = group(one["id"]).json()
            self.assertEqual((one["headline"], one["lead"]), (own["headline"], own["lead"]))
            self.assertEqual(one["due"], sum(bool(series["confirmed"]) for series in own["students"]))
        rail = signed_in("coach").get("/api/scope/rail", params={
            "assessment": "Saltgauge", "subject": "reading", "from_window": "2026-27 fall",
            "to_window": "2026-27 winter"}).json()["steps"]  # fmt: skip
        line = next(step for step in rail if step["name"] == "Follow-up")
        self.assertRegex(line["line"], r"^\d+ need other help, \d+ could aim higher$")

    def test_a_period_holds_only_its_own(self):
        """Four weeks have fewer results, weeks and sessions than the whole; days the wrong way round are refused."""
        key = groups()["Tide pool readers"]["id"]
        whole, part = group(key).json(), group(key, first="2027-01-16", last="2027-02-12").json()
        self.assertLess(part["weeks"], whole["weeks"])
        self.assertLess(len(part["sessions"]), len(whole["sessions"]))
        for one in part["students"]:
            self.assertTrue(all("2027-01-16" <= point["on"] <= "2027-02-12" for point in one["points"]))
        self.assertEqual(group(key, first="2027-02-12", last="2027-01-16").status_code, 422)
        self.assertEqual(group(key, assessment="Ebb", subject="reading").status_code, 404)

    def test_the_tests_own_results_give_a_trend_and_no_rule(self):
        """Between the windows of the adaptive test: few points, no word of the rule."""
        key = groups()["Tide pool readers"]["id"]
        found = group(key, assessment="Saltgauge", subject="reading", first="2026-09-01", last="2027-02-12").json()
        self.assertTrue(found["adaptive"])
        self.assertEqual({one["act"] for one in found["students"]}, {"none"})
        lines = signed_in("coach").get(f"/api/follow-up/groups/{key}/students.csv").text.splitlines()
        self.assertEqual(len(lines) - 1, len(found["students"]))

    def test_who_sees_what(self):
        """An aide the own group without results of other tests; a group that is not one's own does not exist."""
        mine, all_of_them = groups("aide"), groups()
        self.assertEqual(set(mine), {"Osier word workshop"})
        found = group(mine["Osier word workshop"]["id"], "aide").json()
        self.assertEqual({one["assessment"] for one in found["measures"]} - {"Saltgauge"}, set())
        other = group(all_of_them["Tide pool readers"]["id"], "aide")
        unknown = group(999_999, "aide")
        self.assertEqual((other.status_code, other.content), (unknown.status_code, unknown.content))


class Helped(unittest.TestCase):
    WINDOWS = "from_window=2026-27+fall&to_window=2026-27+winter&assessment=Saltgauge&subject=reading"

    def helped(self, name, login="coach"):
        key = groups()[name]["id"]
        return signed_in(login).get(f"/api/follow-up/groups/{key}/helped?{self.WINDOWS}").json()

    def test_the_planted_group_grew_more_than_similar_students(self):
        """By more than half a spread, also beside expected growth; the other does not; start scores are alike after."""
        works, works_not = self.helped("Tide pool readers"), self.helped("Deep water readers")
        self.assertGreater(works["difference"], 0.5)
        self.assertGreater(works["own_mean"], 0.5)
        self.assertLess(works_not["own_mean"], 0)
        for found in (works, works_not):
            self.assertEqual(found["few"], found["matched"] < 10)
            self.assertTrue(found["low"] <= found["difference"] <= found["high"])
            start = next(one for one in found["balance"] if one["what"] == "start")
            self.assertLess(abs(start["after"]), 0.25)
            self.assertRegex(found["lead"], "a hint and not a proof")

    def test_only_students_in_reach_are_compared_with(self):
        """An interventionist's pairs come from own grades: never more of them than a coach has."""
        mine, all_of_them = self.helped("Tide pool readers", "specialist"), self.helped("Tide pool readers")
        self.assertLessEqual(mine["matched"], all_of_them["matched"])
        self.assertEqual(mine["own_mean"], all_of_them["own_mean"])


class Sessions(unittest.TestCase):
    def enter(self, key, body, login="specialist"):
        return signed_in(login).post(f"/api/follow-up/groups/{key}/sessions", json=body)

    def undo(self, kept, login="specialist"):
        self.assertEqual(signed_in(login).post(f"/api/acts/{kept.json()['id']}/undo").status_code, 200)

    def test_a_session_is_kept_entered_anew_and_taken_back(self):
        """Who was away gets 0 minutes; the day entered again replaces it; each undo goes one back."""
        before, key = tables(), groups()["Tide pool readers"]["id"]
        students = [one["student_id"] for one in group(key).json()["students"]]
        day = "2027-02-09"
        first = self.enter(key, {"day": day, "minutes": 25, "away": students[:2]})
        self.assertEqual(first.status_code, 200, first.text)
        self.assertIn("10 of 12 came, 25 minutes", first.json()["said"])
        kept = next(one for one in group(key).json()["sessions"] if one["day"] == day)
        self.assertEqual((kept["came"], kept["away"], kept["minutes"]), (10, 2, 25))
        once = tables()
        again = self.enter(key, {"day": day, "minutes": 0, "note": "fire drill"})
        kept = next(one for one in group(key).json()["sessions"] if one["day"] == day)
        self.assertEqual((kept["held"], kept["note"], kept["came"]), (False, "fire drill", 0))
        self.undo(again)
        self.assertEqual(tables(), once)
        self.undo(first)
        self.assertEqual(tables(), before)

    def test_an_aide_enters_for_the_own_group(self):
        """Entering is an aide's right; another's group does not exist."""
        before, all_of_them = tables(), groups()
        kept = self.enter(all_of_them["Osier word workshop"]["id"], {"day": "2027-02-09", "minutes": 20}, "aide")
        self.assertEqual(kept.status_code, 200, kept.text)
        self.undo(kept, "aide")
        self.assertEqual(tables(), before)
        body = {"day": "2027-02-09", "minutes": 20}
        self.assertEqual(self.enter(all_of_them["Tide pool readers"]["id"], body, "aide").status_code, 404)

    def test_what_cannot_be_is_refused_and_nothing_is_kept(self):
        """A day to come or before the group began, not held without a reason, somebody who is not in the group."""
        before, key = tables(), groups()["Tide pool readers"]["id"]
        tomorrow = date.fromordinal(stage.TODAY.toordinal() + 1).isoformat()
        for body, status in (
            ({"day": tomorrow, "minutes": 30}, 422), ({"day": "2026-09-01", "minutes": 30}, 422),
            ({"day": "2027-02-09", "minutes": 0}, 422), ({"day": "2027-02-09", "minutes": 999}, 422),
            ({"day": "2027-02-09", "minutes": 30, "away": ["nobody"]}, 404),
        ):  # fmt: skip
            self.assertEqual(self.enter(key, body).status_code, status, body)
        self.assertEqual(tables(), before)


PASSAGE = {"assessment": "One-minute passage", "subject": "reading"}


class Weekly(unittest.TestCase):
    def enter(self, key, scores, login="specialist", **more):
        body = PASSAGE | {"day": "2027-02-11", "scores": scores} | more
        return signed_in(login).post(f"/api/follow-up/groups/{key}/results", json=body)

    def test_results_of_a_group_in_one_go(self):
        """Kept with grade and window, seen at once, entered again the score changes; both undone."""
        before, key = tables(), groups()["Tide pool readers"]["id"]
        students = [one["student_id"] for one in group(key).json()["students"]]
        first = self.enter(key, dict.fromkeys(students, 88), sure=True)
        self.assertEqual(first.status_code, 200, first.text)
        self.assertIn("12 results in One-minute passage", first.json()["said"])
        now = group(key).json()["students"]
        for one in now:
            self.assertIn({"on": "2027-02-11", "score": 88.0}, one["points"])
        again = self.enter(key, {students[0]: 90}, sure=True)
        one = next(one for one in group(key).json()["students"] if one["student_id"] == students[0])
        self.assertIn({"on": "2027-02-11", "score": 90.0}, one["points"])
        for kept in (again, first):
            self.assertEqual(signed_in("specialist").post(f"/api/acts/{kept.json()['id']}/undo").status_code, 200)
        self.assertEqual(tables(), before)

    def test_a_wild_value_asks_and_keeps_nothing(self):
        """Three times the usual is named with what is usual; sure, it is kept."""
        before, key = tables(), groups()["Tide pool readers"]["id"]
        one = group(key).json()["students"][0]
        usual = sorted(point["score"] for point in one["points"] if point["on"] < "2027-02-11")
        asked = self.enter(key, {one["student_id"]: 3 * one["last_score"]}).json()
        self.assertIsNone(asked["id"])
        self.assertEqual([wild["student_id"] for wild in asked["wild"]], [one["student_id"]])
        self.assertTrue(usual[0] <= asked["wild"][0]["usual"] <= usual[-1])
        self.assertEqual(tables(), before)

    def test_what_cannot_be_is_refused(self):
        """A test that is no probe, a day to come, a student of another group, a negative score."""
        before, key = tables(), groups()["Tide pool readers"]["id"]
        student = group(key).json()["students"][0]["student_id"]
        for scores, more, status in (
            ({student: 500}, {"assessment": "Saltgauge", "sure": True}, 422),
            ({student: 5}, {"day": "2027-06-01"}, 422),
            ({"nobody": 5}, {}, 404), ({student: -1}, {}, 422), ({}, {}, 422),
        ):  # fmt: skip
            self.assertEqual(self.enter(key, scores, **more).status_code, status, (scores, more))
        self.assertEqual(tables(), before)
