"""Remarks: views and students passed on to colleagues."""

import sqlalchemy as sa
from alembic import op

revision = "0016"
down_revision = "0015"
branch_labels = None
depends_on = None


def upgrade() -> None:
    """Bring the tables up."""
    op.create_table(
        "remark",
        sa.Column("from_id", sa.BigInteger(), nullable=False),
        sa.Column("to_id", sa.BigInteger(), nullable=False),
        sa.Column("at", sa.DateTime(), nullable=False),
        sa.Column("path", sa.String(8200), nullable=False),
        sa.Column("student", sa.String(64), nullable=True),
        sa.Column("text", sa.String(1000), nullable=False),
        sa.Column("read_at", sa.DateTime(), nullable=True),
        sa.Column("id", sa.BigInteger(), autoincrement=True, nullable=False),
        sa.ForeignKeyConstraint(["from_id"], ["person.id"], name=op.f("fk_remark_from_id")),
        sa.ForeignKeyConstraint(["to_id"], ["person.id"], name=op.f("fk_remark_to_id")),
        sa.PrimaryKeyConstraint("id", name=op.f("pk_remark")),
    )
    op.create_index("ix_remark_to", "remark", ["to_id", "at"])


def downgrade() -> None:
    """Take them away."""
    op.drop_table("remark")
