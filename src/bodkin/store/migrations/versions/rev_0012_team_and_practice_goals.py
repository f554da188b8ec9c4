"""Goals of practice, team meetings with their decisions, and words that were said."""

import sqlalchemy as sa
from alembic import op
from sqlalchemy.schema import SchemaItem

revision = "0012"
down_revision = "0011"
branch_labels = None
depends_on = None


def _key(name: str, other: str, *, empty: bool = False) -> tuple[sa.Column[int], sa.ForeignKeyConstraint]:
    """A column that points at another table, and its constraint without the table's name."""
    return sa.Column(name, sa.BigInteger(), nullable=empty), sa.ForeignKeyConstraint([name], [f"{other}.id"])


def _table(name: str, *parts: sa.Column[object] | tuple[sa.Column[int], sa.ForeignKeyConstraint], unique: str) -> None:
    """A table with a key of its own, keys of others, and one unique place."""
    columns: list[SchemaItem] = []
    for part in parts:
        if isinstance(part, tuple):
            column, points_at = part
            points_at.name = op.f(f"fk_{name}_{column.name}")
            columns += [column, points_at]
        else:
            columns.append(part)
    columns.append(sa.Column("id", sa.BigInteger(), autoincrement=True, nullable=False))
    columns.append(sa.PrimaryKeyConstraint("id", name=op.f(f"pk_{name}")))
    if unique:
        names = unique.split()
        columns.append(sa.UniqueConstraint(*names, name=op.f(f"uq_{name}_{'_'.join(names)}")))
    op.create_table(name, *columns)


def upgrade() -> None:
    """Bring the tables up."""
    number: list[sa.Column[object]] = [
        sa.Column(name, sa.Double(), nullable=True) for name in ("accuracy", "minutes", "easiest", "hardest")
    ]
    _table(
        "practice_goal", _key("student_id", "student"), _key("marking_period_id", "marking_period"), *number,
        _key("import_id", "import", empty=True), unique="student_id marking_period_id",
    )  # fmt: skip
    op.create_index(op.f("ix_practice_goal_import_id"), "practice_goal", ["import_id"])
    _table(
        "team_meeting", sa.Column("day", sa.Date(), nullable=False), sa.Column("name", sa.String(160), nullable=False),
        sa.Column("present", sa.String(255), nullable=True), _key("made_by_id", "person"), unique="",
    )  # fmt: skip
    _table(
        "meeting_student", _key("meeting_id", "team_meeting"), _key("student_id", "student"),
        sa.Column("place", sa.Integer(), nullable=False), sa.Column("why", sa.String(255), nullable=False),
        unique="meeting_id student_id",
    )  # fmt: skip
    _table(
        "decision", _key("student_id", "student"), _key("group_id", "group", empty=True),
        _key("meeting_id", "team_meeting", empty=True), sa.Column("day", sa.Date(), nullable=False),
        sa.Column("kind", sa.String(64), nullable=False), sa.Column("text", sa.String(500), nullable=True),
        sa.Column("who", sa.String(160), nullable=True), sa.Column("review_on", sa.Date(), nullable=True),
        sa.Column("done", sa.Boolean(), nullable=True), sa.Column("evidence", sa.JSON(), nullable=False),
        _key("made_by_id", "person"), unique="",
    )  # fmt: skip
    _table(
        "word_said", _key("student_id", "student"), sa.Column("about", sa.String(160), nullable=False),
        sa.Column("day", sa.Date(), nullable=False), _key("by_id", "person"), unique="student_id about",
    )  # fmt: skip


def downgrade() -> None:
    """Take them away."""
    for name in ("word_said", "decision", "meeting_student", "team_meeting", "practice_goal"):
        op.drop_table(name)
