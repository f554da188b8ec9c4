"""Practice, help given, two measures and words of a day over the demo: what is planted, who sees it, undo."""

import unittest

from tests.api.application import SCOPE, signed_in
from tests.support import stage

YEAR = {"first": "2026-08-24", "last": "2027-02-12"}
FOLLOW = "/api/follow-up"


def ask(path, login="coach", **query):
    found = signed_in(login).get(f"{FOLLOW}/{path}", params={**SCOPE, **query})
    assert found.status_code == 200, found.text
    return found.json()


def everybody(login="coach", **query):
    """All rows of practice."""
    return ask("practice", login, count=10_000, **query)["students"]


def kept(*tables):
    with stage.demo().reading() as session:
        rows = session.connection().exec_driver_sql
        return [[tuple(row) for row in rows(f"SELECT * FROM `{name}` ORDER BY id")] for name in tables]


def undo(act, login="coach"):
    return signed_in(login).post(f"/api/acts/{act}/undo")


class Practice(unittest.TestCase):
    def test_the_planted_pattern_stands_in_the_first_view(self):
        """Fourth graders at Osier Bank do worse on informing texts, over the year and alone; nobody else is named."""
        for query in ({}, YEAR):
            found = ask("practice", **query)
            self.assertEqual([(one["school"], one["grade"], one["kind"]) for one in found["patterns"]],
                             [("Osier Bank Primary", "4", "informing")])  # fmt: skip
        who = sorted(one["student_id"] for one in ask("practice/students", pattern=0, **YEAR))
        self.assertEqual(len(who), found["patterns"][0]["students"])
        own = [ask(f"practice/{student}", **YEAR)["patterns"] for student in who[:40]]
        claimed = [one for patterns in own for one in patterns if one["claimed"] and one["name"] == "kind"]
        self.assertGreater(len(claimed), 4)
        self.assertEqual({one["sentence"] for one in claimed}, {"Texts of the kind informing go worse than the others"})

    def test_a_marking_period_has_its_own_goals(self):
        """This quarter by itself; an earlier one has none and says so; own days take a part of them."""
        quarters = ask("periods")
        self.assertTrue(quarters[0]["current"])
        now = ask("practice")
        self.assertEqual((now["period"], now["goals_of"]), (quarters[0]["name"], quarters[0]["name"]))
        before = ask("practice", marking_period=quarters[1]["id"])
        self.assertIn("No goals are set", before["lead"])
        by = {one["student_id"]: one for one in everybody(first="2027-02-01", last="2027-02-12")}
        whole = {one["student_id"]: one for one in everybody()}
        for student in list(by)[:50]:
            self.assertLess(by[student]["minutes_goal"] or 0, whole[student]["minutes_goal"] or 1)
        client = signed_in("coach")
        for query, status in (
            ({"marking_period": 999}, 404), ({"first": "2027-02-12", "last": "2027-02-01"}, 422),
            ({"first": "2027-05-01", "last": "2027-05-12"}, 422),
        ):  # fmt: skip
            self.assertEqual(client.get(f"{FOLLOW}/practice", params={**SCOPE, **query}).status_code, status, query)

    def test_the_sentence_and_reach_decide_who(self):
        """A grade alone; a teacher the own students; a student outside reach has no log."""
        four = ask("practice", grade="4")
        self.assertEqual({one["grade"] for one in four["students"]}, {"4"})
        # The first rows only, unless more are asked for.
        self.assertEqual(len(four["students"]), 60)
        self.assertGreater(four["covered"], 60)
        every, own = ({one["student_id"] for one in everybody(login)} for login in ("coach", "teacher"))
        self.assertLess(own, every)
        outside = sorted(every - own)[0]
        hidden, unknown = (signed_in("teacher").get(f"{FOLLOW}/practice/{one}") for one in (outside, "nobody"))
        self.assertEqual((hidden.status_code, hidden.content), (404, unknown.content))
        self.assertEqual({one["student_id"] for one in ask("practice/students", "teacher")}, own)

    def test_goals_for_many_and_back(self):
        """Set in one act, ranges about the own level; parts that are left out stay; undone they are gone."""
        before = kept("practice_goal")
        client, quarter = signed_in("coach"), ask("periods")[0]["id"]
        rows = [one for one in everybody(grade="4") if one["level"] is not None][:20]
        who = [one["student_id"] for one in rows]
        body = {"marking_period": quarter, "students": who, "minutes": 300, "around_level": 0.5}
        done = client.post(f"{FOLLOW}/practice/goals", json=body)
        self.assertEqual(done.status_code, 201, done.text)
        now = {one["student_id"]: one for one in everybody(grade="4")}
        for one in rows:
            new = now[one["student_id"]]
            self.assertEqual((new["minutes_goal"], new["accuracy_goal"]), (300, one["accuracy_goal"]))
            self.assertAlmostEqual(new["hardest"] - new["easiest"], 1.0)
        self.assertEqual(undo(done.json()["id"]).status_code, 200)
        self.assertEqual(kept("practice_goal"), before)
        for wrong, status in (
            ({**body, "minutes": None, "around_level": None}, 422), ({**body, "marking_period": 999}, 422),
            ({**body, "students": ["nobody"]}, 404), ({**body, "accuracy": 70}, 422),
        ):  # fmt: skip
            self.assertEqual(client.post(f"{FOLLOW}/practice/goals", json=wrong).status_code, status, wrong)
        self.assertEqual(kept("practice_goal"), before)

    def test_files(self):
        """A row a student, as on the screen; two measures and help given too."""
        client = signed_in("coach")
        for path, n in (
            ("practice", len(everybody(grade="4"))),
            ("two", sum(one["n"] for one in ask("two", grade="4")["standings"])),
        ):
            lines = client.get(f"{FOLLOW}/{path}.csv", params={**SCOPE, "grade": "4"}).text.strip().splitlines()
            self.assertEqual(sum(line.startswith("SR") for line in lines), n)
        words = ask("daily")
        for path, n in (
            ("groups", len(ask("groups"))), ("team/suggested", len(ask("team/suggested"))),
            ("daily", len(words["needs"]) + len(words["earned"])),
        ):  # fmt: skip
            text = client.get(f"{FOLLOW}/{path}.csv", params=SCOPE).text
            # The header, the rows, an empty line and the caption.
            self.assertEqual(len(text.strip().splitlines()), n + 3, path)
        given = client.get(f"{FOLLOW}/given.csv", params={"by": "student"}).text
        self.assertEqual(given.count("SR1"), len(ask("given")["rows"]))


