"""Columns that carry plainer names."""

import sqlalchemy as sa
from alembic import op

revision = "0006"
down_revision = "0005"
branch_labels = None
depends_on = None


def upgrade() -> None:
    """Bring the tables up."""
    op.alter_column(
        "roster_source", "last_told", new_column_name="last_outcome", existing_type=sa.String(length=1000),
        existing_nullable=True,
    )  # fmt: skip


def downgrade() -> None:
    """Take the tables down."""
    op.alter_column(
        "roster_source", "last_outcome", new_column_name="last_told", existing_type=sa.String(length=1000),
        existing_nullable=True,
    )  # fmt: skip
