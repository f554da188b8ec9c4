"""What the screens are told equals the headless run, and every number opens its students."""

import io
import json
import random
import tempfile
import unittest
from contextlib import redirect_stdout
from pathlib import Path

import numpy as np
import pandas as pd

from bodkin.answers.comparison.comparison import compare
from bodkin.answers.comparison.summary import summarise
from bodkin.answers.headless.compare import write_run
from bodkin.answers.scope.scope import Scope
from bodkin.cli import run
from bodkin.commands.client import DESCRIPTION
from bodkin.core.compare.movement import movement
from bodkin.core.growth.expected_growth import expected_growth, growth_seen
from bodkin.core.scores.scales import percentile_rank
from bodkin.core.scores.shares import band_shares
from bodkin.exchange.plain.export import write_plain_files
from bodkin.exchange.plain.headless.scores import score_table
from tests.api.application import SCOPE, description, nobody, signed_in
from tests.support import stage
from tests.support.extent import extent
from tests.support.twin import difference

WINDOWS = [f"{year} {season}" for year in ("2024-25", "2025-26", "2026-27") for season in ("fall", "winter", "spring")]


def draw(rng):
    """A scope as somebody might choose it."""
    first, second = sorted(rng.sample(range(9), 2))
    scope = {
        "assessment": "Saltgauge",
        "subject": rng.choice(["reading", "mathematics"]),
        "from_window": WINDOWS[first],
        "to_window": WINDOWS[second],
        "matched": rng.random() < 0.6,
        "cuts": rng.choice(["season", "year-end"]),
        "by": rng.choice(["school", "grade", "section", "teacher", "language", "program"]),
    }
    if rng.random() < 0.5:
        scope["grade"] = rng.sample("2345678", rng.randint(1, 3))
    if rng.random() < 0.4:
        scope["school"] = rng.sample(
            ["Osier Bank Primary", "Saltgrass Primary", "Marrow Point Middle"], rng.randint(1, 2)
        )
    if rng.random() < 0.3:
        scope["program"] = rng.sample(["Multilingual learner", "Individual plan", "none"], 1)
    if rng.random() < 0.2:
        scope["language"] = "Portuguese"
    return scope


