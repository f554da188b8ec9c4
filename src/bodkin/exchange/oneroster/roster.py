"""The roster of a OneRoster 1.2 package, brought in: rows compared by their sourcedId, else by what they name."""

from collections.abc import Iterable, Mapping

from sqlalchemy import select
from sqlalchemy.orm import Session

from bodkin.core.windows import GRADES, SEASONS
from bodkin.exchange.changes.sync import Again, Row, Sync
from bodkin.exchange.faults import Fault
from bodkin.exchange.oneroster.asked import other_people, other_schools, who_is_who
from bodkin.exchange.oneroster.files import FIELD, FILES, OURS, Package, identifiers, unlisted
from bodkin.exchange.oneroster.package_rows import made_id, year_name
from bodkin.exchange.questions.question import LEAVE, NEW, NO_ANSWERS, SAME, Answers, Question
from bodkin.exchange.tables_in.mapping import read_grade
from bodkin.policy.roles import role_from_oneroster
from bodkin.store.database import two_columns
from bodkin.store.tables import (
    Base,
    Course,
    District,
    Enrolment,
    Field,
    Identifier,
    MarkingPeriod,
    Person,
    School,
    SchoolYear,
    Section,
    SectionTeacher,
    Student,
    StudentField,
    StudentYear,
    Window,
)


