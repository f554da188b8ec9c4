"""Notes are shared or not, withdrawn, and keep what they said before."""

import sqlalchemy as sa
from alembic import op

revision = "0013"
down_revision = "0012"
branch_labels = None
depends_on = None


def upgrade() -> None:
    """Bring the tables up."""
    op.add_column("note", sa.Column("withdrawn_on", sa.Date(), nullable=True))
    op.add_column("note", sa.Column("shared", sa.Boolean(), nullable=False, server_default=sa.false()))
    op.create_table(
        "note_version",
        sa.Column("note_id", sa.BigInteger(), nullable=False),
        sa.Column("text", sa.String(1000), nullable=False),
        sa.Column("until", sa.Date(), nullable=False),
        sa.Column("by_id", sa.BigInteger(), nullable=True),
        sa.Column("id", sa.BigInteger(), autoincrement=True, nullable=False),
        sa.ForeignKeyConstraint(["note_id"], ["note.id"], name=op.f("fk_note_version_note_id")),
        sa.ForeignKeyConstraint(["by_id"], ["person.id"], name=op.f("fk_note_version_by_id")),
        sa.PrimaryKeyConstraint("id", name=op.f("pk_note_version")),
    )


def downgrade() -> None:
    """Take them away."""
    op.drop_table("note_version")
    op.drop_column("note", "shared")
    op.drop_column("note", "withdrawn_on")
