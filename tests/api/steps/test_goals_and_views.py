"""Goals, kept views, pages of rows and further views of Compare, through the interface and the table of rights."""

import csv
import io
import unittest
from urllib.parse import parse_qs

from tests.api.application import SCOPE, signed_in

GRADE_4 = {**SCOPE, "grade": "4", "school": "Saltgrass Primary"}


class Goals(unittest.TestCase):
    def just_below(self):
        rows = signed_in("coach").get("/api/drill-down", params={**GRADE_4, "just_below": True}).json()["rows"]
        return [row["student_id"] for row in rows]

    def test_set_seen_and_taken_back(self):
        """Goals of students just below Steady stand on their lanes, and go again with one act."""
        coach, students = signed_in("coach"), self.just_below()
        offers = coach.post("/api/goals/offers", params=GRADE_4, json={"students": students}).json()
        self.assertEqual((len(offers["rows"]), offers["until"]), (len(students), "2026-27 spring"))
        made = coach.post("/api/goals", params=GRADE_4, json={"students": students, "kind": "catch up"})
        self.assertEqual(made.status_code, 201)
        answer = made.json()
        self.addCleanup(lambda: coach.post(f"/api/acts/{answer['act']}/undo"))
        wanted = {row["student_id"]: row["catch_up"]["score"] for row in offers["rows"]}
        rows = coach.get("/api/growth/rows", params={**GRADE_4, "count": 500}).json()
        seen = {row["student_id"]: row["goal"] for row in rows["rows"] if row["goal_kind"] == "catch up"}
        self.assertEqual({one: seen[one] for one in wanted}, wanted)
        by_goal = coach.get("/api/growth/rows", params={**GRADE_4, "sort": "goal", "count": 500}).json()["rows"]
        self.assertEqual([row["goal"] is None for row in by_goal], sorted(row["goal"] is None for row in by_goal))
        one = coach.get(f"/api/goals/{students[0]}", params={"assessment": "Saltgauge", "subject": "reading"}).json()
        self.assertEqual((one[0]["kind"], one[0]["target"]), ("catch up", wanted[students[0]]))
        self.assertIn("Goal to catch up set for", coach.get("/api/acts").json()[0]["said"])
        self.assertEqual(coach.post(f"/api/acts/{answer['act']}/undo").status_code, 200)
        again = coach.get("/api/growth/rows", params={**GRADE_4, "count": 500}).json()["rows"]
        self.assertFalse({row["student_id"] for row in again if row["goal_kind"] == "catch up"} & set(wanted))
        self.assertEqual(coach.post(f"/api/acts/{answer['act']}/undo").status_code, 409)

    def test_a_goal_set_again_replaces_and_comes_back(self):
        """The second of a kind and day stands; taking it back brings the first."""
        coach, student = signed_in("coach"), self.just_below()[0]
        path = f"/api/goals/{student}"
        measure = {"assessment": "Saltgauge", "subject": "reading"}
        acts = []
        for points in (10, 20):
            body = {"students": [student], "kind": "own", "points": points, "plan": f"{points} more"}
            acts.append(coach.post("/api/goals", params=GRADE_4, json=body).json()["act"])
        own = [goal for goal in coach.get(path, params=measure).json() if goal["kind"] == "own"]
        self.assertEqual([goal["plan"] for goal in own], ["20 more"])
        self.assertEqual(coach.post(f"/api/acts/{acts[0]}/undo").status_code, 409)
        for act, left in ((acts[1], ["10 more"]), (acts[0], [])):
            coach.post(f"/api/acts/{act}/undo")
            own = [goal for goal in coach.get(path, params=measure).json() if goal["kind"] == "own"]
            self.assertEqual([goal["plan"] for goal in own], left)

    def test_who_may_set_whose(self):
        """Own students, own groups; others are unknown, not forbidden."""
        far = (
            signed_in("coach").get("/api/drill-down", params={**SCOPE, "school": "Marrow Point Middle"}).json()["rows"]
        )
        body = {"students": [far[0]["student_id"]], "kind": "keep pace"}
        self.assertEqual(signed_in("teacher").post("/api/goals", params=SCOPE, json=body).status_code, 404)
        specialist = signed_in("specialist")
        seen = specialist.get("/api/drill-down", params={**SCOPE, "grade": "3"}).json()["rows"]
        own = {member["student_id"] for group in specialist.get("/api/groups").json() for member in group["members"]}
        other = next(row["student_id"] for row in seen if row["student_id"] not in own)
        body = {"students": [other], "kind": "keep pace"}
        self.assertEqual(specialist.post("/api/goals", params=SCOPE, json=body).status_code, 403)

    def test_bad_goals_name_the_field(self):
        """Past days, both a band and a percentile, a strand, no points."""
        coach, student = signed_in("coach"), self.just_below()[0]
        for more, scope, word in (
            ({"by_day": "2026-01-01"}, SCOPE, "by_day"),
            ({"review_on": "2030-01-01"}, SCOPE, "review_on"),
            ({"band": 2, "percentile": 50}, SCOPE, "percentile"),
            ({"until": "2025-26 fall"}, SCOPE, "until"),
            ({"kind": "own"}, SCOPE, "points"),
            ({}, {**SCOPE, "strand": "Vocabulary"}, "strand"),
        ):
            with self.subTest(word=word):
                body = {"students": [student], "kind": "catch up", **more}
                answer = coach.post("/api/goals", params=scope, json=body)
                self.assertEqual(answer.status_code, 422)
                self.assertIn(word, answer.json()["message"])