class PlannedRoster:
    """The roster of a package on its way into our tables: schools, years, classes, people and where they are."""

    def __init__(self, session: Session, package: Package, answers: Answers = NO_ANSWERS) -> None:
        self.session = session
        self.package = package
        self.answers = answers
        self.questions: list[Question] = []
        self.sync = Sync(session)
        self.notices: list[str] = []
        self.ended: list[int] = []
        self.district: str | None = None
        self.keys: dict[str, dict[str, int]] = {}
        self.names: dict[str, dict[str, str]] = {"school": {}, "year": {}, "section": {}, "person": {}, "student": {}}
        self.school_of: dict[str, str | None] = {}
        self.subject_of: dict[str, str] = {}
        self.marked: dict[str, int] = {}

    def rows(self, file: str) -> Iterable[Row]:
        """Rows of a file that are not marked for deletion."""
        for row in self.package.frames[file].iter_rows(named=True):
            if row["status"] == "tobedeleted":
                self.marked[file] = self.marked.get(file, 0) + 1
                continue
            yield row

    def refuse(self, file: str, row: Row, column: str, message: str) -> None:
        """Leave a row out and say why."""
        self.package.faults.append(Fault(f"{self.package.file}/{file}.csv", row["line"], column, message))

    def point(self, file: str, row: Row, column: str, kind: str) -> int | None:
        """Our key for what a row points at; a fault where there is no such thing."""
        found = self.keys[kind].get(row[column])
        if found is None:
            self.refuse(file, row, column, f'there is no {kind} "{row[column]}" in this package or in Bodkin')
        return found

    def work_out(self) -> None:
        """Table by table, those that others rest on first."""
        self._orgs()
        self._sessions()
        self._classes()
        self._people()
        self._stays()
        self._enrolments()
        self._demographics()

    def _known(self, table: type[Base]) -> dict[str, int]:
        columns = table.__table__.c
        query = select(columns.sourced_id, columns.id).where(columns.sourced_id.is_not(None))
        return two_columns(self.session, query)

    def _orgs(self) -> None:
        districts, schools = [], []
        for row in self.rows("orgs"):
            if row["type"] == "district":
                districts.append(row)
            elif row["type"] == "school":
                schools.append({"name": row["name"], "sourced_id": row["sourcedId"], "line": row["line"]})
                self.names["school"][row["sourcedId"]] = row["name"]
        now = self.session.scalars(select(District.name)).one()
        if len(districts) == 1 and districts[0]["name"] != now:
            self.district = districts[0]["name"]
        known = {key: name for key, name in self.session.execute(select(School.sourced_id, School.name)) if key}
        self.names["school"] = {**known, **self.names["school"]}
        answers = self._ask(other_schools(self.session, schools))
        others = [key for key, answer in answers.items() if answer == NEW]
        self.keys["school"] = self._known(School) | self.sync.take(
            School, ("name",), schools, "school", self._twice("orgs", "name"), others
        )
        self.above = {row["sourcedId"] for row in districts} | {made_id("district", now)}

    def _ask(self, question: Question | None) -> dict[str, str]:
        """Keep a question, and say what was answered."""
        if question is None:
            return {}
        self.questions.append(question)
        return question.answered(self.answers)

    def _school(self, file: str, row: Row, column: str) -> tuple[bool, int | None]:
        """Whether a row may stay, and its school; none where it belongs to the whole district."""
        if row[column] is None or row[column] in self.above:
            return True, None
        found = self.point(file, row, column, "school")
        return found is not None, found

    def _sessions(self) -> None:
        years, periods, windows = [], [], []
        for row in self.rows("academicSessions"):
            known = row[f"{OURS}daysKnown"] != "false"
            days = {"first_day": row["startDate"] if known else None, "last_day": row["endDate"] if known else None}
            if row["endDate"] < row["startDate"]:
                self.refuse("academicSessions", row, "endDate", "is before startDate")
            elif row["type"] == "schoolYear":
                name = year_name(row["startDate"])
                self.names["year"][row["sourcedId"]] = name
                years.append({"name": name, "sourced_id": row["sourcedId"], "line": row["line"], **days})
            elif row["type"] == "ext:testingWindow" and row["title"] in SEASONS:
                windows.append((row, days))
            else:
                periods.append((row, days))
        self.keys["school year"] = self._known(SchoolYear) | self.sync.take(SchoolYear, ("name",), years, "school year")
        known_names = two_columns(self.session, select(SchoolYear.sourced_id, SchoolYear.name))
        self.names["year"] = {**{key: name for key, name in known_names.items() if key}, **self.names["year"]}
        # A school year may stand above a term that stands above the session.
        parents = {row["sourcedId"]: row["parentSourcedId"] for row in self.rows("academicSessions")}

        def above(row: Row) -> int | None:
            place, seen = row["parentSourcedId"], set()
            while place is not None and place not in self.keys["school year"] and place not in seen:
                seen.add(place)
                place = parents.get(place)
            if place in self.keys["school year"]:
                return self.keys["school year"][place]
            named = year_name(row["startDate"])
            return next(
                (self.keys["school year"].get(key) for key, name in self.names["year"].items() if name == named), None
            )

        sorts: tuple[tuple[type[Base], str, str, list[tuple[Row, Row]]], ...] = (
            (MarkingPeriod, "marking period", "name", periods),
            (Window, "window", "season", windows),
        )
        for table, kind, column, of in sorts:
            rows: list[Row] = []
            for row, span in of:
                year = above(row)
                if year is None:
                    self.refuse("academicSessions", row, "parentSourcedId", "its school year is not in the package")
                    continue
                place = {"school_year_id": year, column: row["title"]}
                rows.append({**place, "sourced_id": row["sourcedId"], "line": row["line"], **span})
            self.keys[kind] = self.sync.take(table, ("school_year_id", column), rows, kind)

    def _classes(self) -> None:
        courses = []
        for row in self.rows("courses"):
            year = self.keys["school year"].get(row["schoolYearSourcedId"])
            subject = next(iter(unlisted(row["subjects"])), None)
            grade = next((grade for text in unlisted(row["grades"]) if (grade := read_grade(text))), None)
            courses.append(
                {"school_year_id": year, "title": row["title"], "code": row["courseCode"], "subject": subject,
                 "grade": grade, "sourced_id": row["sourcedId"], "line": row["line"]}
            )  # fmt: skip
            if subject:
                self.subject_of[row["sourcedId"]] = subject
        self.keys["course"] = self._known(Course) | self.sync.take(
            Course, ("school_year_id", "title"), courses, "course"
        )
        years_of_course = {row["sourced_id"]: row["school_year_id"] for row in courses}
        sections: list[Row] = []
        taken: set[tuple[int, int | None, str]] = set()
        for row in self.rows("classes"):
            fine, school = self._school("classes", row, "schoolSourcedId")
            if not fine:
                continue
            year = self._year_of_class(row, years_of_course)
            if year is None:
                self.refuse("classes", row, "termSourcedIds", "its school year is not in the package or in Bodkin")
                continue
            subject = next(iter(unlisted(row["subjects"])), None) or self.subject_of.get(row["courseSourcedId"])
            if subject:
                self.subject_of[row["sourcedId"]] = subject
            name = row["title"]
            if (year, school, name) in taken:
                # Several classes of one title at a school: the code tells them apart.
                name = f"{name} {row['classCode'] or row['sourcedId']}"[:160]
            taken.add((year, school, name))
            self.names["section"][row["sourcedId"]] = name
            self.school_of[row["sourcedId"]] = self.names["school"].get(row["schoolSourcedId"])
            sections.append(
                {"school_year_id": year, "school_id": school, "name": name,
                 "kind": "home" if row["classType"] == "homeroom" else "subject",
                 "course_id": self.keys["course"].get(row["courseSourcedId"]), "sourced_id": row["sourcedId"],
                 "line": row["line"]}
            )  # fmt: skip
        self.keys["class"] = self._known(Section) | self.sync.take(
            Section, ("school_year_id", "school_id", "name"), sections, "class"
        )

    def _year_of_class(self, row: Row, of_course: Mapping[str, int | None]) -> int | None:
        parents = {one["sourcedId"]: one["parentSourcedId"] for one in self.rows("academicSessions")}
        for term in unlisted(row["termSourcedIds"]):
            place: str | None = term
            for _ in range(8):
                if place in self.keys["school year"]:
                    return self.keys["school year"][place]
                place = parents.get(place) if place is not None else None
        return of_course.get(row["courseSourcedId"])

    def _people(self) -> None:
        roles: dict[str, list[Row]] = {}
        for row in self.rows("roles"):
            roles.setdefault(row["userSourcedId"], []).append(row)
        students, people, others, more = [], [], 0, []
        for row in self.rows("users"):
            mine = roles.get(row["sourcedId"], [])
            known = row[f"{OURS}nameKnown"] != "false"
            given, family = (
                row["preferredGivenName"] or row["givenName"],
                row["preferredFamilyName"] or row["familyName"],
            )
            if any(role["role"] == "student" for role in mine):
                number = row["identifier"] or row["username"] or row["sourcedId"]
                if len(number) > 64:
                    self.refuse("users", row, "identifier", "write at most 64 characters")
                    continue
                grade = next((g for text in unlisted(row["grades"]) if (g := read_grade(text)) in GRADES), None)
                students.append(
                    {"student_id": number, "given_name": given if known else None,
                     "family_name": family if known else None, "sourced_id": row["sourcedId"], "line": row["line"],
                     "grade": grade}
                )  # fmt: skip
                more += [(row["sourcedId"], *pair) for pair in identifiers(row["userIds"])]
                continue
            role = next(
                (ours for one in mine if (ours := one[f"{OURS}role"] or role_from_oneroster(one["role"]))), None
            )
            if role is None:
                others += 1
                continue
            first = next((one for one in mine), None)
            school = self.keys["school"].get(first["orgSourcedId"]) if first else None
            name = family if given == family else f"{given} {family}"
            self.names["person"][row["sourcedId"]] = name
            people.append(
                {"name": name, "role": role, "school_id": school, "sourced_id": row["sourcedId"], "line": row["line"]}
            )
        if others:
            self.notices.append(f"{others} users who are neither students nor staff are left out, such as guardians")
        self._persons(people)
        students, questions = who_is_who(self.session, students, self.answers)
        self.questions += questions
        self.names["student"] |= {row["sourced_id"]: row["student_id"] for row in students}
        self.keys["student"] = self._known(Student) | self.sync.take(
            Student, ("student_id",), students, "student", self._twice("users", "identifier")
        )
        numbers = two_columns(self.session, select(Student.sourced_id, Student.student_id))
        self.names["student"] = {**{k: n for k, n in numbers.items() if k}, **self.names["student"]}
        rows = [
            {"student_id": self.keys["student"][who], "kind": kind[:64], "value": value[:64]}
            for who, kind, value in more
            if who in self.keys["student"]
        ]
        self.sync.take(Identifier, ("student_id", "kind"), rows, "identifier")

    def _twice(self, file: str, column: str) -> Again:
        return lambda row: self.refuse(file, row, column, "another row of the package has the same values")

    def _persons(self, people: list[Row]) -> None:
        # Who signs in here keeps the role that was given here.
        own = two_columns(self.session, select(Person.name, Person.role).where(Person.login.is_not(None)))
        question, former = other_people(self.session, people)
        answers = self._ask(question)
        # Who was said to be somebody known keeps the id that is known; the package goes on to use its own.
        also = {key: former[key] for key, answer in answers.items() if answer == SAME}
        people = [
            {
                **row,
                "role": own.get(row["name"], row["role"]),
                "sourced_id": also.get(row["sourced_id"], row["sourced_id"]),
            }
            for row in people
            if answers.get(row["sourced_id"]) != LEAVE
        ]
        taken = self._known(Person) | self.sync.take(Person, ("name",), people, "person")
        self.keys["person"] = taken | {new: taken[old] for new, old in also.items() if old in taken}

    def _stays(self) -> None:
        """A student's school and grade by school year, from roles; the latest stay of a year counts."""
        users = {row["sourcedId"]: row for row in self.rows("users")}
        stays: dict[tuple[int, int], Row] = {}
        by_name = {name: self.keys["school year"][key] for key, name in self.names["year"].items()
                   if key in self.keys["school year"]}  # fmt: skip
        for row in self.rows("roles"):
            if row["role"] != "student":
                continue
            who = self.point("roles", row, "userSourcedId", "student")
            fine, school = self._school("roles", row, "orgSourcedId")
            if who is None or not fine:
                continue
            name = row[f"{OURS}schoolYear"]
            if name is None and row["beginDate"] is not None:
                name = year_name(row["beginDate"])
            if name is None and row["roleType"] == "primary" and school is not None:
                name = max(by_name, default=None)
            if name not in by_name:
                continue
            user = users.get(row["userSourcedId"], {})
            grade = row[f"{OURS}grade"]
            if grade is None and row["roleType"] == "primary" and row[f"{OURS}schoolYear"] is None:
                grade = next((g for text in unlisted(user.get("grades")) if (g := read_grade(text)) in GRADES), None)
            stays[who, by_name[name]] = {
                "student_id": who, "school_year_id": by_name[name], "school_id": school, "grade": grade,
                "home_language": row[f"{OURS}homeLanguage"], "line": row["line"],
                "said": self.names["student"].get(row["userSourcedId"]),
            }  # fmt: skip
        self.sync.take(StudentYear, ("student_id", "school_year_id"), stays.values(), "school year of a student")

    def _enrolments(self) -> None:
        learning: list[Row] = []
        teaching: list[Row] = []
        known = self._known(Enrolment)
        for row in self.package.frames["enrollments"].iter_rows(named=True):
            if row["status"] == "tobedeleted":
                if row["sourcedId"] in known:
                    self.ended.append(known[row["sourcedId"]])
                continue
            section = self.point("enrollments", row, "classSourcedId", "class")
            kind = "student" if row["role"] == "student" else "person"
            if section is None:
                continue
            if kind == "person" and row["userSourcedId"] not in self.keys["person"] and row["role"] != "teacher":
                continue
            who = self.point("enrollments", row, "userSourcedId", kind)
            if who is None:
                continue
            if row["beginDate"] is not None and row["endDate"] is not None and row["endDate"] < row["beginDate"]:
                self.refuse("enrollments", row, "endDate", "is before beginDate")
                continue
            made = {
                "section_id": section, "first_day": row["beginDate"], "last_day": row["endDate"],
                "sourced_id": row["sourcedId"], "line": row["line"], "said": self._said(row, kind),
            }  # fmt: skip
            (learning if kind == "student" else teaching).append(
                {("student_id" if kind == "student" else "person_id"): who, **made}
            )
        self.sync.take(Enrolment, ("student_id", "section_id", "first_day"), learning, "place in a class")
        self.sync.take(SectionTeacher, ("section_id", "person_id"), teaching, "teacher of a class")

    def _said(self, row: Row, kind: str) -> str:
        who, room = self.names[kind].get(row["userSourcedId"]), self.names["section"].get(row["classSourcedId"])
        return f"{who or row['userSourcedId']}, {room or row['classSourcedId']}"

    def _demographics(self) -> None:
        frame = self.package.frames["demographics"]
        columns = {name: name for name in FILES["demographics"]}
        columns |= {name: name.removeprefix(f"{OURS}{FIELD}") for name in frame.columns if name.startswith(OURS)}
        values: list[tuple[int, str, str, int]] = []
        for row in self.rows("demographics"):
            who = self.keys["student"].get(row["sourcedId"])
            if who is None:
                # Demographics of people who work here are none of our business.
                continue
            values += [
                (who, ours, str(row[name]), row["line"]) for name, ours in columns.items() if row.get(name) is not None
            ]
        names = list(dict.fromkeys(name for _, name, _, _ in values))
        known = two_columns(self.session, select(Field.name, Field.id))
        # A field comes in switched off; a coach switches on what the district may compare by.
        self.sync.take(
            Field, ("name",), [{"name": name, "shown": False} for name in names if name not in known], "field"
        )
        fresh = {row["name"]: row["id"] for row in self.sync.operations[-1].new}
        rows = [
            {"student_id": who, "field_id": known.get(name) or fresh[name], "value": value, "line": line}
            for who, name, value, line in values
        ]
        self.sync.take(StudentField, ("student_id", "field_id"), rows, "entry of a field")
