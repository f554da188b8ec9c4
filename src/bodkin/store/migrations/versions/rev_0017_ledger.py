"""The ledger of changed tables, and the version of the data at which each result was last written."""

import sqlalchemy as sa
from alembic import op

revision = "0017"
down_revision = "0016"
branch_labels = None
depends_on = None


def upgrade() -> None:
    """Bring the tables up."""
    op.create_table(
        "table_change",
        sa.Column("name", sa.String(64), nullable=False),
        sa.Column("version", sa.BigInteger(), nullable=False),
        sa.PrimaryKeyConstraint("name", name=op.f("pk_table_change")),
    )
    op.execute("INSERT INTO table_change (name, version) VALUES (CONCAT('database ', UUID()), 0)")
    # Not to be seen by what lists all columns: it belongs to this database and goes into no backup.
    op.execute("ALTER TABLE result ADD COLUMN data_version BIGINT NOT NULL DEFAULT 0 INVISIBLE")
    op.create_index("ix_result_data_version", "result", ["data_version"])


def downgrade() -> None:
    """Take them away."""
    op.execute("DROP TRIGGER IF EXISTS result_insert_version")
    op.execute("DROP TRIGGER IF EXISTS result_update_version")
    op.drop_index("ix_result_data_version", "result")
    op.drop_column("result", "data_version")
    op.drop_table("table_change")
