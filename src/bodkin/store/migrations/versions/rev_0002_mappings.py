"""How files are read is remembered by their shape, and kept with each import."""

import sqlalchemy as sa
from alembic import op

revision = "0002"
down_revision = "0001"
branch_labels = None
depends_on = None


def upgrade() -> None:
    """Bring the tables up."""
    op.add_column("import", sa.Column("mapping", sa.JSON(), nullable=True))
    op.create_table(
        "import_mapping",
        sa.Column("shape", sa.String(length=64), nullable=False),
        sa.Column("kind", sa.String(length=32), nullable=False),
        sa.Column("mapping", sa.JSON(), nullable=False),
        sa.Column("by_id", sa.BigInteger(), nullable=True),
        sa.Column("at", sa.DateTime(), nullable=False),
        sa.Column("id", sa.BigInteger(), autoincrement=True, nullable=False),
        sa.ForeignKeyConstraint(["by_id"], ["person.id"], name=op.f("fk_import_mapping_by_id")),
        sa.PrimaryKeyConstraint("id", name=op.f("pk_import_mapping")),
        sa.UniqueConstraint("shape", name=op.f("uq_import_mapping_shape")),
    )


def downgrade() -> None:
    """Take the tables down."""
    op.drop_table("import_mapping")
    op.drop_column("import", "mapping")
