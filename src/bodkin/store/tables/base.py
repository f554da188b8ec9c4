"""The one base of all tables: names of keys and indexes, and what every brought-in row knows."""

from datetime import date
from typing import Annotated

from sqlalchemy import BigInteger, Date, Double, ForeignKey, MetaData, String
from sqlalchemy.orm import DeclarativeBase, Mapped, mapped_column

NAMES = {
    "ix": "ix_%(table_name)s_%(column_0_N_name)s",
    "uq": "uq_%(table_name)s_%(column_0_N_name)s",
    "fk": "fk_%(table_name)s_%(column_0_name)s",
    "pk": "pk_%(table_name)s",
}

Name = Annotated[str, mapped_column(String(160))]
Code = Annotated[str, mapped_column(String(64))]
Grade = Annotated[str, mapped_column(String(8))]
Season = Annotated[str, mapped_column(String(8))]
Number = Annotated[float, mapped_column(Double)]


class Base(DeclarativeBase):
    """Base of the tables; every table has a number of its own as key."""

    metadata = MetaData(naming_convention=NAMES)
    type_annotation_map = {date: Date}  # noqa: RUF012 (SQLAlchemy reads it as a class attribute)

    id: Mapped[int] = mapped_column(BigInteger, primary_key=True, autoincrement=True)


class BroughtIn:
    """Rows that an import can bring in: they know which, so that it can be undone whole."""

    import_id: Mapped[int | None] = mapped_column(BigInteger, ForeignKey("import.id"), index=True)


class Sourced:
    """Rows of the roster that another system may know under an identifier of its own."""

    sourced_id: Mapped[str | None] = mapped_column(String(255), unique=True)
