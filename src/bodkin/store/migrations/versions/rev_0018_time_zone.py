"""The time zone of the district, in which its days begin and end."""

import sqlalchemy as sa
from alembic import op

revision = "0018"
down_revision = "0017"
branch_labels = None
depends_on = None


def upgrade() -> None:
    """Bring the column up."""
    op.add_column("district", sa.Column("time_zone", sa.String(64), nullable=True))


def downgrade() -> None:
    """Take it away."""
    op.drop_column("district", "time_zone")
