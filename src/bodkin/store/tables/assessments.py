"""Assessments, their norms and cuts, and the results."""

from datetime import date, datetime

from sqlalchemy import DateTime, Double, ForeignKey, Index, Integer, String, UniqueConstraint
from sqlalchemy.orm import Mapped, mapped_column

from bodkin.store.tables.base import Base, BroughtIn, Code, Grade, Name, Number, Season


class Assessment(Base, BroughtIn):
    """A test in one subject, such as Saltgauge in reading.

    ``kind``: adaptive, benchmark, outcome, common, probe, reasoning, language proficiency.
    ``norm_group`` names whose norms its norms are.
    """

    __tablename__ = "assessment"
    __table_args__ = (UniqueConstraint("name", "subject"),)
    name: Mapped[Name]
    subject: Mapped[Code]
    kind: Mapped[str] = mapped_column(String(24), default="adaptive")
    norm_group: Mapped[Name | None]


class Strand(Base, BroughtIn):
    """A part of an assessment with scores of its own."""

    __tablename__ = "strand"
    __table_args__ = (UniqueConstraint("assessment_id", "name"),)
    assessment_id: Mapped[int] = mapped_column(ForeignKey("assessment.id"))
    name: Mapped[Name]


class Result(Base, BroughtIn):
    """One sitting of an assessment, with where the student sat on that day.

    Grade, school, class, teacher and programs are those of the day of the test; an empty window
    means outside the windows. Of several results in a window the latest counts; ``id`` rises
    with the order of arrival. ``state`` is what somebody decided: ``kept`` (looked at and
    believed), ``beside`` (another one of the window counts) or ``set aside``; the last two do not
    count anywhere.
    """

    __tablename__ = "result"
    __table_args__ = (Index("ix_result_measure", "assessment_id", "window_id", "student_id"),)
    student_id: Mapped[int] = mapped_column(ForeignKey("student.id"))
    assessment_id: Mapped[int] = mapped_column(ForeignKey("assessment.id"))
    window_id: Mapped[int | None] = mapped_column(ForeignKey("window.id"))
    tested_on: Mapped[date | None]
    grade: Mapped[Grade | None]
    school_id: Mapped[int | None] = mapped_column(ForeignKey("school.id"))
    section_id: Mapped[int | None] = mapped_column(ForeignKey("section.id"))
    teacher_id: Mapped[int | None] = mapped_column(ForeignKey("person.id"))
    programs: Mapped[str | None] = mapped_column(String(255))
    language: Mapped[Code | None]
    score: Mapped[Number]
    standard_error: Mapped[float | None] = mapped_column(Double)
    percentile: Mapped[float | None] = mapped_column(Double)
    percentile_basis: Mapped[Name | None]
    minutes: Mapped[float | None] = mapped_column(Double)
    items_tried: Mapped[int | None] = mapped_column(Integer)
    items_right: Mapped[int | None] = mapped_column(Integer)
    points: Mapped[float | None] = mapped_column(Double)
    points_possible: Mapped[float | None] = mapped_column(Double)
    accommodations: Mapped[str | None] = mapped_column(String(255))
    state: Mapped[str | None] = mapped_column(String(12))
    state_why: Mapped[str | None] = mapped_column(String(255))
    state_by_id: Mapped[int | None] = mapped_column(ForeignKey("person.id"))


class Correction(Base):
    """A cell of a result that somebody corrected by hand: what the file said, what it is now, who and why."""

    __tablename__ = "correction"
    result_id: Mapped[int] = mapped_column(ForeignKey("result.id"))
    column: Mapped[Code]
    before: Mapped[str | None] = mapped_column(String(255))
    after: Mapped[str | None] = mapped_column(String(255))
    why: Mapped[str] = mapped_column(String(255))
    by_id: Mapped[int | None] = mapped_column(ForeignKey("person.id"))
    at: Mapped[datetime] = mapped_column(DateTime)


class RetestRequest(Base):
    """A second sitting that somebody asked for, and whether it has been done; ``state`` is open, done or withdrawn."""

    __tablename__ = "retest_request"
    student_id: Mapped[int] = mapped_column(ForeignKey("student.id"))
    assessment_id: Mapped[int] = mapped_column(ForeignKey("assessment.id"))
    window_id: Mapped[int] = mapped_column(ForeignKey("window.id"))
    why: Mapped[str] = mapped_column(String(255))
    accommodations: Mapped[str | None] = mapped_column(String(255))
    asked_by_id: Mapped[int | None] = mapped_column(ForeignKey("person.id"))
    asked_at: Mapped[datetime] = mapped_column(DateTime)
    state: Mapped[str] = mapped_column(String(12))


