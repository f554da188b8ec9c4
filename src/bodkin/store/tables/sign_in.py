"""Signing in, and what was taken out: sessions, failed tries, and the log of exports."""

from datetime import datetime

from sqlalchemy import DateTime, ForeignKey, Index, Integer, String
from sqlalchemy.orm import Mapped, mapped_column

from bodkin.store.tables.base import Base


class SignInSession(Base):
    """One sign-in of a person until it ends; ``token_hash`` is the SHA-256 of what the cookie holds."""

    __tablename__ = "sign_in_session"
    token_hash: Mapped[str] = mapped_column(String(64), unique=True)
    person_id: Mapped[int] = mapped_column(ForeignKey("person.id"))
    made_at: Mapped[datetime] = mapped_column(DateTime)
    used_at: Mapped[datetime] = mapped_column(DateTime)
    ended_at: Mapped[datetime | None] = mapped_column(DateTime)
    browser: Mapped[str] = mapped_column(String(160))


class SignInTry(Base):
    """A try to sign in that failed or is under way; ``bucket`` says by what it is counted, without the login."""

    __tablename__ = "sign_in_try"
    __table_args__ = (Index("ix_sign_in_try_bucket_at", "bucket", "at"),)
    bucket: Mapped[str] = mapped_column(String(64))
    at: Mapped[datetime] = mapped_column(DateTime)


class ExportLog(Base):
    """Who took what out of Bodkin, about how many students, and when; rows are only added."""

    __tablename__ = "export_log"
    __table_args__ = (Index("ix_export_log_person", "person_id", "at"),)
    person_id: Mapped[int] = mapped_column(ForeignKey("person.id"))
    at: Mapped[datetime] = mapped_column(DateTime)
    what: Mapped[str] = mapped_column(String(255))
    form: Mapped[str] = mapped_column(String(16))
    students: Mapped[int | None] = mapped_column(Integer)