class Targets(unittest.TestCase):
    def put(self, client, share, **scope):
        return client.put("/api/goals/target", params={**SCOPE, **scope}, json={"share": share})

    def seen(self, client, **scope):
        return client.get("/api/growth", params={**SCOPE, **scope}).json()["target"]

    def test_a_class_has_a_target_that_is_reached_or_not(self):
        """Set, changed, taken away, each undone; a class's is the same for its teacher."""
        coach, teacher = signed_in("coach"), signed_in("teacher")
        section = teacher.get("/api/growth", params=SCOPE).json()["rows"][0]["section"]
        here = {"section": section}
        share = coach.get("/api/growth", params={**SCOPE, **here}).json()["growth"]["met_share"]
        first = self.put(coach, round(share, 2) - 0.05, **here).json()["act"]
        self.assertTrue(self.seen(teacher, **here)["reached"])
        second = self.put(coach, min(1.0, round(share, 2) + 0.2), **here).json()["act"]
        self.assertFalse(self.seen(coach, **here)["reached"])
        self.assertIsNone(self.seen(coach))
        third = self.put(coach, None, **here).json()["act"]
        self.assertIsNone(self.seen(coach, **here))
        for act, reached in ((third, False), (second, True)):
            self.assertEqual(coach.post(f"/api/acts/{act}/undo").status_code, 200)
            self.assertEqual(self.seen(coach, **here)["reached"], reached)
        coach.post(f"/api/acts/{first}/undo")
        self.assertIsNone(self.seen(coach, **here))

    def test_ones_own_students_have_a_target_of_their_own(self):
        """The teacher's "my students" is not the district."""
        act = self.put(signed_in("teacher"), 0.5).json()["act"]
        self.assertEqual(self.seen(signed_in("teacher"))["share"], 0.5)
        self.assertIsNone(self.seen(signed_in("coach")))
        signed_in("teacher").post(f"/api/acts/{act}/undo")

    def test_what_has_no_target(self):
        """All but, languages, shares that are none."""
        coach = signed_in("coach")
        for share, scope in ((0.5, {"all_but": True, "grade": "4"}), (0.5, {"language": "English"}), (0, {}), (2, {})):
            with self.subTest(share=share, scope=scope):
                self.assertEqual(self.put(coach, share, **scope).status_code, 422)

    def test_the_lowest_fifth_by_grade(self):
        """About a fifth, ties together; it opens that many; nobody above is lower than anybody in it."""
        coach = signed_in("coach")
        answer = coach.get("/api/compare", params=GRADE_4).json()
        rows = coach.get("/api/drill-down", params={**GRADE_4, "lowest_fifth": True}).json()["rows"]
        others = coach.get("/api/drill-down", params={**GRADE_4, "lowest_fifth": False}).json()["rows"]
        self.assertEqual((len(rows), len(rows) + len(others)), (answer["lowest_fifth"], answer["matched_n"]))
        self.assertAlmostEqual(len(rows) / answer["matched_n"], 0.2, delta=0.03)
        self.assertLess(max(row["to_score"] for row in rows), min(row["to_score"] for row in others))