class StrandResult(Base, BroughtIn):
    """The score of one strand within a result."""

    __tablename__ = "strand_result"
    __table_args__ = (UniqueConstraint("result_id", "strand_id"),)
    result_id: Mapped[int] = mapped_column(ForeignKey("result.id"))
    strand_id: Mapped[int] = mapped_column(ForeignKey("strand.id"))
    score: Mapped[float | None] = mapped_column(Double)
    standard_error: Mapped[float | None] = mapped_column(Double)
    points: Mapped[float | None] = mapped_column(Double)
    points_possible: Mapped[float | None] = mapped_column(Double)


class ResultScale(Base, BroughtIn):
    """The same result on another scale, such as a reading range: in words, and as a range of numbers."""

    __tablename__ = "result_scale"
    __table_args__ = (UniqueConstraint("result_id", "scale"),)
    result_id: Mapped[int] = mapped_column(ForeignKey("result.id"))
    scale: Mapped[Name]
    value: Mapped[Name]
    low: Mapped[float | None] = mapped_column(Double)
    high: Mapped[float | None] = mapped_column(Double)


class Item(Base, BroughtIn):
    """An item of a common test: its key (several with semicolons), options, points and standards.

    A ``dropped`` item counts for nobody.
    """

    __tablename__ = "item"
    __table_args__ = (UniqueConstraint("test", "item"),)
    test: Mapped[Name]
    item: Mapped[Code]
    key: Mapped[Code]
    points: Mapped[Number]
    options: Mapped[str | None] = mapped_column(String(255))
    standards: Mapped[str | None] = mapped_column(String(255))
    dropped: Mapped[bool] = mapped_column(default=False)


class Answer(Base, BroughtIn):
    """The option a student chose of an item; an empty one was left out. ``points`` stand before the key."""

    __tablename__ = "answer"
    __table_args__ = (UniqueConstraint("student_id", "item_id", "tested_on"),)
    student_id: Mapped[int] = mapped_column(ForeignKey("student.id"))
    item_id: Mapped[int] = mapped_column(ForeignKey("item.id"))
    tested_on: Mapped[date | None]
    option: Mapped[Code | None]
    points: Mapped[float | None] = mapped_column(Double)


class Link(Base, BroughtIn):
    """From which score of an interim test a level of the outcome test is likely."""

    __tablename__ = "link"
    __table_args__ = (UniqueConstraint("assessment_id", "grade", "season", "outcome", "level"),)
    assessment_id: Mapped[int] = mapped_column(ForeignKey("assessment.id"))
    grade: Mapped[Grade]
    season: Mapped[Season]
    min_score: Mapped[Number]
    outcome: Mapped[Name]
    level: Mapped[Code]


class Norm(Base, BroughtIn):
    """Mean and spread of the norm group for a grade at an instructional week."""

    __tablename__ = "norm"
    assessment_id: Mapped[int] = mapped_column(ForeignKey("assessment.id"))
    strand: Mapped[Name | None]
    grade: Mapped[Grade]
    season: Mapped[Season]
    week: Mapped[float | None] = mapped_column(Double)
    mean: Mapped[Number]
    sd: Mapped[Number]


class GrowthNorm(Base, BroughtIn):
    """Correlation of scores between two seasons for a grade."""

    __tablename__ = "growth_norm"
    __table_args__ = (UniqueConstraint("assessment_id", "grade", "from_season", "to_season"),)
    assessment_id: Mapped[int] = mapped_column(ForeignKey("assessment.id"))
    grade: Mapped[Grade]
    from_season: Mapped[Season]
    to_season: Mapped[Season]
    correlation: Mapped[Number]


class Cut(Base, BroughtIn):
    """A band of a cut set and its lowest score or percentile; an empty season is year-end."""

    __tablename__ = "cut"
    assessment_id: Mapped[int] = mapped_column(ForeignKey("assessment.id"))
    grade: Mapped[Grade]
    season: Mapped[Season | None]
    purpose: Mapped[str] = mapped_column(String(16))
    order: Mapped[int] = mapped_column(Integer)
    band: Mapped[Name]
    min_score: Mapped[float | None] = mapped_column(Double)
    min_percentile: Mapped[float | None] = mapped_column(Double)
