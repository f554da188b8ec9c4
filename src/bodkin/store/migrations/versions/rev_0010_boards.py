"""When groups meet, and how many students they were made for."""

import sqlalchemy as sa
from alembic import op

revision = "0010"
down_revision = "0009"
branch_labels = None
depends_on = None

_COLUMNS = (("slots", sa.String(length=255)), ("fewest", sa.Integer()), ("most", sa.Integer()))


def upgrade() -> None:
    """Bring the tables up."""
    for name, kind in _COLUMNS:
        op.add_column("group", sa.Column(name, kind, nullable=True))


def downgrade() -> None:
    """Take the columns away."""
    for name, _ in _COLUMNS:
        op.drop_column("group", name)
