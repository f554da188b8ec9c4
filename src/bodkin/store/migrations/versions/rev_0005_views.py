"""Scopes kept by name, which students people opened, and targets of classes and schools."""

import sqlalchemy as sa
from alembic import op

revision = "0005"
down_revision = "0004"
branch_labels = None
depends_on = None


def upgrade() -> None:
    """Bring the tables up."""
    op.create_table(
        "saved_scope",
        sa.Column("person_id", sa.BigInteger(), nullable=False),
        sa.Column("name", sa.String(length=160), nullable=False),
        sa.Column("line", sa.String(length=255), nullable=True),
        sa.Column("step", sa.String(length=64), nullable=False),
        sa.Column("query", sa.String(length=8000), nullable=False),
        sa.Column("favourite", sa.Boolean(), nullable=False),
        sa.Column("shared", sa.Boolean(), nullable=False),
        sa.Column("made_at", sa.DateTime(), nullable=False),
        sa.Column("id", sa.BigInteger(), autoincrement=True, nullable=False),
        sa.ForeignKeyConstraint(["person_id"], ["person.id"], name=op.f("fk_saved_scope_person_id")),
        sa.PrimaryKeyConstraint("id", name=op.f("pk_saved_scope")),
        sa.UniqueConstraint("person_id", "name", name=op.f("uq_saved_scope_person_id_name")),
    )
    op.create_table(
        "view_log",
        sa.Column("person_id", sa.BigInteger(), nullable=False),
        sa.Column("student_id", sa.BigInteger(), nullable=False),
        sa.Column("at", sa.DateTime(), nullable=False),
        sa.Column("id", sa.BigInteger(), autoincrement=True, nullable=False),
        sa.ForeignKeyConstraint(["person_id"], ["person.id"], name=op.f("fk_view_log_person_id")),
        sa.ForeignKeyConstraint(["student_id"], ["student.id"], name=op.f("fk_view_log_student_id")),
        sa.PrimaryKeyConstraint("id", name=op.f("pk_view_log")),
    )
    op.create_table(
        "growth_target",
        sa.Column("assessment_id", sa.BigInteger(), nullable=False),
        sa.Column("who", sa.String(length=255), nullable=False),
        sa.Column("share", sa.Double(), nullable=False),
        sa.Column("made_by_id", sa.BigInteger(), nullable=True),
        sa.Column("id", sa.BigInteger(), autoincrement=True, nullable=False),
        sa.ForeignKeyConstraint(["assessment_id"], ["assessment.id"], name=op.f("fk_growth_target_assessment_id")),
        sa.ForeignKeyConstraint(["made_by_id"], ["person.id"], name=op.f("fk_growth_target_made_by_id")),
        sa.PrimaryKeyConstraint("id", name=op.f("pk_growth_target")),
        sa.UniqueConstraint("assessment_id", "who", name=op.f("uq_growth_target_assessment_id_who")),
    )
    op.create_index("ix_view_log_person", "view_log", ["person_id", "at"])


def downgrade() -> None:
    """Take the tables down."""
    op.drop_table("growth_target")
    op.drop_table("view_log")
    op.drop_table("saved_scope")
