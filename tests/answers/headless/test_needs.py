"""The headless runs ``items`` and ``standards`` against a plain second telling, and their refusals."""

import io
import json
import random
from typing import ClassVar

import networkx as nx
import pandas as pd

from tests.answers.headless import needs_twin as twin
from tests.support.runs import CommandRun

DAYS = ("2026-10-01", "2026-10-15", "2026-11-02", "")


def strange_test(seed):
    """Answers with gaps, second sittings, part credit, two keys, dropped items, options told or not."""
    draw = random.Random(seed)
    items, answers = ["test,item,key,points,options,standards,dropped"], []
    for test in ("One", "Two"):
        for at in range(draw.randint(2, 7)):
            key = draw.choice(("A", "B", "C", "B;D"))
            options = draw.choice(("", "A;B;C;D", "D;C;B;A"))
            standards = ";".join(draw.sample(("S1", "S2", "S3", "S4"), draw.randint(0, 2)))
            points, dropped = draw.choice(("", "2", "0.5")), draw.choice(("", "", "", "true"))
            items.append(f"{test},{at},{key},{points},{options},{standards},{dropped}")
        items.append(f"{test},last,A,,,S1,")
    for line in items[1:]:
        test, item, _, points, *_ = line.split(",")
        for student in range(draw.choice((6, 14, 40))):
            for day in draw.sample(DAYS, draw.choice((1, 1, 2))):
                if draw.random() < 0.1:
                    continue
                able = student % 4 / 4
                option = line.split(",")[2].split(";")[0] if draw.random() < able else draw.choice(("A", "B", "C", ""))
                given = draw.choice(("", "", "", "", f"{float(points or 1) / 2:g}"))
                answers.append(f"s{student},{test},{item},{option},{day},{given}")
    draw.shuffle(answers)
    return "\n".join(items) + "\n", "\n".join(["student_id,test,item,option,tested_on,points", *answers]) + "\n"


STANDARDS = "code,grade,subject,strand,text\n" + "".join(
    f"S{at},{grade},mathematics,Number,Words\n" for at, grade in ((3, 4), (1, 3), (4, 5), (2, 4), (5, 5), (6, 6))
)
RESTS = (("S2", "S1"), ("S3", "S2"), ("S4", "S3"), ("S4", "S1"), ("S5", "S2"), ("S6", "S5"))
PREREQUISITES = "code,rests_on\n" + "".join(f"{one},{below}\n" for one, below in RESTS)


def some_entries(seed):
    """What people entered, some of it on the days of the tests, some lines without a state."""
    draw = random.Random(seed)
    lines = ["student_id,standard,state,on,source"]
    for _ in range(40):
        state = draw.choice(("mastered", "nearly", "not yet", ""))
        day = draw.choice(("2026-09-30", "2026-10-01", "2026-10-15", "2026-12-01"))
        lines.append(f"s{draw.randint(0, 45)},S{draw.randint(1, 6)},{state},{day},{draw.choice(('', 'quick check'))}")
    return "\n".join(lines) + "\n"


