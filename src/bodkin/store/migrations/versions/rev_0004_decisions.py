"""What is decided about results: their state, retests asked for, and acts that can be undone."""

import sqlalchemy as sa
from alembic import op

revision = "0004"
down_revision = "0003"
branch_labels = None
depends_on = None


def upgrade() -> None:
    """Bring the tables up."""
    op.add_column("result", sa.Column("state", sa.String(length=12), nullable=True))
    op.add_column("result", sa.Column("state_why", sa.String(length=255), nullable=True))
    op.add_column("result", sa.Column("state_by_id", sa.BigInteger(), nullable=True))
    op.create_foreign_key(op.f("fk_result_state_by_id"), "result", "person", ["state_by_id"], ["id"])
    op.create_table(
        "retest_request",
        sa.Column("student_id", sa.BigInteger(), nullable=False),
        sa.Column("assessment_id", sa.BigInteger(), nullable=False),
        sa.Column("window_id", sa.BigInteger(), nullable=False),
        sa.Column("why", sa.String(length=255), nullable=False),
        sa.Column("accommodations", sa.String(length=255), nullable=True),
        sa.Column("asked_by_id", sa.BigInteger(), nullable=True),
        sa.Column("asked_at", sa.DateTime(), nullable=False),
        sa.Column("state", sa.String(length=12), nullable=False),
        sa.Column("id", sa.BigInteger(), autoincrement=True, nullable=False),
        sa.ForeignKeyConstraint(["student_id"], ["student.id"], name=op.f("fk_retest_request_student_id")),
        sa.ForeignKeyConstraint(["assessment_id"], ["assessment.id"], name=op.f("fk_retest_request_assessment_id")),
        sa.ForeignKeyConstraint(["window_id"], ["window.id"], name=op.f("fk_retest_request_window_id")),
        sa.ForeignKeyConstraint(["asked_by_id"], ["person.id"], name=op.f("fk_retest_request_asked_by_id")),
        sa.PrimaryKeyConstraint("id", name=op.f("pk_retest_request")),
    )
    op.create_table(
        "act",
        sa.Column("by_id", sa.BigInteger(), nullable=True),
        sa.Column("at", sa.DateTime(), nullable=False),
        sa.Column("said", sa.String(length=500), nullable=False),
        sa.Column("before", sa.JSON(), nullable=False),
        sa.Column("state", sa.String(length=12), nullable=False),
        sa.Column("id", sa.BigInteger(), autoincrement=True, nullable=False),
        sa.ForeignKeyConstraint(["by_id"], ["person.id"], name=op.f("fk_act_by_id")),
        sa.PrimaryKeyConstraint("id", name=op.f("pk_act")),
    )


def downgrade() -> None:
    """Take the tables down."""
    op.drop_table("act")
    op.drop_table("retest_request")
    op.drop_constraint(op.f("fk_result_state_by_id"), "result", type_="foreignkey")
    op.drop_column("result", "state_by_id")
    op.drop_column("result", "state_why")
    op.drop_column("result", "state")
