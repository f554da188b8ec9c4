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