class EqualTheHeadlessRun(unittest.TestCase):
    @classmethod
    def setUpClass(cls):
        holder = tempfile.TemporaryDirectory()
        cls.addClassCleanup(holder.cleanup)
        cls.folder = Path(holder.name)
        with stage.demo().reading() as session:
            write_plain_files(session, cls.folder)
        names = ("scores", "norms", "growth_norms", "cuts", "calendar")
        cls.table = score_table(**{name: cls.folder / f"{name}.csv" for name in names})

    def headless(self, scope, number):
        """The run's two files: the first few by the command itself, the others from the files read once."""
        out = self.folder / "out"
        if number < 6:
            self.command(scope, out)
        else:
            made = compare(self.table, Scope(**scope))
            write_run(out, made, summarise(made))
        students = pd.read_csv(out / "students.csv", dtype=str, keep_default_na=False)
        return students, json.loads((out / "summary.json").read_text())

    def command(self, scope, out):
        words = ["compare"]
        for name in ("scores", "norms", "growth_norms", "cuts", "calendar"):
            words += [f"--{name.replace('_', '-')}", str(self.folder / f"{name}.csv")]
        words += ["--assessment", scope["assessment"], "--subject", scope["subject"]]
        words += ["--from", scope["from_window"], "--to", scope["to_window"], "--by", scope["by"]]
        words += ["--matched" if scope["matched"] else "--all"]
        words += ["--season-cuts" if scope["cuts"] == "season" else "--year-end-cuts"]
        for name in ("grade", "school", "program"):
            for value in scope.get(name, []):
                words += [f"--{name}", value]
        if "language" in scope:
            words += ["--language", scope["language"]]
        with redirect_stdout(io.StringIO()):
            self.assertEqual(run([*words, "--out", str(out)]), 0)

    def check_with_core(self, scope, shown, rows):
        """What the screens say of students put together again by the core alone."""
        bands = len(shown["bands"])
        matched = rows[rows.from_score.notna() & rows.to_score.notna()]
        for side in ("from", "to"):
            orders = (matched if scope["matched"] else rows)[f"{side}_order"].astype(float)
            found = band_shares(orders.to_numpy(), bands)
            for name, values in (("n", found.count), ("share", found.share), ("low", found.low), ("high", found.high)):
                answer = [row[f"{side}_{name}"] for row in shown["bands"]]
                np.testing.assert_array_equal(np.array(answer, dtype=float), values.astype(float))
        moved = movement(*(matched[f"{side}_order"].astype(float).to_numpy() for side in ("from", "to")), bands)
        self.assertEqual(shown["movement"]["table"], moved.table.tolist())
        self.assertEqual((shown["movement"]["up"], shown["movement"]["down"]), (moved.up, moved.down))
        known = matched[matched.expected_score.notna()]
        if not len(known):
            return
        wanted = ("from_score", "to_score", "from_error", "to_error", "from_norm_mean", "from_norm_sd", "to_norm_mean",
                  "to_norm_sd", "expected_score", "expected_spread", "distance", "to_percentile")  # fmt: skip
        numbers = {name: known[name].astype(float).to_numpy() for name in wanted}
        spread = numbers["to_norm_sd"]
        rho = np.sqrt(1 - (numbers["expected_spread"] / spread) ** 2)
        again = expected_growth(
            numbers["from_score"], numbers["from_norm_mean"], numbers["from_norm_sd"], numbers["to_norm_mean"], spread,
            rho,
        )  # fmt: skip
        np.testing.assert_allclose(again.score, numbers["expected_score"], rtol=1e-9)
        seen = growth_seen(
            numbers["from_score"], numbers["to_score"], again, numbers["from_error"], numbers["to_error"]
        )
        np.testing.assert_allclose(seen.distance, numbers["distance"], atol=1e-7)
        np.testing.assert_array_equal(
            percentile_rank(numbers["to_score"], numbers["to_norm_mean"], spread), numbers["to_percentile"]
        )

    def test_random_scopes(self):
        """Bands, movement, breakdown, growth, notes, and every student's figures, for drawn scopes."""
        rng, coach = random.Random(3), signed_in("coach")
        for number in range(extent(10, 60)):
            scope = draw(rng)
            with self.subTest(number=number, scope=scope):
                students, summary = self.headless(scope, number)
                shown = coach.get("/api/compare", params={**scope, "count": 5000}).json()
                for part in ("bands", "movement", "by", "notes"):
                    self.assertEqual(shown[part], summary[part], part)
                self.assertEqual(
                    (shown["from_n"], shown["to_n"], shown["matched_n"]),
                    tuple(summary["counts"][name] for name in ("from", "to", "matched")),
                )
                drill_down = pd.DataFrame(coach.get("/api/drill-down", params=scope).json()["rows"])
                if len(drill_down):
                    self.check_with_core(scope, shown, drill_down)
                grown = coach.get("/api/growth", params=scope).json()
                if grown["still_to_come"]:
                    grown = coach.get("/api/growth", params={**scope, "count": 5000}).json()
                self.assertEqual(grown["growth"], summary["growth"])
                rows = pd.DataFrame(grown["rows"])
                if not grown["still_to_come"] and len(drill_down):
                    # The rows of Growth are those behind the figures, whoever has both results.
                    rows = drill_down[drill_down.from_score.notna() & drill_down.to_score.notna()]
                    self.assertEqual(len(rows), grown["n"])
                if not len(rows):
                    continue
                rows = rows.rename(columns={"distance": "gain_z"}).sort_values("student_id")
                answer = students[students.student_id.isin(rows.student_id)].sort_values("student_id")
                names = ["student_id", "from_score", "to_score", "gain", "expected_score", "gain_z", "met", "verdict"]
                names += ["from_percentile", "to_percentile", "growth_percentile", "near_cut"]
                self.assertEqual(difference(answer[names], rows[names].astype(object)), [])


