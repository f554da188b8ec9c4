"""The headless run against a slow twin in pandas."""

import pandas as pd
from statsmodels.stats.contingency_tables import SquareTable
from statsmodels.stats.proportion import proportion_confint

from tests.support import files
from tests.support.headless import Run
from tests.support.twin import Twin, difference


class AgainstTheTwin(Run):
    """The twin is written from the rules, in another library, one student after another."""

    def check(self, *more, windows=(files.FALL, files.WINTER), year_end=False, seed=1, **filters):
        self.write(
            scores=files.scores(seed, newline="\r\n", mark="\ufeff"),
            norms=files.norms(),
            growth_norms=files.growth_norms(),
            cuts=files.cuts(),
        )
        students, summary = self.result(*more, first=windows[0], second=windows[1])
        twin = Twin(*(self.folder / f"{name}.csv" for name in ("scores", "norms", "growth_norms", "cuts")))
        answer = twin.run(files.MEASURE, *windows, year_end=year_end, **filters).sort_values("student_id")
        students = students.sort_values("student_id")
        self.assertEqual(difference(students, answer), [])
        return answer, summary

    def test_fall_to_winter(self):
        """Byte-order mark, CRLF, quoted commas, accents, doubles, missing scores, tests outside windows."""
        answer, summary = self.check()
        self.assertGreater(len(answer), 120)
        both = answer[answer.left_out == ""]
        self.assertEqual(summary["counts"]["matched"], len(both))
        self.assertEqual(summary["counts"]["from"], answer.from_score.notna().sum())

    def test_summary_figures_against_statsmodels(self):
        """Shares with Wilson ends, movement with both tests, growth: from the twin's students."""
        answer, summary = self.check(seed=3)
        both = answer[answer.left_out == ""]
        bands = [row["band"] for row in summary["bands"]]
        self.assertEqual(bands, ["Low", "Mid", "High", "Top"])
        for row in summary["bands"]:
            for side in ("from", "to"):
                n = int((both[f"{side}_band"] == row["band"]).sum())
                self.assertEqual(row[f"{side}_n"], n)
                self.assertAlmostEqual(row[f"{side}_share"], n / len(both), places=12)
                low, high = proportion_confint(n, len(both), method="wilson")
                self.assertAlmostEqual(row[f"{side}_low"], low, places=9)
                self.assertAlmostEqual(row[f"{side}_high"], high, places=9)
                above = both[f"{side}_band"].map(bands.index) >= row["order"] - 1
                self.assertAlmostEqual(row[f"{side}_at_or_above"], above.mean(), places=12)
        table = pd.crosstab(both.from_band, both.to_band).reindex(index=bands, columns=bands, fill_value=0)
        self.assertEqual(summary["movement"]["table"], table.to_numpy().tolist())
        reference = SquareTable(table.to_numpy(), shift_zeros=False).homogeneity()
        self.assertAlmostEqual(summary["movement"]["stuart_maxwell"]["statistic"], reference.statistic, places=6)
        growth = both[both.expected_gain.notna()]
        self.assertEqual(summary["growth"]["n"], len(growth))
        self.assertEqual(summary["growth"]["met_n"], int(growth.met.sum()))
        self.assertAlmostEqual(summary["growth"]["mean_gain"], growth.gain.mean(), places=9)
        self.assertAlmostEqual(summary["growth"]["mean_expected"], growth.expected_gain.mean(), places=9)
        self.assertEqual(summary["growth"]["median_growth_percentile"], growth.growth_percentile.median())

    def test_year_end_cuts_and_filters(self):
        """Year-end cuts; schools with a comma in their name; programs; a language."""
        self.check("--year-end-cuts", year_end=True)
        self.check(
            "--school", "North, Upper", "--grade", "3", "--grade", "5", school=["North, Upper"], grade=["3", "5"]
        )
        self.check("--program", "IEP", program=["IEP"])
        self.check("--language", "Portuguese", language="Portuguese")

    def test_across_the_summer_and_a_season_without_cuts(self):
        """Spring to the next fall uses the next grade's norms; a whole year; too far apart expects nothing."""
        self.check(windows=(files.SPRING, files.NEXT_FALL))
        self.check(windows=(files.FALL, files.NEXT_FALL))
        _, summary = self.check(windows=(files.SPRING, files.NEXT_FALL), seed=4)
        self.assertTrue(any("no spring cuts" in note and "year-end" in note for note in summary["notes"]))

    def test_more_than_a_year_apart_expects_nothing(self):
        """Fall to the winter after the next summer: no expectation, with a note; bands and movement stand."""
        later = files.scores(5).replace(files.NEXT_FALL, "2026-27 winter")
        self.write(scores=later, norms=files.norms(), cuts=files.cuts())
        students, summary = self.result(second="2026-27 winter")
        self.assertEqual(set(students.expected_score), {""})
        self.assertTrue(any("more than one year apart" in note for note in summary["notes"]))
        self.assertGreater(summary["movement"]["up"] + summary["movement"]["same"], 0)
