"""What a roster leaves doubtful: schools renamed or renumbered, people and students under other ids or names."""

import polars as pl
from sqlalchemy import select
from sqlalchemy.orm import Session

from bodkin.exchange.changes.sync import Row
from bodkin.exchange.questions.people import other_ids, renamed_wholly
from bodkin.exchange.questions.question import LEAVE, NEW, SAME, Answers, Choice, Item, Question, settled
from bodkin.store.tables import Person, School


def other_schools(session: Session, schools: list[Row]) -> Question | None:
    """Ids of known schools that stand for a school of another name: asked whether it was renamed or renumbered."""
    known = {key: name for key, name in session.execute(select(School.sourced_id, School.name)) if key}
    names = set(session.scalars(select(School.name)))
    choices = (Choice(SAME, "the same school, renamed"), Choice(NEW, "another school"))
    items = [
        Item(row["sourced_id"], f'the school "{was}" is "{row["name"]}" here', (row["line"],), 1, choices)
        for row in schools
        if (was := known.get(row["sourced_id"])) is not None and row["name"] not in names
    ]
    return Question("other_school", "schools under another name", items) if items else None


def other_people(session: Session, people: list[Row]) -> tuple[Question | None, dict[str, str]]:
    """People under a new id who may be somebody known under an id that the package does not name.

    With the question comes each new id's known one.
    """
    named = {row["sourced_id"] for row in people}
    query = select(Person.name, Person.sourced_id).where(Person.sourced_id.is_not(None))
    there = [(name, key) for name, key in session.execute(query) if key is not None]
    known = {name: key for name, key in there if key not in named}
    ids = {key for _, key in there}
    choices = (Choice(SAME, "the same person"), Choice(NEW, "somebody else"), Choice(LEAVE, "leave out"))
    items = [
        Item(
            row["sourced_id"], f"{row['name']} has a new id; somebody of this name is known", (row["line"],), 1, choices
        )
        for row in people
        if row["sourced_id"] not in ids and row["name"] in known
    ]
    former = {row["sourced_id"]: known[row["name"]] for row in people if row["name"] in known}
    return (Question("other_person", "people under a new id", items) if items else None), former


def who_is_who(session: Session, students: list[Row], answers: Answers) -> tuple[list[Row], list[Question]]:
    """Students once it is said who of them is known under another id or name; a roster may change one of the names."""
    schema = dict.fromkeys(("student_id", "given_name", "family_name", "sourced_id", "grade"), pl.String)
    rows = pl.DataFrame(students, schema={"line": pl.Int64, **schema})
    questions: list[Question] = []
    for find in (other_ids, renamed_wholly):
        question = find(session, rows)
        if question is not None:
            questions.append(question)
            rows = settled(rows, [question], answers)
    return rows.drop("grade").to_dicts(), questions