class BehindTheNumbers(unittest.TestCase):
    def drill_down(self, **pick):
        return signed_in("coach").get("/api/drill-down", params={**SCOPE, "grade": "4", **pick}).json()

    def test_every_number_of_compare_opens_that_many_students(self):
        """Bands, flows, movers, units, those close to a cut and those left out."""
        scope = {**SCOPE, "grade": "4", "by": "section"}
        answer = signed_in("coach").get("/api/compare", params=scope).json()
        for row in answer["bands"]:
            for side in ("from", "to"):
                self.assertEqual(len(self.drill_down(side=side, band=row["order"])["rows"]), row[f"{side}_n"])
                n = len(self.drill_down(side=side, at_or_above=row["order"])["rows"])
                self.assertAlmostEqual(n / answer["matched_n"], row[f"{side}_at_or_above"])
        for i, cells in enumerate(answer["movement"]["table"], 1):
            for j, cell in enumerate(cells, 1):
                self.assertEqual(len(self.drill_down(from_band=i, to_band=j)["rows"]), cell)
        for way in ("up", "same", "down"):
            self.assertEqual(len(self.drill_down(moved=way)["rows"]), answer["movement"][way])
        for unit in answer["by"]:
            rows = self.drill_down(unit="section", value=unit["value"])["rows"]
            self.assertEqual(len(rows), unit["counts"]["matched"])
        self.assertEqual(len(self.drill_down(near_cut=True)["rows"]), answer["near_cut"])
        self.assertEqual(len(self.drill_down(left_out=True)["rows"]), sum(r["n"] for r in answer["left_out"]))
        for reason in answer["left_out"]:
            self.assertEqual(len(self.drill_down(reason=reason["reason"])["rows"]), reason["n"])

    def test_every_number_of_growth_opens_that_many_students(self):
        """Met, clearly above and below, and those who kept pace and are still low."""
        answer = signed_in("coach").get("/api/growth", params={**SCOPE, "grade": "4"}).json()
        self.assertEqual(len(self.drill_down(met=True)["rows"]), answer["growth"]["met_n"])
        self.assertEqual(len(self.drill_down(verdict="clearly_below")["rows"]), answer["clearly_below"])
        self.assertEqual(len(self.drill_down(verdict="clearly_above")["rows"]), answer["clearly_above"])
        self.assertEqual(len(self.drill_down(kept_pace_low=True)["rows"]), answer["kept_pace_low"])

    def test_a_pick_that_is_none_is_refused(self):
        """The message names the field."""
        answer = signed_in("coach").get("/api/drill-down", params={**SCOPE, "moved": "sideways"})
        self.assertEqual(answer.status_code, 422)
        self.assertIn("moved", answer.json()["message"])


class FirstChoiceAndSentence(unittest.TestCase):
    def test_each_role_meets_own_students_and_the_latest_two_windows(self):
        """Reading, fall to winter of this year; the sentence says whose students."""
        for login, words in (("coach", "all students"), ("lead", "at Saltgrass Primary"), ("teacher", "my students")):
            with self.subTest(login=login):
                first = signed_in(login).get("/api/scope/first").json()["scope"]
                self.assertEqual(first, SCOPE)
                answer = signed_in(login).get("/api/compare", params=first).json()
                self.assertIn(words, answer["caption"])
                self.assertGreater(answer["covered"], 20)

    def test_pieces_that_differ_from_the_first_choice_are_marked(self):
        """Narrowed students, all with a result, year-end cuts."""
        scope = {**SCOPE, "grade": "4", "matched": False, "cuts": "year-end"}
        pieces = signed_in("coach").get("/api/scope/rail", params=scope).json()["pieces"]
        self.assertEqual({p["key"] for p in pieces if p["changed"]}, {"who", "matched", "cuts"})

    def test_the_window_still_to_come_is_offered(self):
        """Spring has no results; growth then shows what to expect."""
        choices = signed_in("coach").get("/api/scope/choices").json()
        spring = next(w for w in choices["windows"] if w["name"] == "2026-27 spring")
        self.assertEqual((spring["n"], spring["unfinished"]), (0, True))
        scope = {**SCOPE, "from_window": "2026-27 winter", "to_window": "2026-27 spring", "grade": "4"}
        answer = signed_in("coach").get("/api/growth", params=scope).json()
        self.assertTrue(answer["still_to_come"])
        self.assertTrue(all(row["expected_score"] and row["gain"] is None for row in answer["rows"]))


class UnitsInParts(unittest.TestCase):
    def test_a_part_is_that_of_the_whole(self):
        """Sorted by the server, so many of them; what is said of all stays, small groups withheld or not."""
        coach, asked = signed_in("coach"), {**SCOPE, "by": "section"}
        for more in ({}, {"withhold": 10}):
            whole = coach.get("/api/compare", params={**asked, **more, "count": 500}).json()
            self.assertGreater(len(whole["by"]), 60)
            self.assertEqual(whole["units_n"], len(whole["by"]))
            said = coach.get("/api/compare", params={**asked, **more}).json()
            self.assertEqual(said, {**whole, "by": whole["by"][:60]})
            turned = {"sort": "up", "down": "true", "count": 7}
            shown = coach.get("/api/compare", params={**asked, **more, **turned}).json()
            # Withheld numbers come last.
            ups = [-1 if row["movement"]["up"] is None else row["movement"]["up"] for row in whole["by"]]
            told = [-1 if row["movement"]["up"] is None else row["movement"]["up"] for row in shown["by"]]
            self.assertEqual(told, sorted(ups, reverse=True)[:7])
            self.assertEqual({**shown, "by": []}, {**whole, "by": []})
        refused = coach.get("/api/compare", params={**asked, "sort": "luck"})
        self.assertEqual(refused.status_code, 422)
        self.assertIn("sort", refused.json()["message"])


