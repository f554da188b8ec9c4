"""The headless run ``groups``: small cases against every grouping there is, rules kept, clashes named."""

import itertools
import json
import math
import random

from tests.support.runs import CommandRun

INF = math.inf


def distance(need, focus):
    """Euclidean over the measures that are known, scaled up for those that are not."""
    known = [(a, b) for a, b in zip(need, focus, strict=True) if a is not None]
    return math.sqrt(sum((a - b) ** 2 for a, b in known)) * math.sqrt(len(focus) / len(known))


def best(needs, foci, allowed):
    """The least total over every assignment that a rule allows; infinite where there is none."""
    return min(
        (
            sum(distance(need, foci[g]) for need, g in zip(needs, place, strict=True))
            for place in itertools.product(range(len(foci)), repeat=len(needs))
            if allowed(place)
        ),
        default=INF,
    )


class Groups(CommandRun):
    FILES = ("needs", "groups")

    def case(self, seed):
        """Seven students, two measures with gaps, three groups with sizes, a pair together, a pair apart."""
        draw = random.Random(seed)
        needs = [[round(draw.gauss(0, 1), 2) for _ in range(2)] for _ in range(7)]
        for need in draw.sample(needs, 2):
            need[draw.randint(0, 1)] = None
        foci = [[round(draw.gauss(0, 1), 2) for _ in range(2)] for _ in range(3)]
        sizes = [(draw.choice(("", 1, 2)), draw.choice(("", 3, 4))) for _ in range(3)]
        text = "student_id,word work,number\n" + "".join(
            f"s{at}," + ",".join("" if value is None else str(value) for value in need) + "\n"
            for at, need in enumerate(needs)
        )
        groups = "group,word work,number,fewest,most\n" + "".join(
            f"G{at},{focus[0]},{focus[1]},{low},{high}\n"
            for at, (focus, (low, high)) in enumerate(zip(foci, sizes, strict=True))
        )
        return needs, foci, sizes, text, groups

    def test_small_cases_reach_the_true_optimum(self):
        """Eight cases with sizes and pairs: the total is that of the best of all 2,187 groupings, proven."""
        for seed in range(8):
            needs, foci, sizes, text, groups = self.case(seed)
            self.write(needs=text, groups=groups, rules_toml='together = [["s0", "s1"]]\napart = [["s2", "s3"]]\n')
            wanted = best(needs, foci, lambda place, sizes=sizes: place[0] == place[1] and place[2] != place[3] and all(
                (low or 0) <= place.count(g) <= (high or 7) for g, (low, high) in enumerate(sizes)
            ))  # fmt: skip
            self.done("groups", needs="needs", groups="groups", rules="rules.toml", status=0 if wanted < INF else 1)
            summary = json.loads((self.out / "summary.json").read_text())
            with self.subTest(seed=seed):
                if wanted == INF:
                    self.assertTrue(summary["clash"])
                    continue
                self.assertAlmostEqual(summary["total"], wanted, places=3)
                self.assertTrue(summary["proven"])
                rows = self.read("placements")
                told = {row.student_id: (row.group, float(row.distance)) for row in rows.itertuples()}
                for at, need in enumerate(needs):
                    group, away = told[f"s{at}"]
                    self.assertAlmostEqual(away, distance(need, foci[int(group[1])]))
                self.assertEqual(told["s0"][0], told["s1"][0])
                self.assertNotEqual(told["s2"][0], told["s3"][0])
                before = {path.name: path.read_bytes() for path in self.out.iterdir()}
                self.done("groups", needs="needs", groups="groups", rules="rules.toml")
                self.assertEqual({path.name: path.read_bytes() for path in self.out.iterdir()}, before)

    def test_adults_slots_and_reasons(self):
        """An adult has one group a slot; who must stay in class goes elsewhere, and both say why."""
        self.write(
            needs="student_id,a\nx,0\ny,0\nz,1\n", groups="group,a\nlow,0\nhigh,1\n",
            rules_toml='[adults]\nAnn = ["Mon"]\nBob = ["Tue"]\n[stays]\nx = ["Mon"]\ny = ["Tue"]\n',
        )  # fmt: skip
        self.done("groups", needs="needs", groups="groups", rules="rules.toml")
        groups, rows = self.read("groups"), self.read("placements")
        self.assertEqual(sorted(zip(groups.slot, groups.adult, strict=True)), [("Mon", "Ann"), ("Tue", "Bob")])
        slot = dict(zip(groups.group, groups.slot, strict=True))
        place = dict(zip(rows.student_id, rows.group, strict=True))
        self.assertNotEqual(slot[place["x"]], "Mon")
        self.assertNotEqual(slot[place["y"]], "Tue")
        why = dict(zip(rows.student_id, rows.why, strict=True))
        self.assertEqual(sorted((why["x"], why["y"])), ["nearest", "slot"])
        self.assertEqual(groups.n.astype(int).sum(), 3)

    def test_clashes_are_named(self):
        """Sizes nobody can keep, a student who is never free, three kept apart in two groups; status 1, no groups."""
        needs = "student_id,a\nx,0\ny,1\nz,2\n"
        groups = "group,a\nlow,0\nhigh,1\n"
        three = 'apart = [["x", "y"], ["y", "z"], ["x", "z"]]\n'
        for rules, kind, students, bound in (
            ("most = 1\n", "most", [], ["low", "high"]),
            ("fewest = 2\n", "fewest", [], ["low", "high"]),
            ('[adults]\nAnn = ["Mon", "Tue"]\n[stays]\ny = ["Tue", "Mon"]\n', "stays", ["y"], []),
            (three, "apart", ["x", "y", "z"], []),
            ('[adults]\nAnn = ["Mon"]\n', "adults", [], []),
        ):
            with self.subTest(kind=kind):
                self.write(needs=needs, groups=groups, rules_toml=rules)
                self.done("groups", needs="needs", groups="groups", rules="rules.toml", status=1)
                summary = json.loads((self.out / "summary.json").read_text())
                self.assertEqual([one["kind"] for one in summary["clash"]], [kind])
                self.assertEqual((summary["clash"][0]["students"], summary["clash"][0]["groups"]), (students, bound))
                self.assertTrue(summary["smallest"])
                self.assertFalse((self.out / "placements.csv").exists())

    def test_own_sizes_are_one_rule_a_group(self):
        """Of two groups with sizes of their own only the one that cannot be filled clashes, with the other's most."""
        self.write(needs="student_id,a\nx,0\ny,1\n", groups="group,a,fewest,most\nlow,0,2,\nhigh,1,1,\n")
        self.done("groups", needs="needs", groups="groups", status=1)
        summary = json.loads((self.out / "summary.json").read_text())
        self.assertEqual([(one["kind"], one["groups"]) for one in summary["clash"]],
                         [("fewest", ["low"]), ("fewest", ["high"])])  # fmt: skip

    def test_foci_are_found(self):
        """Two clouds give two foci at their means, named 1 and 2."""
        rows = "".join(f"l{at},{-2 + at / 10}\nh{at},{2 + at / 10}\n" for at in range(4))
        self.write(needs="student_id,a\n" + rows)
        self.done("groups", "--number", "2", needs="needs")
        groups = self.read("groups")
        self.assertEqual(groups.group.tolist(), ["1", "2"])
        self.assertEqual(sorted(round(float(value), 3) for value in groups.a), [-1.85, 2.15])
        self.assertEqual(groups.slot.tolist(), ["", ""])

    def test_faults_name_their_place(self):
        """A student without any need, a focus with a gap, other measures, unknown students, nonsense in the rules."""
        needs, groups = "student_id,a,b\nx,0,1\ny,1,\n", "group,a,b\nlow,0,0\nhigh,1,1\n"
        for change, words, more in (
            ({"needs": needs + "z,,\n"}, ("needs.csv, line 4, column student_id",), ()),
            ({"needs": needs + "x,1,1\n"}, ("line 4, column student_id", "line 2"), ()),
            ({"needs": "student_id,a,b\nx,0,1o\n"}, ("line 2, column b",), ()),
            ({"groups": "group,a,b\nlow,0,\n"}, ("groups.csv, line 2, column b",), ()),
            ({"groups": "group,a\nlow,0\n"}, ("groups.csv", "column b"), ()),
            ({"rules_toml": 'apart = [["x", "q"]]\n'}, ("rules.toml", '"q"'), ()),
            ({"rules_toml": "most = -1\n"}, ("rules.toml", "most"), ()),
            ({"rules_toml": "size = 1\n"}, ("rules.toml", "size"), ()),
            ({"rules_toml": "most = \n"}, ("rules.toml", "TOML"), ()),
            ({"rules_toml": '[stays]\nq = ["Mon"]\n'}, ("rules.toml", '"q"'), ()),
            ({}, ("--groups",), ("--number", "1")),
        ):  # fmt: skip
            with self.subTest(words=words):
                self.write(**{"needs": needs, "groups": groups, "rules_toml": "", **change})
                self.refused("groups", *words, more=more, needs="needs", groups="groups", rules="rules.toml")
        self.refused("groups", "--number", more=("--number", "9"), needs="needs")
