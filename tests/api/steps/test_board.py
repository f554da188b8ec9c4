"""The board of groups: moves that notice others, proposals that keep their rules, taken over whole and undone."""

import json
import unittest

from tests.api.application import SCOPE, signed_in
from tests.support import stage

MATHS = SCOPE | {"subject": "mathematics", "section": "5 Gannet"}


def board(login="coach", **more):
    answer = signed_in(login).get("/api/board", params=MATHS | more)
    assert answer.status_code == 200, answer.text[:300]
    return answer.json()


def post(path, body, login="coach", **query):
    return signed_in(login).post(f"/api{path}", json=body, params=query)


def lines(body, login="coach", **more):
    """What a search says, line by line, until its last word."""
    answer = post("/board/proposals", body, login, **MATHS | more)
    assert answer.status_code == 200, answer.text[:300]
    return [json.loads(line) for line in answer.text.splitlines()]


def proposed(body, **more):
    """The last word of a search."""
    last = lines(body, **more)[-1]
    assert last["final"]
    return last["proposal"]


def tables():
    """Groups and who is in them, as they are kept."""
    with stage.demo().reading() as session:
        ask = session.connection().exec_driver_sql
        return [tuple(row) for name in ("`group`", "group_member") for row in ask(f"SELECT * FROM {name} ORDER BY id")]


class Moves(unittest.TestCase):
    def test_a_student_moves_in_across_and_out_again(self):
        """The board follows each move; a second mover who saw an older board is told, and nothing changes."""
        before = tables()
        seen = board()
        student = seen["free"][0]
        one, other = (column["id"] for column in seen["columns"][:2])
        acts = []
        for source, target in ((None, one), (one, other), (other, None)):
            answer = post("/board/moves", {"student_id": student, "source": source, "target": target})
            self.assertEqual(answer.status_code, 200, answer.text)
            acts.append(answer.json()["id"])
            now = board()
            held = [column["id"] for column in now["columns"] if student in column["members"]]
            self.assertEqual(held, [target] if target is not None else [])
            self.assertEqual(student in now["free"], target is None)
        stale = post("/board/moves", {"student_id": student, "source": one, "target": other})
        self.assertEqual(stale.status_code, 409)
        self.assertIn("Somebody has moved", stale.json()["message"])
        again = post("/board/moves", {"student_id": student, "source": None, "target": None})
        self.assertEqual(again.status_code, 422)
        for act in reversed(acts):
            self.assertEqual(post(f"/acts/{act}/undo", None).status_code, 200)
        self.assertEqual(tables(), before)

    def test_of_many_free_students_the_lowest_are_listed(self):
        """Three hundred of them, as many as a proposal places, and how many there are; each member has a card."""
        seen = board(section=[])
        growth = signed_in("coach").get("/api/growth/rows", params=SCOPE | {"subject": "mathematics", "count": 5000})
        held = {student for column in seen["columns"] for student in column["members"]}
        rows = [row for row in growth.json()["rows"] if row["student_id"] not in held]
        self.assertEqual((len(seen["free"]), seen["free_n"]), (300, len(rows)))
        self.assertIn(f"{len(rows):,}", seen["headline"])
        lowest = sorted(rows, key=lambda row: (row["to_score"] is None, row["to_score"] or 0.0, row["name"]))
        self.assertEqual(seen["free"], [row["student_id"] for row in lowest[:300]])
        self.assertEqual({card["student_id"] for card in seen["cards"]}, held | set(seen["free"]))
        body = {"students": seen["free"] + ["one more"], "number": 40, "most": 300}
        self.assertEqual(post("/board/proposals", body, **MATHS).status_code, 422)

    def test_who_may_not_change_a_group_moves_nobody(self):
        """A teacher into another's group, an aide at all, a student out of reach."""
        seen = board()
        body = {"student_id": seen["free"][0], "target": seen["columns"][0]["id"]}
        self.assertEqual(post("/board/moves", body, "aide").status_code, 403)
        self.assertIn(post("/board/moves", body, "teacher").status_code, (403, 404))

    def test_cards_tell_score_band_and_need(self):
        """Also of students in groups who are not in the sentence; the lowest strand is the need."""
        seen = board()
        cards = {card["student_id"]: card for card in seen["cards"]}
        strands = signed_in("coach").get("/api/needs/strands", params=MATHS).json()
        at = {one["student_id"]: place for place, one in enumerate(strands["students"])}
        for student in seen["free"]:
            lowest = min(
                (strand["distance"][at[student]], strand["strand"]) for strand in strands["strands"]
                if strand["distance"][at[student]] is not None
            )  # fmt: skip
            self.assertTrue(cards[student]["need"].startswith(lowest[1]), (cards[student], lowest))
        inside = [cards[student] for column in seen["columns"] for student in column["members"]]
        self.assertGreater(sum(card["score"] is not None for card in inside), len(inside) / 2)


