"""A second adult of a group, and the minutes a week that a tier requires."""

import sqlalchemy as sa
from alembic import op

revision = "0011"
down_revision = "0010"
branch_labels = None
depends_on = None


def upgrade() -> None:
    """Bring the tables up."""
    op.add_column("group", sa.Column("second_adult_id", sa.BigInteger(), nullable=True))
    op.create_foreign_key(op.f("fk_group_second_adult_id"), "group", "person", ["second_adult_id"], ["id"])
    op.create_table(
        "required_minutes",
        sa.Column("tier", sa.Integer(), nullable=False),
        sa.Column("minutes", sa.Double(), nullable=False),
        sa.Column("id", sa.BigInteger(), autoincrement=True, nullable=False),
        sa.PrimaryKeyConstraint("id", name=op.f("pk_required_minutes")),
        sa.UniqueConstraint("tier", name=op.f("uq_required_minutes_tier")),
    )


def downgrade() -> None:
    """Take them away."""
    op.drop_table("required_minutes")
    op.drop_constraint(op.f("fk_group_second_adult_id"), "group", type_="foreignkey")
    op.drop_column("group", "second_adult_id")
