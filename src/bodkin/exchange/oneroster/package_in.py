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
from bodkin.exchange.plain.plain_files import CUT_ROWS, SCORES
from bodkin.exchange.questions.question import NO_ANSWERS, Answers
from bodkin.exchange.tables_in.reading import Layout, Reading
from bodkin.store.database import DISTRICT
from bodkin.store.tables import Assessment, District, Enrolment


def plan_package(session: Session, package: Package, answers: Answers = NO_ANSWERS) -> Plan:
    """What a package would do, as its questions are answered. Rows that point at nothing become faults of it."""
    plan = _Planned(session, package, answers)
    plan.work_out()
    results, cuts = plan.results(), plan.cuts()
    # What the readings leave out is told too.
    notices = [*package.notices, *plan.notices]
    # Faults of results are about lines of results.csv; the two readings are ours.
    package.faults = sorted({*package.faults, *results.faults})
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
        frame = _reading_frame(SCORES, made)
        numbers = ("standard_error", "percentile", "minutes", "points", "points_possible")
        for name in numbers:
            bad = frame.filter(pl.col(name).is_nan())["line"]
            faults += [Fault(file, at, f"{OURS}{name}", "is not a number") for at in bad]
        frame = frame.filter(~pl.any_horizontal(pl.col(name).is_nan().fill_null(value=False) for name in numbers))
        return Reading(file, frame, faults=faults)

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
        numbers = {
            "standard_error": "standardError", "percentile": "percentile", "minutes": "minutes", "points": "points",
            "points_possible": "pointsPossible",
        }  # fmt: skip
        counts = {"items_tried": "itemsTried", "items_right": "itemsRight"}
        return {
            "line": row["line"], "student_id": student, "assessment": name, "subject": subject, "window": window,
            "grade": grade if grade in GRADES else None, "score": row["score"], "school": school,
            "section": self.names["section"].get(section), "tested_on": row["scoreDate"] if known else None,
            "teacher": self.names["person"].get(row[f"{OURS}teacher"]),
            **{column: row[f"{OURS}{theirs}"] for column, theirs in ours.items()},
            **{column: _number(row[f"{OURS}{theirs}"]) for column, theirs in numbers.items()},
            **{column: _whole(row[f"{OURS}{theirs}"]) for column, theirs in counts.items()},
        }  # fmt: skip

    def cuts(self) -> Reading:
        """Score scales of ours as lines of a file of cuts."""
        made: list[Row] = []
        others = 0
        for row in self.rows("scoreScales"):
            try:
                bands = json.loads(row[f"{OURS}bands"] or "null")
                named = row[f"{OURS}assessment"] and row[f"{OURS}grade"] in GRADES
                if bands is None or not named:
                    others += 1
                    continue
                made += [
                    {
                        "line": row["line"], "assessment": row[f"{OURS}assessment"],
                        "subject": row[f"{OURS}subject"] or "general", "grade": row[f"{OURS}grade"],
                        "season": row[f"{OURS}season"], "purpose": row[f"{OURS}purpose"] or "performance",
                        "order": int(order), "band": str(band), "min_score": _number(low),
                        "min_percentile": _number(percentile),
                    }
                    for order, band, low, percentile in bands
                ]  # fmt: skip
            except (ValueError, TypeError):
                others += 1
        if others and not any("score scales" in notice for notice in self.notices):
            self.notices.append(f"{others} score scales of another kind are left out")
        return Reading(f"{self.package.file}/scoreScales.csv", _reading_frame(CUT_ROWS, made))


def _nothing(file: str, row: Row, column: str, what: str) -> Fault:
    return Fault(file, row["line"], column, f'there is no {what} "{row[column]}" in this package or in Bodkin')


def _reading_frame(layout: Layout, rows: list[Row]) -> pl.DataFrame:
    schema = {"line": pl.Int64} | {column.name: column.kind.dtype for column in layout.columns}
    return pl.DataFrame(rows, schema=schema, orient="row")


def _number(value: object) -> float | None:
    """A number; NaN where the text is none."""
    if value is None:
        return None
    try:
        return float(str(value))
    except ValueError:
        return float("nan")


def _whole(value: object) -> int | None:
    number = _number(value)
    return int(number) if number is not None and number.is_integer() else None


def _is_window(text: str) -> bool:
    try:
        parse_window(text)
    except BadInput:
        return False
    return True