class Proposals(unittest.TestCase):
    def asked(self, **more):
        students = board()["free"]
        return {"students": students, "number": 3, "fewest": 5, "most": 9, **more}

    def test_rules_are_kept_and_the_groups_taken_over_whole(self):
        """Sizes, a pair apart, a pair together, an adult a slot; made in one act and undone in one."""
        before = tables()
        body = self.asked()
        one, other, third, fourth = body["students"][:4]
        body |= {
            "apart": [[one, other]], "together": [[third, fourth]],
            "adults": [{"adult": "Caio Valadao", "slots": ["Mon 9:00", "Tue 9:00"]},
                       {"adult": "Fern Oxley", "slots": ["Mon 9:00"]}],
            "stays": [{"student_id": one, "slots": ["Tue 9:00"]}],
        }  # fmt: skip
        found = proposed(body)
        self.assertTrue(found["proven"])
        place = {s["student_id"]: at for at, group in enumerate(found["groups"]) for s in group["students"]}
        self.assertEqual(sorted(place), sorted(body["students"]))
        sizes = [len(group["students"]) for group in found["groups"]]
        self.assertTrue(all(5 <= n <= 9 for n in sizes), sizes)
        self.assertNotEqual(place[one], place[other])
        self.assertEqual(place[third], place[fourth])
        meetings = [(group["slot"], group["adult"]) for group in found["groups"]]
        self.assertEqual(len(set(meetings)), 3)
        self.assertNotEqual(found["groups"][place[one]]["slot"], "Tue 9:00")
        again = proposed(body)
        self.assertEqual(again, found)
        self.assertEqual(tables(), before)
        groups = [
            {"name": f"Proposed {at}", "focus": group["focus"], "slot": group["slot"],
             "students": [s["student_id"] for s in group["students"]]}
            for at, group in enumerate(found["groups"])
        ]  # fmt: skip
        old = board()["columns"][0]["id"]
        taken = {"groups": groups, "fewest": 5, "most": 9, "assessment": "Saltgauge", "subject": "mathematics",
                 "first_day": "2027-02-12", "last_day": "2027-04-09", "instead_of": [old]}  # fmt: skip
        done = post("/board/accepted", taken)
        self.assertEqual(done.status_code, 200, done.text)
        now = board()
        made = {column["name"]: column for column in now["columns"] if column["name"].startswith("Proposed")}
        self.assertEqual({name: len(column["members"]) for name, column in made.items()},
                         {f"Proposed {at}": n for at, n in enumerate(sizes)})  # fmt: skip
        self.assertEqual(now["free"], [])
        self.assertEqual(next(column["members"] for column in now["columns"] if column["id"] == old), [])
        self.assertEqual(post(f"/acts/{done.json()['id']}/undo", None).status_code, 200)
        self.assertEqual(tables(), before)

    def test_a_name_that_is_taken_leaves_nothing_half_made(self):
        """The second group has the first one's name: refused, and neither is there."""
        before = tables()
        students = board()["free"]
        groups = [{"name": "Twice", "focus": "x", "students": [one]} for one in students[:2]]
        body = {"groups": groups, "first_day": "2027-02-12", "last_day": "2027-04-09"}
        self.assertEqual(post("/board/accepted", body).status_code, 409)
        self.assertEqual(tables(), before)

    def test_clashes_are_told_in_words(self):
        """Three kept apart in two groups; too many students for the places; fewer than the fewest."""
        one, other, third = board()["free"][:3]
        body = self.asked(number=2, fewest=0, most=30, apart=[[one, other], [other, third], [one, third]])
        found = proposed(body)
        self.assertEqual((found["groups"], [rule["kind"] for rule in found["clash"]]), ([], ["apart"]))
        self.assertIn("cannot all be apart", found["clash"][0]["words"])
        for more in ({"most": 2}, {"fewest": 9, "most": 9}):
            self.assertEqual(post("/board/proposals", self.asked(**more), **MATHS).status_code, 422)

    def test_a_teacher_proposes_with_own_students_only(self):
        """Another's student does not exist."""
        body = self.asked()
        self.assertEqual(post("/board/proposals", body, "teacher", **MATHS).status_code, 404)
        self.assertEqual(post("/board/proposals", body, "aide", **MATHS).status_code, 403)

    def test_a_search_is_followed_line_by_line(self):
        """Each line holds whole groups within the rules, none worse than the one before; the last is final."""
        found = lines(self.asked())
        self.assertEqual([line["final"] for line in found], [False] * (len(found) - 1) + [True])
        totals = [line["proposal"]["total"] for line in found]
        self.assertEqual(totals, sorted(totals, reverse=True))
        for line in found:
            self.assertEqual(sum(len(group["students"]) for group in line["proposal"]["groups"]), len(board()["free"]))

    def test_groups_from_standards_scores_and_given_foci(self):
        """Standards that are lacked, the score, both; what is not there is refused by name."""
        for by, measures in (
            ([{"kind": "standards", "standards": ["M5-NP-1", "M3-NP-2"]}], ["M5-NP-1", "M3-NP-2"]),
            ([{"kind": "score"}], ["Saltgauge score"]),
            ([{"kind": "score"}, {"kind": "standards", "standards": ["M5-NP-1"]}], ["Saltgauge score", "M5-NP-1"]),
        ):
            found = proposed(self.asked(by=by, number=2, fewest=0, most=30))
            self.assertEqual((found["measures"], len(found["groups"])), (measures, 2))
        strands = proposed(self.asked())["measures"]
        named = proposed(self.asked(foci=strands[:2], fewest=0, most=30))
        self.assertEqual(len(named["groups"]), 2)
        for more, word in (
            ({"by": [{"kind": "standards", "standards": ["none"]}]}, 'no standard "none"'),
            ({"by": [{"kind": "standards"}]}, "name the standards"),
            ({"foci": ["none"], "most": 30}, 'there is no "none"'),
        ):
            answer = post("/board/proposals", self.asked(**more), **MATHS)
            self.assertEqual(answer.status_code, 422)
            self.assertIn(word, answer.json()["message"])

    def test_a_student_of_a_proposal_is_moved_by_hand(self):
        """What it costs and breaks is said; groups that leave somebody out, or another's student, are refused."""
        asked = self.asked(number=2, fewest=0, most=30)
        one, other = asked["students"][:2]
        asked["apart"] = [[one, other]]
        found = proposed(asked)
        groups = [[student["student_id"] for student in group["students"]] for group in found["groups"]]
        target = next(at for at, group in enumerate(groups) if other in group)
        body = {"asked": asked, "groups": groups, "student_id": one, "target": target}
        moved = post("/board/proposals/moves", body, **MATHS)
        self.assertEqual(moved.status_code, 200, moved.text)
        self.assertEqual((moved.json()["students"], len(moved.json()["broken"])), ([one], 1))
        self.assertEqual(
            post("/board/proposals/moves", body | {"groups": [groups[0][1:], groups[1]]}, **MATHS).status_code, 422
        )
        self.assertEqual(post("/board/proposals/moves", body | {"target": 9}, **MATHS).status_code, 422)
        self.assertEqual(post("/board/proposals/moves", body, "teacher", **MATHS).status_code, 404)

    def test_two_arrangements_are_compared(self):
        """Today's and a proposal: who moves, and that nobody moves from one to itself."""
        students = board()["free"]
        before = [{"name": "A", "students": students[:8], "minutes": 90}, {"name": "B", "students": students[8:16]}]
        after = [{"name": "A", "students": students[:7], "minutes": 60}, {"name": "B", "students": students[7:16]}]
        found = post("/board/compared", {"before": before, "after": after}, **MATHS).json()
        self.assertEqual([one["student_id"] for one in found["moves"]], [students[7]])
        self.assertEqual((found["same"], found["after"]["groups"][0]["minutes"]), (15, 60))
        same = post("/board/compared", {"before": before, "after": before}, **MATHS).json()
        self.assertEqual((same["moves"], same["before"]), ([], same["after"]))


