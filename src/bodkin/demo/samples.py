"""Sample files to try on the import desk: the coming spring window as three systems export it, one full of faults,
and the roster of next week."""

import csv
import io
import json
import random
from datetime import date, datetime, timedelta
from pathlib import Path
from typing import Any

import xlsxwriter
from sqlalchemy import select
from sqlalchemy.orm import Session

from bodkin.demo.district import PASSWORD, SIGN_INS
from bodkin.store.tables import Assessment, Person, Result, School, SchoolYear, Section, Student, Window

TEST, SUBJECT = "Saltgauge", "reading"
YEAR, BEFORE, COMING = "2026-27", "winter", "2026-27 spring"
FIRST_DAY = date(2027, 4, 19)
SCHOOLS = ("Saltgrass Primary", "Causeway Intermediate")
Row = dict[str, Any]

WORDS = {
    "spring reading.csv": "The coming spring window of one school, with Bodkin's own headers: comes in as it is.",
    "Spring export.csv": "The same of another school as another system exports it: other headers, dates as"
    " month/day/year, grades in words. Check the guesses once; the next file needs no asking.",
    "Spring 2027 results.xlsx": "A workbook with a cover sheet first, titles above the header and time stamps.",
    "ten faults.csv": "Ten things wrong with it, each of another kind: refused with its place, or asked about.",
    "roster next week.zip": "The roster of next week as a OneRoster package: three new students, a new family name.",
}
"""The sample files and what each shows."""


def _winter(session: Session, school: str) -> list[Row]:
    """Everybody of a school who sat the winter window, with where they are."""
    query = (
        select(
            Student.student_id, Student.given_name, Student.family_name, Result.grade, Result.score,
            Result.standard_error, School.name, Section.name, Person.name,
        )
        .join(Result, Result.student_id == Student.id)
        .join(Assessment, Assessment.id == Result.assessment_id)
        .join(Window, Window.id == Result.window_id)
        .join(SchoolYear, SchoolYear.id == Window.school_year_id)
        .join(School, School.id == Result.school_id)
        .outerjoin(Section, Section.id == Result.section_id)
        .outerjoin(Person, Person.id == Result.teacher_id)
        .where(
            Assessment.name == TEST, Assessment.subject == SUBJECT, SchoolYear.name == YEAR, Window.season == BEFORE,
            School.name == school, Result.language == "English",
        )
        .order_by(Student.student_id, Result.id)
    )  # fmt: skip
    names = (
        "student_id",
        "given_name",
        "family_name",
        "grade",
        "score",
        "standard_error",
        "school",
        "section",
        "teacher",
    )
    rows = {row[0]: dict(zip(names, row, strict=True)) for row in session.execute(query)}
    return list(rows.values())


def _spring(rows: list[Row], seed: int) -> list[Row]:
    """What they may score in spring: the winter score, a usual gain, and chance."""
    rng = random.Random(seed)  # noqa: S311 (invented scores)
    made = []
    for row in rows:
        if rng.random() < 0.05:
            continue
        score = round(row["score"] + rng.gauss(5, 11))
        day = FIRST_DAY + timedelta(days=rng.choice((0, 1, 2, 3, 4, 7, 8, 9, 10, 11)))
        minutes = max(12, round(rng.gauss(34, 7)))
        made.append(
            {**row, "score": score, "tested_on": day, "assessment": TEST, "subject": SUBJECT, "window": COMING,
             "language": "English", "minutes": minutes}
        )  # fmt: skip
    return made


def _csv(header: list[str], rows: list[list[Any]]) -> bytes:
    out = io.StringIO()
    csv.writer(out, lineterminator="\r\n").writerows([header, *rows])
    return out.getvalue().encode()


OWN = (
    "student_id", "assessment", "subject", "window", "grade", "score", "school", "section", "teacher", "given_name",
    "family_name", "tested_on", "language", "standard_error", "minutes",
)  # fmt: skip


def _own(rows: list[Row]) -> bytes:
    return _csv(list(OWN), [[row[name] for name in OWN] for row in rows])


def _other(rows: list[Row]) -> bytes:
    header = [
        "Student Number", "Last Name", "First Name", "Grade Level", "School Name", "Class", "Teacher Name", "Test Name",
        "Subject Area", "Term", "Test Date", "Scale Score", "SEM", "Test Duration", "Test Language",
    ]  # fmt: skip
    made = [
        [row["student_id"], row["family_name"], row["given_name"], f"Grade {row['grade']}", row["school"],
         row["section"], row["teacher"], TEST, SUBJECT, "Spring 2026-2027",
         f"{row['tested_on'].month}/{row['tested_on'].day}/{row['tested_on'].year}", row["score"],
         row["standard_error"], row["minutes"], "English"]
        for row in rows
    ]  # fmt: skip
    return _csv(header, made)


def _book(rows: list[Row]) -> bytes:
    out = io.BytesIO()
    with xlsxwriter.Workbook(out, {"in_memory": True}) as book:
        cover = book.add_worksheet("About")
        cover.write_column(0, 0, ["Spring testing 2027", "Made on 3 May 2027", "See the sheet Results"])
        sheet = book.add_worksheet("Results")
        stamp = book.add_format({"num_format": "m/d/yyyy h:mm"})
        sheet.write_row(0, 0, ["All results of the window"])
        header = [
            "Student ID",
            "Test",
            "Subject",
            "Window",
            "Grade",
            "Score",
            "Std Error",
            "Date Taken",
            "Language",
            "Minutes",
        ]
        sheet.write_row(2, 0, header)
        for at, row in enumerate(rows, 3):
            sheet.write_row(
                at, 0, [row["student_id"], TEST, SUBJECT, COMING, row["grade"], row["score"], row["standard_error"]]
            )
            day = row["tested_on"]
            sheet.write_datetime(at, 7, _at_ten(day), stamp)
            sheet.write_row(at, 8, ["English", row["minutes"]])
    return out.getvalue()


def _at_ten(day: date) -> datetime:
    return datetime(day.year, day.month, day.day, 10, 20)


def _faulty(rows: list[Row]) -> bytes:
    """Ten things wrong: four refused, six asked about."""
    made = [dict(row) for row in rows[:40]]
    made[1]["score"] = "5OO"
    made[3]["window"] = "Term 3"
    made[5]["tested_on"] = "2027-04-31"
    made[7]["score"] = "#N/A"
    made[9]["assessment"] = "SaltGauge"
    made[11]["school"] = made[11]["school"].upper()
    made[13] |= {"given_name": "Quill", "family_name": "Nobody"}
    made[15]["score"] = 5210
    made[17]["tested_on"] = date(2026, 9, 21)
    made.insert(20, dict(made[19]))
    return _own(made)


def write_samples(session: Session, folder: Path, next_week: bytes) -> None:
    """Write the sample files into a folder, with a list of them."""
    folder.mkdir(parents=True, exist_ok=True)
    one, other = (_spring(_winter(session, school), seed) for seed, school in enumerate(SCHOOLS))
    contents = (_own(one), _other(other), _book(one[::3]), _faulty(other), next_week)
    for name, content in zip(WORDS, contents, strict=True):
        (folder / name).write_bytes(content)
    index = [{"name": name, "words": words} for name, words in WORDS.items()]
    (folder / "index.json").write_text(json.dumps(index))


def write_people(path: Path) -> None:
    """Say who can sign in to the demo with one click: everybody in it is invented."""
    people = [{"login": login, "name": name, "role": role.replace("_", " ")} for login, name, role in SIGN_INS]
    path.write_text(json.dumps({"people": people, "password": PASSWORD}))
