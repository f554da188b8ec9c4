"""Bringing a OneRoster 1.2 package in: its roster, its results, and our cuts where it carries them."""

import json

import polars as pl
from sqlalchemy.orm import Session

from bodkin.core.errors import BadInput
from bodkin.core.windows import GRADES, parse_window
from bodkin.exchange.changes.ledger import Ledger
from bodkin.exchange.changes.plans import SHOWN, Plan
from bodkin.exchange.changes.sync import Row
from bodkin.exchange.faults import Fault
from bodkin.exchange.oneroster.files import OURS, Package
from bodkin.exchange.oneroster.roster import PlannedRoster
from bodkin.exchange.plain.import_scores import plan_scores
from bodkin.exchange.plain.import_tables import CUT_SHAPE, plan_table
from bodkin.exchange.plain.plain_files import SCORES, read_cuts
from bodkin.exchange.questions.question import NO_ANSWERS, Answers
from bodkin.exchange.tables_in.reading import Reading, unusable
from bodkin.exchange.tables_in.sheets import Sheet
from bodkin.store.database import DISTRICT
from bodkin.store.tables import Assessment, District, Enrolment

NUMBERS = {
    "standard_error": "standardError", "percentile": "percentile", "minutes": "minutes", "points": "points",
    "points_possible": "pointsPossible", "items_tried": "itemsTried", "items_right": "itemsRight",
}  # fmt: skip
"""Numbers of a result beside its score, and what the package calls them."""
SCALE = ("assessment", "subject", "grade", "season", "purpose")
BAND = ("order", "band", "min_score", "min_percentile")
"""What a score scale says of itself, and of each of its bands, in the words of a file of cuts."""


def plan_package(session: Session, package: Package, answers: Answers = NO_ANSWERS) -> Plan:
    """What a package would do, as its questions are answered. Rows that point at nothing become faults of it."""
    plan = _Planned(session, package, answers)
    plan.work_out()
    results, cuts = plan.results(), plan.cuts()
    # What the readings leave out is told too.
    notices = [*package.notices, *plan.notices]
    # Faults of results are about lines of results.csv; the two readings are ours.
    package.faults = sorted({*package.faults, *results.faults, *cuts.faults})
    scores = plan_scores(session, results, answers, with_roster=False)
    bands = plan_table(session, cuts, CUT_SHAPE)
    sync = plan.sync

    def apply(ledger: Ledger) -> None:
        sync.apply(ledger)
        for key in plan.ended:
            ledger.remove(Enrolment, [key])
        if plan.district is not None:
            ledger.change(District, [{"id": DISTRICT, "name": plan.district}])
        plan_table(session, plan.cuts(), CUT_SHAPE).apply(ledger)
        plan_scores(session, plan.results(), answers, with_roster=False).apply(ledger)

    counts = {name: sync.counts[name] + scores.counts[name] + bands.counts[name] for name in ("new", "changed", "same")}
    counts["changed"] += len(plan.ended) + (plan.district is not None)
    adds = {**sync.adds, "results": scores.counts["new"], "bands": bands.counts["new"]}
    rows = [*sync.shown, *scores.rows, *bands.rows][:SHOWN]
    added = {name: n for name, n in adds.items() if n}
    questions = [*plan.questions, *scores.questions]
    return Plan(counts, rows, apply, added, [*notices, *scores.notices], questions)