class Stopped(unittest.TestCase):
    def test_who_hangs_up_stops_the_search_and_nothing_is_kept(self):
        """The first line is whole groups; the stream closed after it leaves the tables and the server as they were."""
        before, students = tables(), board(section=["5 Gannet", "5 Heron"])["free"]
        body = {"students": students, "number": 8, "fewest": 4, "most": 8}
        client = signed_in("coach")
        with client.stream("POST", "/api/board/proposals", json=body, params=MATHS) as answer:
            first = json.loads(next(answer.iter_lines()))
        placed = [one["student_id"] for group in first["proposal"]["groups"] for one in group["students"]]
        self.assertEqual(sorted(placed), sorted(students))
        self.assertEqual(tables(), before)
        self.assertEqual(client.get("/api/me").status_code, 200)

    def test_students_outside_the_sentence_are_grouped_too(self):
        """Pins go along through all steps: whatever class the sentence names, their needs are known."""
        elsewhere = board(section="5 Heron")["free"][:9]
        found = proposed({"students": elsewhere, "number": 2, "fewest": 0, "most": 9})
        self.assertEqual(found["left_out"], [])
        self.assertEqual(sum(len(group["students"]) for group in found["groups"]), 9)

    def test_the_bounds_of_what_may_be_asked(self):
        """No students, 301 of them, no group, 41 groups, a rule about nobody, an unknown field: refused by name."""
        one = board()["free"][0]
        good = {"students": [one], "number": 1, "most": 9}
        for more in ({"students": []}, {"students": [one] * 301}, {"number": 0}, {"number": 41}, {"most": 0},
                     {"apart": [[one]]}, {"by": []}, {"by": [{"kind": "luck"}]}, {"colour": "red"}):  # fmt: skip
            answer = post("/board/proposals", good | more, **MATHS)
            self.assertEqual(answer.status_code, 422, more)
            self.assertIn(next(iter(more)), answer.text)