class Views(unittest.TestCase):
    def keep(self, client, **more):
        body = {"name": "Grade 4 in winter", "step": "compare", "query": "grade=4&assessment=Saltgauge", **more}
        return client.post("/api/views", json=body)

    def test_kept_renamed_shared_and_forgotten(self):
        """One's own only; one that is shared opens for those it names, and closes again."""
        coach, teacher, lead = signed_in("coach"), signed_in("teacher"), signed_in("lead")
        key = self.keep(coach, line="The fall of winter").json()["key"]
        self.addCleanup(lambda: coach.delete(f"/api/views/{key}"))
        self.assertEqual(self.keep(coach).status_code, 409)
        self.assertEqual([view["name"] for view in coach.get("/api/views").json()], ["Grade 4 in winter"])
        self.assertEqual(teacher.get("/api/views").json(), [])
        self.assertEqual(teacher.get(f"/api/views/{key}").status_code, 404)
        person = teacher.get("/api/me").json()["id"]
        change = {"people": [person], "favourite": True, "name": "Winter, grade 4"}
        self.assertEqual(coach.patch(f"/api/views/{key}", json=change).json()["people"], [person])
        seen = teacher.get(f"/api/views/{key}").json()
        name = coach.get("/api/me").json()["name"]
        self.assertEqual((seen["name"], seen["mine"], seen["by"]), ("Winter, grade 4", False, name))
        self.assertEqual((seen["people"], seen["roles"]), ([], []))
        self.assertEqual([view["name"] for view in teacher.get("/api/views").json()], ["Winter, grade 4"])
        self.assertEqual(lead.get(f"/api/views/{key}").content, lead.get("/api/views/none").content)
        for method, body in (("PATCH", {"name": "x"}), ("PATCH", {"roles": ["aide"]}), ("DELETE", None)):
            self.assertEqual(teacher.request(method, f"/api/views/{key}", json=body).status_code, 404)
        coach.patch(f"/api/views/{key}", json={"people": [], "roles": ["school_lead"]})
        self.assertEqual([one.get(f"/api/views/{key}").status_code for one in (teacher, lead)], [404, 200])
        self.assertEqual(coach.patch(f"/api/views/{key}", json={"people": [999_999]}).status_code, 422)
        self.assertEqual(coach.delete(f"/api/views/{key}").status_code, 204)
        self.assertEqual(coach.get(f"/api/views/{key}").status_code, 404)

    def test_students_outside_reach_are_left_out_of_a_shared_view(self):
        """Those whom its owner pinned and the reader may not know of; where none is left it shows nobody."""
        coach, teacher = signed_in("coach"), signed_in("teacher")
        own = teacher.get("/api/growth", params=SCOPE).json()["rows"][0]["student_id"]
        rows = coach.get("/api/growth", params={**SCOPE, "section": "4 Dunlin"}).json()["rows"]
        other = rows[0]["student_id"]
        for pinned, left in ((f"student={own}&student={other}", [own]), (f"student={other}", [""])):
            key = self.keep(coach, query=f"grade=4&{pinned}").json()["key"]
            coach.patch(f"/api/views/{key}", json={"roles": ["teacher"]})
            query = parse_qs(teacher.get(f"/api/views/{key}").json()["query"], keep_blank_values=True)
            self.assertEqual(query, {"grade": ["4"], "student": left})
            self.assertEqual(coach.delete(f"/api/views/{key}").status_code, 204)

    def test_the_key_of_a_view_cannot_be_guessed(self):
        """Two kept one after the other have nothing in common, and no number opens one."""
        coach = signed_in("coach")
        keys = [self.keep(coach, name=name).json()["key"] for name in ("One", "Two")]
        self.assertTrue(all(len(key) >= 20 for key in keys))
        self.assertNotEqual(keys[0][:4], keys[1][:4])
        self.assertEqual({coach.get(f"/api/views/{number}").status_code for number in range(1, 30)}, {404})
        for key in keys:
            coach.delete(f"/api/views/{key}")

    def test_a_shared_view_shows_no_more_than_one_may_see(self):
        """The coach's whole district is the teacher's own class."""
        whole = signed_in("coach").get("/api/compare", params=SCOPE).json()["matched_n"]
        own = signed_in("teacher").get("/api/compare", params=SCOPE).json()["matched_n"]
        self.assertLess(own, whole / 10)

    def test_students_opened_lately(self):
        """The latest first, each once; nothing of it changes a version."""
        teacher = signed_in("teacher")
        rows = teacher.get("/api/growth", params=SCOPE).json()
        first, second = rows["rows"][0]["student_id"], rows["rows"][1]["student_id"]
        for student in (first, second, first):
            teacher.get(f"/api/students/{student}")
        self.assertEqual([one["student_id"] for one in teacher.get("/api/views/lately").json()][:2], [first, second])
        self.assertEqual(teacher.get("/api/growth", params=SCOPE).json()["data_version"], rows["data_version"])


