"""Tests and their results as the line items, score scales and results of a OneRoster package."""

import json
from datetime import date
from typing import Any

from sqlalchemy import select

from bodkin.exchange.oneroster.files import OURS, listed
from bodkin.exchange.oneroster.package_rows import PackageRows, made_id, true_word
from bodkin.store.reads.table.load import NOT_COUNTED, window_names
from bodkin.store.tables import Assessment, Cut, Result, SchoolYear

CATEGORY = "Assessments"
ALWAYS = {"scoreStatus": "fully graded", **dict.fromkeys(("inProgress", "incomplete", "late", "missing"), "false")}
"""What every result says."""
(
    _GRADE, _TEACHER, _LANGUAGE, _ERROR, _PERCENTILE, _BASIS, _MINUTES, _TRIED, _RIGHT, _POINTS, _POSSIBLE,
    _ACCOMMODATIONS, _DATE_KNOWN,
) = (
    f"{OURS}{name}"
    for name in ("grade", "teacher", "language", "standardError", "percentile", "percentileBasis", "minutes",
                 "itemsTried", "itemsRight", "points", "pointsPossible", "accommodations", "dateKnown")
)  # fmt: skip
"""Our own columns of a result."""


def score_scales(out: PackageRows) -> None:
    """The cuts of each test as a score scale."""
    query = (
        select(Assessment.name, Assessment.subject, Cut)
        .join(Assessment, Assessment.id == Cut.assessment_id)
        .order_by(Assessment.name, Assessment.subject, Cut.purpose, Cut.grade, Cut.season, Cut.order)
    )
    sets: dict[tuple[Any, ...], list[Cut]] = {}
    for name, subject, cut in out.session.execute(query):
        sets.setdefault((name, subject, cut.grade, cut.season, cut.purpose), []).append(cut)
    for (name, subject, grade, season, purpose), cuts in sets.items():
        bands = [[cut.order, cut.band, cut.min_score, cut.min_percentile] for cut in cuts]
        lows = [cut.min_score if cut.min_score is not None else cut.min_percentile for cut in cuts]
        highs = [*lows[1:], None]
        scales = [
            f"{{{cut.band}:{'' if low is None else f'{low:g}'}-{'' if high is None else f'{high:g}'}}}"
            for cut, low, high in zip(cuts, lows, highs, strict=True)
        ]
        out.put(
            "scoreScales", made_id("scale", name, subject, grade, season, purpose),
            title=f"{name} {subject}, grade {grade}, {season or 'year-end'} ({purpose})", type="bands",
            orgSourcedId=out.district, scoreScaleValue=listed(scales),
            **{
                f"{OURS}assessment": name, f"{OURS}subject": subject, f"{OURS}grade": grade, f"{OURS}season": season,
                f"{OURS}purpose": purpose, f"{OURS}bands": json.dumps(bands, ensure_ascii=False),
            },
        )  # fmt: skip


def _number(value: float | None) -> str | None:
    return None if value is None else repr(value) if not float(value).is_integer() else str(int(value))


def results_out(out: PackageRows) -> None:
    """Each result that counts, under a line item of its test and window."""
    out.put("categories", made_id("category", CATEGORY), title=CATEGORY)
    session, windows = out.session, window_names(out.session)
    tests = {test.id: test for test in session.scalars(select(Assessment))}
    spans = {row["sourcedId"]: (row["startDate"], row["endDate"]) for row in out.rows["academicSessions"]}
    years = {name: out.ids["year", key] for key, name in session.execute(select(SchoolYear.id, SchoolYear.name))}
    columns = (
        Result.id, Result.student_id, Result.assessment_id, Result.window_id, Result.section_id, Result.school_id,
        Result.teacher_id, Result.tested_on, Result.grade, Result.language, Result.score, Result.standard_error,
        Result.percentile, Result.percentile_basis, Result.minutes, Result.items_tried, Result.items_right,
        Result.points, Result.points_possible, Result.accommodations,
    )  # fmt: skip
    lines: dict[tuple[Any, ...], str] = {}
    seen: dict[tuple[Any, ...], int] = {}
    made_lines: list[dict[str, Any]] = []
    for one in session.execute(
        select(*columns).where(Result.state.is_(None) | Result.state.not_in(NOT_COUNTED)).order_by(Result.id)
    ):
        test, window = tests[one.assessment_id], windows.get(one.window_id)
        section = out.ids.get(("section", one.section_id))
        place = (test.name, test.subject, window, section or out.org(one.school_id))
        if place not in lines:
            lines[place] = made_id("line", *place)
            session_key = out.ids.get(("window", one.window_id)) or _year_of(one.tested_on, years, spans)
            begins, ends = spans.get(session_key or "", (None, None))
            made_lines.append(
                {
                    "sourcedId": lines[place], "title": f"{test.name} {test.subject}",
                    "description": window or "outside the windows", "assignDate": begins, "dueDate": ends,
                    "classSourcedId": section, "categorySourcedId": made_id("category", CATEGORY),
                    "academicSessionSourcedId": session_key, "schoolSourcedId": out.org(one.school_id),
                    f"{OURS}assessment": test.name, f"{OURS}subject": test.subject, f"{OURS}kind": test.kind,
                    f"{OURS}normGroup": test.norm_group, f"{OURS}window": window,
                }
            )  # fmt: skip
        student = out.ids["student", one.student_id]
        again = (lines[place], student, one.tested_on, one.language)
        nth = seen[again] = seen.get(again, -1) + 1
        if nth:
            # Of several results of a day the later line counts.
            out.after[made_id("result", *again, nth)] = (made_id("result", *again, 0), nth)
        day = one.tested_on or (
            spans[session_key][0] if (session_key := out.ids.get(("window", one.window_id))) else None
        )
        out.rows["results"].append(
            {
                "sourcedId": made_id("result", *again, nth), "lineItemSourcedId": lines[place],
                "studentSourcedId": student, "score": _number(one.score), "scoreDate": day, "classSourcedId": section,
                _GRADE: one.grade, _TEACHER: out.ids.get(("person", one.teacher_id)), _LANGUAGE: one.language,
                _ERROR: _number(one.standard_error), _PERCENTILE: _number(one.percentile),
                _BASIS: one.percentile_basis, _MINUTES: _number(one.minutes), _TRIED: one.items_tried,
                _RIGHT: one.items_right, _POINTS: _number(one.points), _POSSIBLE: _number(one.points_possible),
                _ACCOMMODATIONS: one.accommodations, _DATE_KNOWN: true_word(one.tested_on is not None),
            }
        )  # fmt: skip
    out.rows["lineItems"] = made_lines
    out.always["results"] = ALWAYS


def _year_of(day: date | None, years: dict[str, str], spans: dict[str, tuple[date, date]]) -> str | None:
    for key in years.values():
        if day is not None and spans[key][0] <= day <= spans[key][1]:
            return key
    return None
