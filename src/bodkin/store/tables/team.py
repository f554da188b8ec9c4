"""What a team decides about a student, the meetings where it does, and the words that were said."""

from datetime import date
from typing import Any

from sqlalchemy import JSON, Boolean, ForeignKey, Integer, String, UniqueConstraint
from sqlalchemy.orm import Mapped, mapped_column

from bodkin.store.tables.base import Base, Code, Name


class TeamMeeting(Base):
    """A meeting of a team about students."""

    __tablename__ = "team_meeting"
    day: Mapped[date]
    name: Mapped[Name]
    present: Mapped[str | None] = mapped_column(String(255))
    made_by_id: Mapped[int] = mapped_column(ForeignKey("person.id"))


class MeetingStudent(Base):
    """A student to talk about at a meeting, in which place, and why."""

    __tablename__ = "meeting_student"
    __table_args__ = (UniqueConstraint("meeting_id", "student_id"),)
    meeting_id: Mapped[int] = mapped_column(ForeignKey("team_meeting.id"))
    student_id: Mapped[int] = mapped_column(ForeignKey("student.id"))
    place: Mapped[int] = mapped_column(Integer)
    why: Mapped[str] = mapped_column(String(255))


class Decision(Base):
    """What was decided about a student's help: ``kind`` is one of ``bodkin.core.follow_up.phases.KINDS``.

    ``evidence``: what the figures said on that day, kept as it was. ``done``: whether it was carried out, empty while
    nobody has said. ``review_on``: when the team looks again.
    """

    __tablename__ = "decision"
    student_id: Mapped[int] = mapped_column(ForeignKey("student.id"))
    group_id: Mapped[int | None] = mapped_column(ForeignKey("group.id"))
    meeting_id: Mapped[int | None] = mapped_column(ForeignKey("team_meeting.id"))
    day: Mapped[date]
    kind: Mapped[Code]
    text: Mapped[str | None] = mapped_column(String(500))
    who: Mapped[Name | None]
    review_on: Mapped[date | None]
    done: Mapped[bool | None] = mapped_column(Boolean)
    evidence: Mapped[dict[str, Any]] = mapped_column(JSON)
    made_by_id: Mapped[int] = mapped_column(ForeignKey("person.id"))


class WordSaid(Base):
    """A word to a student that somebody has had: ``about`` names the event, so that it never comes up again."""

    __tablename__ = "word_said"
    __table_args__ = (UniqueConstraint("student_id", "about"),)
    student_id: Mapped[int] = mapped_column(ForeignKey("student.id"))
    about: Mapped[str] = mapped_column(String(160))
    day: Mapped[date]
    by_id: Mapped[int] = mapped_column(ForeignKey("person.id"))