class PlantedStories(unittest.TestCase):
    """Each story of the invented district that these steps can show is there to be found."""

    def compare(self, **scope):
        return signed_in("coach").get("/api/compare", params={**SCOPE, **scope}).json()

    def growth(self, **scope):
        return signed_in("coach").get("/api/growth", params={**SCOPE, **scope}).json()["growth"]

    def test_grade_4_reading_at_saltgrass_fell_in_winter(self):
        """Of grade 4, Saltgrass moved down most, is more than chance."""
        by = {r["value"]: r for r in self.compare(grade="4", by="school")["by"]}
        saltgrass, other = by["Saltgrass Primary"]["movement"], by["Osier Bank Primary"]["movement"]
        self.assertLess(saltgrass["net"], other["net"] - 0.1)
        self.assertLess(saltgrass["stuart_maxwell"]["p"], 0.05)
        self.assertLess(self.growth(grade="4", school="Saltgrass Primary")["met_share"], 0.35)

    def test_a_class_that_rushed_stands_out(self):
        """7 Yawl in mathematics: the lowest net move of all classes of grade 7."""
        by = self.compare(subject="mathematics", grade="7", by="section", count=500)["by"]
        self.assertEqual(min(by, key=lambda r: r["movement"]["net"])["value"], "7 Yawl")

    def test_portuguese_readers_do_far_better_in_portuguese(self):
        """The same students in both languages."""
        scope = {**SCOPE, "program": "Multilingual learner", "grade": ["3", "4", "5"]}
        rows = {}
        for language in ("Portuguese", "English"):
            answer = (
                signed_in("coach")
                .get("/api/growth", params={**scope, "language": language, "count": 5000})
                .json()["rows"]
            )
            rows[language] = {row["student_id"]: row["to_score"] for row in answer}
        both = rows["Portuguese"].keys() & rows["English"].keys()
        self.assertGreater(len(both), 30)
        self.assertGreater(sum(rows["Portuguese"][s] - rows["English"][s] for s in both) / len(both), 30)

    def test_one_group_works_and_one_does_not(self):
        """Growth of the two reading groups."""
        groups = {g["name"]: g["id"] for g in signed_in("coach").get("/api/groups").json()}
        self.assertGreater(self.growth(group=groups["Tide pool readers"])["met_share"], 0.75)
        self.assertLess(self.growth(group=groups["Deep water readers"])["met_share"], 0.5)

    def test_a_flooded_school_has_a_gap_and_one_score_is_wild(self):
        """No fall 2024-25 at Osier Bank; one winter score far below expectation."""
        gap = self.compare(from_window="2024-25 fall", to_window="2024-25 winter", school="Osier Bank Primary")
        self.assertEqual((gap["from_n"], gap["to_n"] > 300), (0, True))
        rows = signed_in("coach").get("/api/growth", params={**SCOPE, "count": 5000}).json()["rows"]
        self.assertLess(rows[0]["distance"], -5)


class Errors(unittest.TestCase):
    def test_one_shape_of_error_that_repeats_nothing_sent(self):
        """Bad scopes name their field; unknown addresses are 404 in the same shape."""
        coach = signed_in("coach")
        for parameters, word in (
            ({**SCOPE, "from_window": "<b>x</b>"}, "from_window"),
            ({**SCOPE, "from_window": "2026-27 winter", "to_window": "2026-27 fall"}, "second window"),
            ({**SCOPE, "cuts": "<i>"}, "cuts"),
            ({"assessment": "x"}, "subject"),
        ):
            answer = coach.get("/api/compare", params=parameters)
            with self.subTest(word=word):
                self.assertEqual(answer.status_code, 422)
                self.assertEqual(set(answer.json()), {"code", "message", "faults"})
                self.assertIn(word, answer.json()["message"])
        self.assertEqual(coach.get("/api/nothing").status_code, 404)
        self.assertEqual(nobody().get("/api/nothing").json()["code"], "not_found")

    def test_pages_let_nothing_in_from_elsewhere(self):
        """The policy of the page allows only our own files."""
        self.assertIn("default-src 'self'", nobody().get("/").headers["content-security-policy"])


class Description(unittest.TestCase):
    def test_the_description_is_fresh(self):
        """The client's types are made from it; ./bodkin types writes both anew."""
        self.assertEqual(json.loads(DESCRIPTION.read_text(encoding="utf-8")), description())