class Given(unittest.TestCase):
    def test_the_planted_group_met_half_its_minutes(self):
        """By group, adult and school it stands first, with when it could be made up for each student."""
        for by, first in (("group", "Osier word workshop"), ("adult", "Fern Oxley"), ("school", "Osier Bank Primary")):
            row = ask("given", by=by)["rows"][0]
            self.assertEqual(row["value"], first)
            self.assertLess(row["share"], 0.6)
        students = ask("given")
        self.assertIn("Osier word workshop", students["lead"])
        self.assertRegex(students["rows"][0]["made_up"], r"^by (Mar|Apr) \d+, 2027, with \d more sessions a week$")
        self.assertLessEqual(len(ask("given", "teacher")["rows"]), len(students["rows"]))

    def test_it_did_not_work_and_it_did_not_happen_are_two_findings(self):
        """The three planted groups, and all of their tier together."""
        groups = {one["name"]: one["id"] for one in ask("groups")}
        readings = {name: ask(f"groups/{key}/helped")["reading"] for name, key in groups.items()}
        self.assertEqual(readings["Tide pool readers"], "worked")
        self.assertEqual(readings["Deep water readers"], "did not work")
        self.assertEqual(readings["Osier word workshop"], "did not happen")
        self.assertIn({"kind": "tier", "value": "2", "groups": 3}, ask("helped/kinds"))
        tier = ask("helped", kind="tier", value="2")
        self.assertRegex(tier["headline"], "^Students of 3 groups")
        adult = ask("helped", kind="adult", value="Fern Oxley")
        self.assertEqual(adult["reading"], "did not happen")
        unknown = signed_in("coach").get(f"{FOLLOW}/helped", params={**SCOPE, "kind": "focus", "value": "Ebb"})
        self.assertEqual(unknown.status_code, 404)