PLANTED = {"Deep water readers", "Osier word workshop", "Tide pool readers"}
EXIT = {"assessment": "Saltgauge", "subject": "reading", "value": "percentile", "comparison": "at least", "limit": 30,
        "last": None}  # fmt: skip


class Records(unittest.TestCase):
    def change(self, key, body, login="coach"):
        answer = signed_in(login).patch(f"/api/groups/{key}", json=body)
        if answer.status_code == 200 and (act := answer.json()["act"]) is not None:
            self.addCleanup(lambda: self.assertEqual(post(f"/acts/{act}/undo", None).status_code, 200))
        return answer

    def groups(self, login="coach"):
        # Another test of the same demo may have made groups of its own.
        return {one["name"]: one for one in signed_in(login).get("/api/groups").json() if one["name"] in PLANTED}

    def test_a_record_is_changed_and_undone(self):
        """Every part of it, in one act; what is left out stays."""
        before = tables()
        group = self.groups()["Tide pool readers"]
        adults = {one["name"]: one["id"] for one in signed_in("coach").get("/api/groups/adults").json()}
        second = next(key for key in adults.values() if key != group["adult_id"])
        body = {
            "second_adult_id": second, "tier": 3, "slots": ["Tue 8:00-8:30", "Fri 8:00-8:30"], "times_a_week": 2,
            "minutes": 25, "fewest": 5, "most": 14, "exit_rule": EXIT, "entry_rule": None,
        }  # fmt: skip
        answer = signed_in("coach").patch(f"/api/groups/{group['id']}", json=body)
        self.assertEqual(answer.status_code, 200, answer.text)
        now = self.groups()["Tide pool readers"]
        text = "Saltgauge, reading: percentile at least 30 in the latest window"
        self.assertEqual({name: now[name] for name in body}, body | {"exit_rule": text})
        self.assertEqual((now["focus"], now["members"], now["exit"]), (group["focus"], group["members"], EXIT))
        self.assertEqual(post(f"/acts/{answer.json()['act']}/undo", None).status_code, 200)
        self.assertEqual(tables(), before)

    def test_a_second_adult_sees_the_group_and_its_students(self):
        """An aide who is made the second adult knows the group from then on; a teacher may change it."""
        aide = next(one for one in signed_in("coach").get("/api/groups/adults").json() if one["role"] == "aide")
        group = self.groups()["Deep water readers"]
        self.assertNotIn(group["name"], self.groups("aide"))
        self.assertEqual(self.change(group["id"], {"second_adult_id": aide["id"]}).status_code, 200)
        self.assertEqual(self.groups("aide")[group["name"]]["members"], group["members"])

    def test_rules_that_are_none_are_refused_with_the_way_to_write_them(self):
        """Prose, a limit or a value that cannot be, a test that is not there, sizes; nothing changes."""
        before, group = tables(), self.groups()["Tide pool readers"]
        for body, word in (
            ({"exit_rule": "when ready"}, "exit_rule"),
            ({"exit_rule": EXIT | {"limit": 400}}, "exit_rule: .*between 1 and 99"),
            ({"exit_rule": EXIT | {"last": 3}}, "exit_rule: .*of a window"),
            ({"entry_rule": EXIT | {"assessment": "Ebb"}}, 'entry_rule: there is no test "Ebb"'),
            ({"fewest": 9, "most": 8}, "most: cannot be below"),
            ({"slots": ["a" * 60] * 5}, "slots: together"),
            ({"tier": 0}, "tier"),
        ):
            answer = self.change(group["id"], body)
            self.assertEqual(answer.status_code, 422)
            self.assertRegex(answer.json()["message"], word)
        self.assertEqual(tables(), before)

    def test_the_rules_say_the_same_as_the_panel(self):
        """Members at or above the 40th percentile this winter leave; the rail says how many."""
        found = signed_in("coach").get("/api/board/rules").json()
        told = [one for check in found["groups"] for part in ("leaves", "waits", "unknown") for one in check[part]]
        text = signed_in("coach").get("/api/board/rules.csv").text
        self.assertEqual(len(text.splitlines()) - 1, len(told))
        leaves = {one["name"]: {s["student_id"] for s in one["leaves"]} for one in found["groups"]}
        for name, group in self.groups().items():
            rows = (
                signed_in("coach")
                .get("/api/drill-down", params=SCOPE | {"group": group["id"], "matched": False})
                .json()["rows"]
            )
            ranks = {row["student_id"]: row["to_percentile"] for row in rows}
            met = {one for one, rank in ranks.items() if rank is not None and rank >= 40}
            self.assertEqual(leaves[name], met, name)
        rail = signed_in("coach").get("/api/scope/rail", params=SCOPE).json()["steps"]
        self.assertEqual(next(step["line"] for step in rail if step["name"] == "Groups"), found["line"])
        self.assertEqual(signed_in("aide").get("/api/scope/rail", params=SCOPE).status_code, 200)

    def test_the_week_and_what_a_tier_requires(self):
        """Meetings by adult; raising what is required names the groups below it; undone it is gone."""
        week = signed_in("coach").get("/api/board/week").json()
        self.assertEqual((week["short"], week["double_booked"]), ([], []))
        met = [one["name"] for adult in week["adults"] for one in adult["meetings"] if one["name"] in PLANTED]
        self.assertEqual(len(met), 9)
        put = signed_in("coach").put("/api/board/required-minutes", json={"tier": 2, "minutes": 120})
        self.assertEqual(put.status_code, 200, put.text)
        short = signed_in("coach").get("/api/board/week").json()["short"]
        self.assertEqual({(one["planned"], one["required"]) for one in short}, {(90.0, 120.0)})
        self.assertEqual(post(f"/acts/{put.json()['id']}/undo", None).status_code, 200)
        self.assertEqual(signed_in("coach").get("/api/board/week").json(), week)
        drop = signed_in("coach").put("/api/board/required-minutes", json={"tier": 2, "minutes": None})
        self.assertNotIn("2", signed_in("coach").get("/api/board/week").json()["required"])
        self.assertEqual(post(f"/acts/{drop.json()['id']}/undo", None).status_code, 200)
        self.assertEqual(signed_in("coach").get("/api/board/week").json(), week)

    def test_a_board_as_it_was_on_a_day(self):
        """Before the groups began there are none; nobody is moved in the past; the file says the same."""
        self.assertEqual(board(on="2026-10-01")["columns"], [])
        then = board(on="2026-11-02")
        self.assertEqual({column["name"] for column in then["columns"]}, PLANTED)
        self.assertFalse(any(column["may_change"] for column in then["columns"]))
        text = signed_in("coach").get("/api/board/members.csv", params={"on": "2026-11-02"}).text
        self.assertEqual(len(text.splitlines()) - 1, sum(len(column["members"]) for column in then["columns"]))
        week = signed_in("coach").get("/api/board/week.csv").text
        self.assertEqual(sum(name in line for line in week.splitlines() for name in PLANTED), 9)

    def test_why_a_student_is_there_is_kept(self):
        """The reason of a proposal stands with the student until it is undone."""
        one = board()["free"][0]
        group = {"name": "Kept why", "focus": "x", "students": [one], "reasons": {one: "nearest to the own need"}}
        done = post("/board/accepted", {"groups": [group], "first_day": "2027-02-12", "last_day": "2027-04-09"})
        column = next(column for column in board()["columns"] if column["name"] == "Kept why")
        self.assertEqual(column["reasons"], group["reasons"])
        self.assertEqual(post(f"/acts/{done.json()['id']}/undo", None).status_code, 200)

    def test_the_sentence_takes_a_group_as_of_a_day(self):
        """A student moved out today is still among the group's of yesterday, and the sentence says the day."""
        group = self.groups()["Tide pool readers"]
        student = group["members"][0]["student_id"]
        moved = post("/board/moves", {"student_id": student, "source": group["id"]})
        self.assertEqual(moved.status_code, 200, moved.text)
        scope = SCOPE | {"group": group["id"], "matched": False}
        now, then, before = (
            signed_in("coach").get("/api/drill-down", params=scope | more).json()
            for more in ({}, {"group_on": "2027-02-10"}, {"group_on": "2026-10-01"})
        )
        self.assertEqual(post(f"/acts/{moved.json()['id']}/undo", None).status_code, 200)
        names = [{row["student_id"] for row in one["rows"]} for one in (now, then, before)]
        self.assertEqual((names[1] - names[0], names[2]), ({student}, set()))
        self.assertIn("group Tide pool readers as of Feb 10, 2027", then["caption"])

    def test_rules_speak_of_own_students_only(self):
        """An interventionist's waiting students are in reach, and fewer than a coach's; an aide is told nothing."""
        everyone = signed_in("coach").get("/api/board/rules").json()
        mine = signed_in("specialist").get("/api/board/rules").json()
        waiting = {
            login: {one["student_id"] for check in found["groups"] for one in check["waits"]}
            for login, found in (("coach", everyone), ("specialist", mine))
        }
        self.assertLess(waiting["specialist"], waiting["coach"])
        for student in waiting["coach"] - waiting["specialist"]:
            answer = signed_in("specialist").get(f"/api/goals/{student}?assessment=Saltgauge&subject=reading")
            self.assertEqual(answer.status_code, 404, student)
        self.assertEqual(signed_in("aide").get("/api/board/rules").status_code, 403)

    def test_goals_agreed_in_talks_are_set_whole_or_not_at_all(self):
        """Each student's own score and words, in one act; a day that is past or a student out of reach sets none."""
        students = [one["student_id"] for one in self.groups()["Tide pool readers"]["members"][:3]]
        goals = [{"student_id": one, "target": 500 + at, "plan": f"Plan {at}"} for at, one in enumerate(students)]

        def kept():
            ask = "assessment=Saltgauge&subject=reading"
            rows = [signed_in("coach").get(f"/api/goals/{one}?{ask}").json() for one in students]
            return [[(goal["target"], goal["plan"], goal["by_day"]) for goal in own] for own in rows]

        before, body = kept(), {"goals": goals, "by_day": "2027-05-07"}
        for login, change, status in (
            ("coach", {"by_day": "2027-01-01"}, 422),
            ("coach", {"goals": [*goals, {"student_id": "none", "target": 5}]}, 404),
            ("teacher", {}, 404), ("coach", {"review_on": "2028-01-01"}, 422),
        ):  # fmt: skip
            self.assertEqual(post("/goals/agreed", body | change, login, **SCOPE).status_code, status, change)
        self.assertEqual(kept(), before)
        done = post("/goals/agreed", body, "specialist", **SCOPE)
        self.assertEqual(done.status_code, 201, done.text)
        for at, own in enumerate(kept()):
            self.assertIn((500 + at, f"Plan {at}", "2027-05-07"), own)
        self.assertEqual(post(f"/acts/{done.json()['act']}/undo", None).status_code, 200)
        self.assertEqual(kept(), before)