class _Planned(PlannedRoster):
    """A package on its way into our tables: the roster, and then what rests on it."""

    def work_out(self) -> None:
        """The roster first, then the tests that its line items name."""
        super().work_out()
        self._tests()
        # Who is marked for deletion: a place in a class ends, anything else has results resting on it.
        if rest := {name: n for name, n in self.marked.items() if name != "enrollments"}:
            listed = ", ".join(f"{n} of {name}" for name, n in rest.items())
            self.notices.append(f"rows marked for deletion are kept, because results depend on them: {listed}")

    def _tests(self) -> None:
        """Tests as the line items name them, with their kind and norm group."""
        rows: dict[tuple[str, str], Row] = {}
        for row in self.rows("lineItems"):
            name, subject = self._measure(row)
            rows.setdefault(
                (name, subject),
                {"name": name, "subject": subject, "kind": row[f"{OURS}kind"] or "common",
                 "norm_group": row[f"{OURS}normGroup"], "line": row["line"]},
            )  # fmt: skip
        self.sync.take(Assessment, ("name", "subject"), rows.values(), "test")

    def _measure(self, row: Row) -> tuple[str, str]:
        ours = row[f"{OURS}assessment"]
        subject = row[f"{OURS}subject"] or self.subject_of.get(row["classSourcedId"]) or "general"
        return (ours or row["title"])[:160], subject[:64]

    def results(self) -> Reading:
        """Results as lines of a file of scores, people and classes by name."""
        lines = {row["sourcedId"]: row for row in self.rows("lineItems")}
        made: list[Row] = []
        faults: list[Fault] = []
        file = f"{self.package.file}/results.csv"
        for row in self.rows("results"):
            line = lines.get(row["lineItemSourcedId"])
            student = self.names["student"].get(row["studentSourcedId"])
            window = line[f"{OURS}window"] if line else None
            if line is None:
                faults.append(_nothing(file, row, "lineItemSourcedId", "line item"))
            elif student is None:
                faults.append(_nothing(file, row, "studentSourcedId", "student"))
            elif window is not None and not _is_window(window):
                faults.append(Fault(file, row["line"], "lineItemSourcedId", f'"{window}" is not a window'))
            else:
                made.append(self._score(row, line, student, window))
        # As floats at first, so that what is no number, or none for its column, is told and not lost.
        schema = pl.Schema({"line": pl.Int64} | {column.name: column.kind.dtype for column in SCORES.columns})
        frame = pl.DataFrame(made, schema={**schema, **dict.fromkeys(NUMBERS, pl.Float64)}, orient="row")
        for column in SCORES.columns:
            if column.name in NUMBERS:
                bad = frame["line"].filter(unusable(frame[column.name], column.kind))
                faults += [Fault(file, at, OURS + NUMBERS[column.name], column.kind.advice) for at in bad]
        frame = frame.filter(~pl.col("line").is_in(sorted({fault.line for fault in faults})))
        return Reading(file, frame.cast(schema), faults=faults)

    def _score(self, row: Row, line: Row, student: str, window: str | None) -> Row:
        section = row["classSourcedId"] or line["classSourcedId"]
        name, subject = self._measure(line)
        known = row[f"{OURS}dateKnown"] != "false"
        school = self.school_of.get(section)
        school = school or self.names["school"].get(line["schoolSourcedId"])
        grade = row[f"{OURS}grade"]
        ours = {
            "language": "language", "percentile_basis": "percentileBasis", "accommodations": "accommodations",
        }  # fmt: skip
        return {
            "line": row["line"], "student_id": student, "assessment": name, "subject": subject, "window": window,
            "grade": grade if grade in GRADES else None, "score": row["score"], "school": school,
            "section": self.names["section"].get(section), "tested_on": row["scoreDate"] if known else None,
            "teacher": self.names["person"].get(row[f"{OURS}teacher"]),
            **{column: row[f"{OURS}{theirs}"] for column, theirs in ours.items()},
            **{column: _number(row[OURS + theirs]) for column, theirs in NUMBERS.items()},
        }  # fmt: skip

    def cuts(self) -> Reading:
        """Score scales of ours, read as a file of cuts is; one with a fault stays out whole."""
        file = f"{self.package.file}/scoreScales.csv"
        lines: list[int] = []
        cells: list[list[str | None]] = []
        others = 0
        for row in self.rows("scoreScales"):
            bands = _bands(row[f"{OURS}bands"])
            if not bands or not row[f"{OURS}assessment"] or row[f"{OURS}grade"] not in GRADES:
                others += 1
                continue
            scale = {name: row[f"{OURS}{name}"] for name in SCALE}
            scale["subject"] = scale["subject"] or "general"
            lines += [row["line"]] * len(bands)
            cells += [[*scale.values(), *band] for band in bands]
        if others and not any("score scales" in notice for notice in self.notices):
            self.notices.append(f"{others} score scales of another kind are left out")
        names = [*SCALE, *BAND]
        columns = [pl.Series(name, [one[at] for one in cells], pl.String) for at, name in enumerate(names)]
        reading = read_cuts(file, Sheet(file, names, names, 1, pl.Series("line", lines, pl.Int64), columns))
        # The file has all bands of a scale in one cell.
        reading.faults = sorted(
            Fault(file, fault.line, OURS + ("bands" if fault.column in BAND else fault.column), fault.message)
            for fault in reading.faults
        )
        return reading


def _nothing(file: str, row: Row, column: str, what: str) -> Fault:
    return Fault(file, row["line"], column, f'there is no {what} "{row[column]}" in this package or in Bodkin')


def _bands(text: str | None) -> list[list[str | None]]:
    """The bands of a scale as texts: order, name, lowest score, lowest percentile; none of what is not of that form."""
    try:
        found = json.loads(text or "null")
    except (ValueError, RecursionError):
        return []
    if not isinstance(found, list) or not all(isinstance(band, list) and len(band) == len(BAND) for band in found):
        return []
    return [[None if value in (None, "") else str(value) for value in band] for band in found]


def _number(value: object) -> float | None:
    """A number; NaN where the text is none."""
    if value is None:
        return None
    try:
        return float(str(value))
    except ValueError:
        return float("nan")


def _is_window(text: str) -> bool:
    try:
        parse_window(text)
    except BadInput:
        return False
    return True
