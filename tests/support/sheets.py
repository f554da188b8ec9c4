"""Facts and sheets of made-up students for the tests of pages."""

from datetime import date

from bodkin.answers.comparison.norms.threads import BandLine, Place, Thread, ThreadPoint
from bodkin.answers.share.facts import (
    DecisionFact,
    Facts,
    HelpFact,
    ItemFact,
    ItemsFact,
    SkillsFact,
    StrandFact,
    StrandsFact,
)
from bodkin.answers.share.sheet import Pages, sheet_of
from bodkin.store.reads.student.many import GoalRow

FALL, WINTER, SPRING = "2025-26 fall", "2025-26 winter", "2025-26 spring"
TODAY = date(2026, 2, 2)
READING = ("Tide", "reading")


def point(window, on, score, **more):
    plain = {"grade": "4", "low": score - 8, "high": score + 8, "percentile": 44.0, "order": 2, "band": "Mid",
             "norm_mean": None, "district_mean": None}  # fmt: skip
    return ThreadPoint(window=window, on=on, score=score, **{**plain, **more})


def thread(*points, **more):
    points = points or (point(FALL, date(2025, 9, 9), 500.0), point(WINTER, date(2026, 1, 20), 512.0))
    cuts = [BandLine(band="Mid", order=2, points=[Place(on=one.on, score=490.0) for one in points])]
    plain = {"assessment": "Tide", "subject": "reading", "language": None, "title": "Tide Reading",
             "bands": ["Low", "Mid", "High"]}  # fmt: skip
    return Thread(points=list(points), cuts=cuts, **{**plain, **more})


def round_row(**more):
    plain = {"from_score": 500.0, "to_score": 512.0, "to_error": 8.0, "gain": 12.0, "expected_gain": 9.6,
             "expected_score": 509.6, "expected_low": 500.0, "expected_high": 519.0,
             "verdict": "as_expected"}  # fmt: skip
    return {**plain, **more}


def facts(**more):
    plain = {
        "student_id": "S1", "given": "Ana", "family": "Reed", "grade": "4", "school": "Dune Primary",
        "section": "4 Rail", "from_window": FALL, "to_window": WINTER, "rounds": {READING: round_row()},
        "threads": [thread()],
        "strands": {READING: StrandsFact(WINTER, "norm", of_points=False, strands=[StrandFact("Story", 503.0, 0),
                                                                           StrandFact("Words", 470.0, -1)])},
        "skills": {"reading": SkillsFact(["Find the main idea"], ["Compare two stories"])},
        "goals": [GoalRow("reading", 520.0, date(2026, 5, 20), "read each evening", "the family", date(2026, 3, 2))],
        "help": [HelpFact("Reeds", "word work", "Bo Lee", 3, 25.0, 11, 14)], "practice": 95.0,
        "items": ItemsFact("Unit 3", [ItemFact("1", "A", ["A"], right=True, standards=["R4.1"]),
                                      ItemFact("2", None, ["C"], right=False, standards=["R4.2"])]),
        "accommodations": ["Extra time"], "notes": [(date(2026, 1, 9), "Tells stories well")],
        "internal": [(date(2026, 1, 9), "ZEBRA between us")], "doubtful": ["ZEBRA far too fast"],
        "decisions": [DecisionFact(date(2026, 1, 15), "ZEBRA change the help", "Bo Lee", date(2026, 3, 1))],
        "contacts": ["Ione Marsh"],
    }  # fmt: skip
    return Facts(**{**plain, **more})


def asked(**more):
    plain = {"audience": "family", "language": "en", "sections": (), "windows": [FALL, WINTER],
             "caption": "Tide Reading for class 4 Rail, fall to winter 2025-26.", "today": TODAY}  # fmt: skip
    return Pages(**{**plain, **more})


def sheet(pages=None, **more):
    return sheet_of(facts(**more), pages or asked())


def text_of(sheet):
    """Everything that stands on a sheet, as one text."""
    parts = [sheet.title, sheet.subtitle, sheet.caption]
    for section in sheet.sections:
        parts.append(section.heading)
        for block in section.blocks:
            parts += [getattr(block, name, "") for name in ("text", "title", "expected_text", "goal_text")]
            parts += getattr(block, "items", [])
            parts += getattr(block, "header", [])
            parts += [cell for row in getattr(block, "rows", []) for cell in row]
    return "\n".join(part for part in parts if part)