class Items(CommandRun):
    def test_strange_tests_against_the_second_telling(self):
        """Twelve tests of all kinds: every figure, flag and option as the words of the format say."""
        for seed in range(6):
            items, answers = strange_test(seed)
            self.write(items=items, answers=answers)
            self.done("items", answers="answers", items="items")
            told, options = self.read("items"), self.read("options")
            summary = json.loads((self.out / "summary.json").read_text())
            item_frame, answer_frame = (
                pd.read_csv(io.StringIO(text), dtype=str, keep_default_na=False) for text in (items, answers)
            )
            for at, test in enumerate(("One", "Two")):
                table = twin.points_table(answer_frame, item_frame, test)
                rows, choices = twin.item_rows(table, item_frame, test)
                for row, line in zip(rows, told[told.test == test].to_dict("records"), strict=True):
                    with self.subTest(seed=seed, test=test, item=row["item"]):
                        for name in ("n", "answered", "right_n"):
                            self.assertEqual(line[name], str(row[name]), name)
                        for name in ("difficulty", "discrimination", "upper_lower"):
                            self.close(line[name], row.get(name), name)
                        self.assertEqual(line["flags"], ";".join(row["flags"]))
                        self.assertEqual(line["shared_option"], row["shared_option"])
                mine = options[options.test == test].to_dict("records")
                for row, line in zip(choices, mine, strict=True):
                    self.assertEqual(
                        (line["item"], line["option"], line["is_key"]), (row[1], row[2], str(row[3]).lower())
                    )
                    for name, number in zip(("n", "share", "top_n", "bottom_n"), row[4:], strict=True):
                        self.close(line[name], number, (seed, row))
                one = summary["tests"][at]
                won, _, _, worth = table
                live = [r.item for r in item_frame[item_frame.test == test].itertuples() if r.dropped != "true"]
                total = won[live].sum(axis=1)
                self.assertAlmostEqual(one["possible"], sum(worth[item] for item in live))
                self.assertAlmostEqual(one["mean"], total.mean())
                self.assertAlmostEqual(one["sd"], total.std())
                if one["alpha"] is not None:
                    self.assertAlmostEqual(one["alpha"], twin.alpha(table, item_frame, test))
                else:
                    self.assertTrue(one["n"] < 10 or len(live) < 2)
                students = self.read("students")
                rank = [100 * ((total < x).mean() + (total == x).mean() / 2) for x in total]
                mine = students[students.test == test]
                self.assertEqual(mine.student_id.tolist(), list(total.index))
                for text, number in zip(mine.rank_percentile, rank, strict=True):
                    self.close(text, number, test)
                self.assertEqual(mine.fifth.astype(int).tolist(), [min(5, int(x // 20) + 1) for x in rank])

    def test_by_section_and_withheld(self):
        """Units in the order of their students; a small one takes a second with it, and so does a rare option."""
        rows = [f"s{at},T,1,{'A' if at % 9 else 'B'}" for at in range(36)]
        self.write(
            items="test,item,key\nT,1,A\n", answers="student_id,test,item,option\n" + "\n".join(rows) + "\n",
            scores="student_id,assessment,subject,window,grade,score,section\n" + "".join(
                f"s{at},X,math,2026-27 fall,4,500,{'4A' if at < 4 else '4B' if at < 16 else '4C'}\n" for at in range(36)
            ),
        )  # fmt: skip
        by = {"answers": "answers", "items": "items", "sections": "scores"}
        self.done("items", "--by", "section", **by)
        units = json.loads((self.out / "summary.json").read_text())["tests"][0]["by"]
        self.assertEqual([(unit["value"], unit["n"]) for unit in units], [("4A", 4), ("4B", 12), ("4C", 20)])
        self.assertEqual(units[0]["mean"], 0.75)
        self.done("items", "--by", "section", "--withhold", "10", **by)
        units = json.loads((self.out / "summary.json").read_text())["tests"][0]["by"]
        self.assertEqual([unit["n"] for unit in units], [None, None, 20])
        self.assertTrue(units[0]["withheld"] and units[1]["withheld"])
        self.assertEqual(self.read("options").n.tolist(), ["", ""])
        self.assertEqual(self.read("items").right_n.tolist(), [""])

    def test_nine_students_and_nobody(self):
        """Under ten counts only, with a note; a test nobody sat stands there empty."""
        rows = "".join(f"s{at},T,1,B\n" for at in range(9))
        self.write(items="test,item,key\nT,1,A\nU,1,A\n", answers="student_id,test,item,option\n" + rows)
        self.done("items", answers="answers", items="items")
        line = self.read("items").iloc[0]
        self.assertEqual((line["difficulty"], line["flags"], line["right_n"]), ("", "nobody_right", "0"))
        summary = json.loads((self.out / "summary.json").read_text())
        self.assertEqual(
            [(one["n"], one["alpha"], one["few"]) for one in summary["tests"]], [(9, None, True), (0, None, True)]
        )
        self.assertIn("fewer than 10", summary["notes"][0])

    def test_faults_name_their_place(self):
        """An item nobody knows, points above the item's, a key that is no option, an item twice."""
        good = {"items": "test,item,key\nT,1,A\n", "answers": "student_id,test,item,option\ns,T,1,A\n"}
        for change, words, more in (
            ({"answers": "student_id,test,item,option\ns,T,2,A\n"}, ("answers.csv, line 2, column item", '"2"'), ()),
            ({"answers": "student_id,test,item,option,points\ns,T,1,A,2\n"}, ("line 2, column points",), ()),
            ({"items": "test,item,key,options\nT,1,A,B;C\n"}, ("items.csv, line 2, column key",), ()),
            ({"items": "test,item,key\nT,1,A\nT,1,B\n"}, ("line 3, column item", "line 2"), ()),
            ({"items": "test,item,key,points\nT,1,A,0\n"}, ("line 2, column points",), ()),
            ({"items": "test,item,key\nT,1,;\n"}, ("line 2, column key",), ()),
            ({}, ("--by", "--sections"), ("--by", "school")),
            ({}, ("--by", "shoe"), ("--by", "shoe")),
            ({}, ("items.csv", '"X"', '"T"'), ("--test", "X")),
        ):  # fmt: skip
            with self.subTest(words=words):
                self.write(**{**good, **change})
                self.refused("items", *words, more=more, answers="answers", items="items")
        self.write(**good, scores="student_id,assessment,subject,window,grade,score\nz,X,math,,4,5\n")
        self.refused("items", "scores.csv, line 2, column student_id", more=("--by", "school"),
                     answers="answers", items="items", sections="scores")  # fmt: skip


class Standards(CommandRun):
    FILES: ClassVar = {name: name for name in ("standards", "prerequisites", "mastery", "answers", "items")}

    def test_against_the_second_telling(self):
        """Six sets of evidence, with and without a period: states, paths, who is ahead, what is missed."""
        graph = nx.DiGraph((below, one) for one, below in RESTS)
        for seed in range(6):
            items, answers = strange_test(seed + 50)
            entries = some_entries(seed)
            self.write(items=items, answers=answers, standards=STANDARDS, prerequisites=PREREQUISITES, mastery=entries)
            period = ("2026-10-01", "2026-10-31") if seed % 2 else (None, None)
            limits = (90, 50, 2) if seed % 3 == 0 else (80, 60, 3)
            more = ["--grade", "4", "--grade", "5", "--mastered-from", str(limits[0]), "--nearly-from", str(limits[1]),
                    "--fewest", str(limits[2])]  # fmt: skip
            more += ["--from", period[0], "--to", period[1]] if period[0] else []
            self.done("standards", *more, **self.FILES)
            frames = [
                pd.read_csv(io.StringIO(text), dtype=str, keep_default_na=False) for text in (answers, items, entries)
            ]
            codes = ["S3", "S1", "S4", "S2", "S5", "S6"]
            kept = ["S3", "S4", "S2", "S5"]
            students, found, missed = twin.states(*frames, codes, *period, limits)
            told = self.read("mastery")
            self.assertEqual(told.student_id.tolist(), [one for one in students for _ in kept])
            for line in told.itertuples():
                piece = found.get((line.student_id, line.standard))
                with self.subTest(seed=seed, student=line.student_id, standard=line.standard):
                    if piece is None:
                        self.assertEqual((line.state, line.on, line.source, line.other), ("no evidence", "", "", "0"))
                        continue
                    self.assertEqual((line.on, line.state, line.source), (piece[0], piece[3], piece[7]))
                    for name, number in zip(("percent", "won", "possible"), piece[4:7], strict=True):
                        self.close(getattr(line, name), number if number != "" else None, name)
                    self.assertEqual(line.other, str(piece[8]))
            rows = self.read("paths")
            wanted = [(a, b, str(c), d, str(e).lower()) for a, b, c, d, e in twin.ways(students, found, graph, kept)]
            self.assertEqual(list(rows.itertuples(index=False, name=None)), wanted)
            state = {place: piece[3] for place, piece in found.items()}
            ahead = [(one, "S6") for one in students
                     if state.get((one, "S5")) == "mastered" and state.get((one, "S6")) != "mastered"]  # fmt: skip
            self.assertEqual(list(self.read("ahead").itertuples(index=False, name=None)), ahead)
            later = {"S3": 1, "S4": 0, "S2": 4, "S5": 1}
            gains = self.read("priorities")
            self.assertEqual(
                [(line.student_id, line.standard) for line in gains.itertuples()],
                [(one, code) for one in students for code in kept if (one, code) in missed],
            )
            for line in gains.itertuples():
                self.close(line.missed, missed[line.student_id, line.standard], line)
                self.close(line.weight, missed[line.student_id, line.standard] * (1 + later[line.standard]), line)
            table = self.read("standards")
            for line in table.itertuples():
                lacking = sum(state.get((one, line.standard)) in twin.LACK for one in students)
                self.assertEqual(
                    (line.lacking, line.later, line.weight),
                    (str(lacking), str(later[line.standard]), str(lacking * (1 + later[line.standard]))),
                )
            order = [(-int(line.weight), int(line.later), line.standard) for line in table.itertuples()]
            self.assertEqual(order, sorted(order))

    def test_the_teaching_calendar(self):
        """Before, now, later, never on a day; a plan of another grade does not count."""
        plan = "standard,from,to,grade\nS1,2026-09-01,2026-09-20,\nS2,2026-10-01,2026-10-20,4\n"
        plan += "S3,2026-11-01,2026-11-20,\nS5,2026-10-01,2026-10-20,9\n"
        self.write(standards=STANDARDS, mastery="student_id,standard,state,on\na,S1,mastered,2026-10-01\n", plan=plan)
        grades = [word for grade in (3, 4, 5) for word in ("--grade", str(grade))]
        self.done("standards", "--on", "2026-10-20", *grades, standards="standards", mastery="mastery",
                  teaching_calendar="plan")  # fmt: skip
        taught = dict(self.read("standards")[["standard", "taught"]].itertuples(index=False, name=None))
        self.assertEqual(taught, {"S1": "before", "S2": "now", "S3": "later", "S4": "never", "S5": "never"})

    def test_faults_name_their_place(self):
        """A cycle, standards that are not there, options that do not go together, limits out of order."""
        entry = "student_id,standard,state,on\na,S1,mastered,2026-10-01\n"
        good = {"standards": STANDARDS, "mastery": entry, "prerequisites": PREREQUISITES,
                "items": "test,item,key,standards\nT,1,A,S1\n",
                "answers": "student_id,test,item,option\ns,T,1,A\n"}  # fmt: skip
        for change, words, more in (
            ({"prerequisites": PREREQUISITES + "S1,S6\n"}, ("prerequisites.csv", "S1 -> S2"), ()),
            ({"prerequisites": "code,rests_on\nS1,S9\n"}, ("line 2, column rests_on", '"S9"'), ()),
            ({"mastery": entry.replace("S1", "S9")}, ("mastery.csv, line 2, column standard",), ()),
            ({"mastery": entry.replace("mastered", "done")}, ("line 2, column state",), ()),
            ({"items": good["items"].replace("S1", "S1;S8")}, ("items.csv, line 2", '"S8"'), ()),
            ({"standards": STANDARDS + "S1,3,mathematics,Number,Words\n"}, ("standards.csv, line 8, column code",), ()),
            ({}, ("--nearly-from", "must lie below"), ("--nearly-from", "90")),
            ({}, ("--from", "not a date"), ("--from", "1.10.2026")),
            ({}, ("--to",), ("--from", "2026-10-02", "--to", "2026-10-01")),
            ({}, ("--grade", '"Z"'), ("--grade", "Z")),
            ({}, ("--on", "--teaching-calendar"), ("--on", "2026-10-01")),
        ):  # fmt: skip
            with self.subTest(words=words):
                self.write(**{**good, **change})
                self.refused("standards", *words, more=more, **self.FILES)
        self.refused("standards", "--mastery", standards="standards")
        self.refused("standards", "--answers", standards="standards", answers="answers")
