"""Groups of students who work together for a while, their sessions, goals and notes."""

from datetime import date

from sqlalchemy import Double, ForeignKey, Integer, String, UniqueConstraint
from sqlalchemy.orm import Mapped, mapped_column

from bodkin.store.tables.base import Base, BroughtIn, Code, Name


class Group(Base, BroughtIn):
    """A group with its focus, the measure it is about, its adult, its time, and its rules.

    ``minutes`` are planned for each of ``times_a_week`` sessions; ``entry_rule`` and ``exit_rule``
    say who joins and when one is done, written as ``core.groups.membership_rules`` reads them; words that are no
    such rule are kept as they came. ``slots`` are when it meets, such as ``Mon 9:00``, with semicolons;
    ``fewest`` and ``most`` students are what it was made for.
    """

    __tablename__ = "group"
    # Each maker's own names: that a name is taken must not tell of a group one may not know of.
    __table_args__ = (UniqueConstraint("made_by_id", "name"),)
    name: Mapped[Name]
    focus: Mapped[str] = mapped_column(String(255))
    assessment_id: Mapped[int | None] = mapped_column(ForeignKey("assessment.id"))
    adult_id: Mapped[int | None] = mapped_column(ForeignKey("person.id"))
    second_adult_id: Mapped[int | None] = mapped_column(ForeignKey("person.id"))
    first_day: Mapped[date]
    last_day: Mapped[date]
    made_by_id: Mapped[int | None] = mapped_column(ForeignKey("person.id"))
    tier: Mapped[int | None] = mapped_column(Integer)
    times_a_week: Mapped[int | None] = mapped_column(Integer)
    minutes: Mapped[float | None] = mapped_column(Double)
    entry_rule: Mapped[str | None] = mapped_column(String(255))
    exit_rule: Mapped[str | None] = mapped_column(String(255))
    slots: Mapped[str | None] = mapped_column(String(255))
    fewest: Mapped[int | None] = mapped_column(Integer)
    most: Mapped[int | None] = mapped_column(Integer)


class RequiredMinutes(Base):
    """Minutes of help a week that students of a tier must be given."""

    __tablename__ = "required_minutes"
    tier: Mapped[int] = mapped_column(Integer, unique=True)
    minutes: Mapped[float] = mapped_column(Double)


class GroupMember(Base, BroughtIn):
    """A student in a group between two days; the last day is empty while the student stays."""

    __tablename__ = "group_member"
    __table_args__ = (UniqueConstraint("group_id", "student_id", "first_day"),)
    group_id: Mapped[int] = mapped_column(ForeignKey("group.id"))
    student_id: Mapped[int] = mapped_column(ForeignKey("student.id"))
    first_day: Mapped[date]
    last_day: Mapped[date | None]
    reason: Mapped[str | None] = mapped_column(String(255))


class GroupSession(Base, BroughtIn):
    """A meeting of a group: how many minutes, and what was done."""

    __tablename__ = "session"
    __table_args__ = (UniqueConstraint("group_id", "day"),)
    group_id: Mapped[int] = mapped_column(ForeignKey("group.id"))
    day: Mapped[date]
    minutes: Mapped[float | None] = mapped_column(Double)
    note: Mapped[str | None] = mapped_column(String(255))


class Attendance(Base, BroughtIn):
    """How many minutes of a session a student was there; none is 0."""

    __tablename__ = "attendance"
    __table_args__ = (UniqueConstraint("session_id", "student_id"),)
    session_id: Mapped[int] = mapped_column(ForeignKey("session.id"))
    student_id: Mapped[int] = mapped_column(ForeignKey("student.id"))
    minutes: Mapped[float] = mapped_column(Double)


class Goal(Base, BroughtIn):
    """A goal: the score to reach, by when, what the student will do, who agreed, and when to look again."""

    __tablename__ = "goal"
    __table_args__ = (UniqueConstraint("student_id", "assessment_id", "by_day", "kind"),)
    student_id: Mapped[int] = mapped_column(ForeignKey("student.id"))
    assessment_id: Mapped[int] = mapped_column(ForeignKey("assessment.id"))
    kind: Mapped[Code]
    target: Mapped[float] = mapped_column(Double)
    by_day: Mapped[date]
    plan: Mapped[str | None] = mapped_column(String(500))
    agreed_with: Mapped[Name | None]
    review_on: Mapped[date | None]
    made_by_id: Mapped[int | None] = mapped_column(ForeignKey("person.id"))


class GrowthTarget(Base):
    """A target of a class, a grade or a school: the share (0..1) that meets its expected growth.

    ``who``: a class by its key, the others in words.
    """

    __tablename__ = "growth_target"
    __table_args__ = (UniqueConstraint("assessment_id", "who"),)
    assessment_id: Mapped[int] = mapped_column(ForeignKey("assessment.id"))
    who: Mapped[str] = mapped_column(String(255))
    share: Mapped[float] = mapped_column(Double)
    made_by_id: Mapped[int | None] = mapped_column(ForeignKey("person.id"))