class FurtherViews(unittest.TestCase):
    def test_pages_of_rows_are_the_whole(self):
        """Page by page in every order; what has no value comes last."""
        coach = signed_in("coach")
        for sort in ("name", "percentile", "from", "to", "gain", "distance", "verdict"):
            for down in (False, True):
                query = {**GRADE_4, "sort": sort, "down": down}
                whole = coach.get("/api/growth/rows", params={**query, "count": 500}).json()
                pages = [coach.get("/api/growth/rows", params={**query, "start": at, "count": 50}).json()["rows"]
                         for at in range(0, whole["n"], 50)]  # fmt: skip
                with self.subTest(sort=sort, down=down):
                    self.assertEqual([row["student_id"] for page in pages for row in page],
                                     [row["student_id"] for row in whole["rows"]])  # fmt: skip
                    if sort == "gain":
                        gains = [row["gain"] for row in whole["rows"]]
                        self.assertEqual(gains, sorted(gains, reverse=down))

    def test_dots_are_the_rows_in_the_order_of_distance(self):
        """A dot at a place is the row at that place."""
        coach = signed_in("coach")
        answer = coach.get("/api/growth", params={**GRADE_4, "count": 500}).json()
        self.assertEqual(answer["dots"]["ids"], [row["student_id"] for row in answer["rows"]])
        for away, row in zip(answer["dots"]["distance"], answer["rows"], strict=True):
            self.assertAlmostEqual(away, row["distance"], delta=0.0005)
        ends = [row[key] for row in answer["rows"] for key in ("from_score", "to_score", "expected_high")]
        self.assertTrue(answer["lanes_from"] < min(ends) and answer["lanes_to"] > max(ends))

    def test_a_region_finds_the_dots_in_it(self):
        """By start percentile and distance."""
        coach = signed_in("coach")
        dots = coach.get("/api/growth", params=GRADE_4).json()["dots"]
        region = {"percentile_from": 40, "percentile_to": 80, "distance_from": -9, "distance_to": -0.5}
        rows = coach.get("/api/drill-down", params={**GRADE_4, **region}).json()["rows"]
        inside = {
            student
            for student, rank, away in zip(dots["ids"], dots["percentile"], dots["distance"], strict=True)
            if 40 <= rank <= 80 and away <= -0.5
        }
        self.assertEqual({row["student_id"] for row in rows}, inside)
        for number in ("nan", "inf", "-1e999"):
            refused = coach.get("/api/drill-down", params={**GRADE_4, **region, "distance_to": number})
            self.assertEqual(refused.status_code, 422, number)
            self.assertIn("distance_to: Input should be a finite number", refused.json()["message"])

    def test_the_trend_opens_and_leaves(self):
        """Points open as many students as they count; the spreadsheet has a line for each."""
        coach = signed_in("coach")
        query = {**GRADE_4, "from_window": "2025-26 fall", "between": ["2025-26 spring", "2026-27 fall"],
                 "over": ["program: Multilingual learner", "field:sex: female"]}  # fmt: skip
        answer = coach.get("/api/compare/trend", params=query).json()
        self.assertEqual(len(answer["lines"]), 3)
        for line in answer["lines"]:
            for at, point in enumerate(line["points"]):
                more = {"at": at, **({"over": line["over"]} if line["over"] else {})}
                plain = {name: value for name, value in query.items() if name != "over"}
                drill_down = coach.get("/api/compare/trend/drill-down", params={**plain, **more}).json()
                self.assertEqual(len(drill_down["rows"]), point["n"])
        lines = list(csv.reader(io.StringIO(coach.get("/api/compare/trend.csv", params=query).text.lstrip("\ufeff"))))
        self.assertEqual(len([line for line in lines if line and line[0] != "line"]), 3 * 4 + 1)

    def test_the_history_grid_keeps_to_what_one_may_see(self):
        """A teacher's own students; an aide only the measure of the group; exports as one may export."""
        teacher, aide = signed_in("teacher"), signed_in("aide")
        grid = teacher.get("/api/compare/history", params={**SCOPE, "years": 2, "strands": True}).json()
        own = {
            row["student_id"]
            for row in teacher.get("/api/drill-down", params={**SCOPE, "matched": False}).json()["rows"]
        }
        self.assertEqual({row["student_id"] for row in grid["rows"]}, own)
        self.assertIn("Vocabulary", {column["strand"] for column in grid["columns"]})
        other = {**SCOPE, "measure": "Saltgauge|mathematics"}
        answer = aide.get("/api/compare/history", params=other)
        self.assertTrue(answer.status_code == 404 or not answer.json()["columns"])
        self.assertEqual(aide.get("/api/compare/history.csv", params=SCOPE).status_code, 403)

    def test_small_groups_are_withheld_on_demand(self):
        """Of classes by program no cell of fewer than ten is told, on screen and in the file."""
        coach = signed_in("coach")
        query = {**GRADE_4, "by": "section", "by2": "field:sex", "withhold": 10}
        answer = coach.get("/api/compare", params=query).json()
        self.assertEqual(answer["explained"], {})
        for row in answer["by"]:
            for band in row["bands"]:
                for side in ("from_n", "to_n"):
                    self.assertFalse(0 < (band[side] or 0) < 10)
        text = coach.get("/api/compare.csv", params=query).text
        counts = [row["from_n"] for row in csv.DictReader(io.StringIO(text.lstrip("\ufeff"))) if row["from_n"]]
        self.assertFalse([count for count in counts if 0 < int(count) < 10])

    def test_the_likely_outcome_of_the_demo(self):
        """Every grade with two springs before it has a level and a chance."""
        answer = signed_in("coach").get("/api/compare/outcome", params={**SCOPE, "count": 5000}).json()
        self.assertEqual(answer["title"], "Regional Spring Test Reading")
        self.assertEqual(len(answer["rows"]), answer["covered"])
        low = signed_in("coach").get("/api/compare/outcome", params={**SCOPE, "level": 1, "count": 7}).json()
        self.assertEqual(low["rows"], [row for row in answer["rows"] if row["likely_order"] == 1][:7])
        self.assertGreater(answer["expected_share"], 0.2)
        self.assertTrue(all(0.25 <= row["chance"] <= 1 for row in answer["rows"]))
        text = signed_in("coach").get("/api/compare/outcome.csv", params=SCOPE).text
        lines = list(csv.reader(io.StringIO(text)))
        self.assertEqual(sum(line[0].startswith("SR") for line in lines if line), len(answer["rows"]))

    def test_a_strand_of_the_demo_has_bands_and_growth(self):
        """Each strand answers like the whole test."""
        answer = signed_in("coach").get("/api/compare", params={**GRADE_4, "strand": "Vocabulary"}).json()
        self.assertEqual(sum(row["to_n"] for row in answer["bands"]), answer["matched_n"])
        self.assertGreater(answer["matched_n"], 100)

    def test_no_such_strand_shows_nothing(self):
        """Rather than the whole test."""
        answer = signed_in("coach").get("/api/compare", params={**GRADE_4, "strand": "Sailing"}).json()
        self.assertEqual((answer["from_n"], answer["to_n"]), (0, 0))