class Two(unittest.TestCase):
    def test_standings_equal_what_compare_shows(self):
        """Who reached both: as many in reading as Compare counts at or above, of those with both measures."""
        found = ask("two", grade="4", school="Saltgrass Primary")
        n = {one["standing"]: one["n"] for one in found["standings"]}
        self.assertEqual(sum(n.values()), found["covered"])
        self.assertEqual((found["first_measure"], found["second_measure"]), ("Reading", "Mathematics"))
        for one in found["standings"]:
            asked = {"grade": "4", "school": "Saltgrass Primary", "standing": one["standing"]}
            who = ask("two/students", **asked)
            self.assertEqual((len(who), {student["standing"] for student in who}), (one["n"], {one["standing"]}))
            # Each line is drawn once, for however many students.
            lines = list(zip(*(one["lines"][name] for name in ("first", "second", "moved")), strict=True))
            self.assertEqual(len(set(lines)), len(lines))
            self.assertEqual(set(lines), {(student["first"], student["second"], student["moved"]) for student in who})
            for before, some in one["came"].items():
                self.assertEqual(len(ask("two/students", **asked, before=before)), some)
        turned = ask("two", grade="4", school="Saltgrass Primary", first=found["second"], second=found["first"])
        swapped = {one["standing"]: one["n"] for one in turned["standings"]}
        self.assertEqual((swapped["first only"], swapped["both"]), (n["second only"], n["both"]))
        strand = next(one["key"] for one in found["offers"] if one["key"].count("|") == 2)
        self.assertGreater(ask("two", grade="4", second=strand)["covered"], 0)
        mine = {one["student_id"] for one in ask("practice/students", "teacher")}
        own = [one["student_id"] for each in ask("two", "teacher")["standings"]
               for one in ask("two/students", "teacher", standing=each["standing"])]  # fmt: skip
        self.assertTrue(own)
        reach = signed_in("teacher").get("/api/drill-down", params={**SCOPE, "matched": False}).json()["rows"]
        self.assertLessEqual(set(own), mine | {one["student_id"] for one in reach})
        client = signed_in("coach")
        for query in ({"first": "Ebb|tide"}, {"first": found["first"], "second": found["first"]}):
            self.assertIn(client.get(f"{FOLLOW}/two", params={**SCOPE, **query}).status_code, (404, 422))


class Words(unittest.TestCase):
    def test_a_word_is_said_once(self):
        """Marked it stays marked for everybody who sees the student; undone it is open again; days are their own."""
        before = kept("word_said")
        found = ask("daily")
        word = found["needs"][0]
        client = signed_in("coach")
        body = {"student_id": word["student_id"], "about": word["about"]}
        done = client.post(f"{FOLLOW}/daily/said", json=body)
        self.assertEqual(done.status_code, 201, done.text)
        marked = [one for one in ask("daily")["needs"] if one["about"] == word["about"]]
        self.assertEqual({one["said_on"] for one in marked if one["student_id"] == word["student_id"]}, {"2027-02-12"})
        self.assertEqual(undo(done.json()["id"]).status_code, 200)
        self.assertEqual(kept("word_said"), before)
        yesterday = ask("daily", day="2027-02-11")
        about = {(one["student_id"], one["about"]) for one in (*found["needs"], *found["earned"])}
        self.assertFalse(
            about & {(one["student_id"], one["about"]) for one in (*yesterday["needs"], *yesterday["earned"])}
        )
        self.assertEqual(client.get(f"{FOLLOW}/daily", params={**SCOPE, "day": "2027-02-13"}).status_code, 422)
        hidden = signed_in("teacher").post(f"{FOLLOW}/daily/said", json={"student_id": "nobody", "about": "x"})
        self.assertEqual(hidden.status_code, 404)
