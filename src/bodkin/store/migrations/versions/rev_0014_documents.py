"""Documents attached to students, their content in parts."""

import sqlalchemy as sa
from alembic import op
from sqlalchemy.dialects import mysql

revision = "0014"
down_revision = "0013"
branch_labels = None
depends_on = None


def upgrade() -> None:
    """Bring the tables up."""
    op.create_table(
        "document",
        sa.Column("student_id", sa.BigInteger(), nullable=False),
        sa.Column("kind", sa.String(64), nullable=False),
        sa.Column("name", sa.String(160), nullable=False),
        sa.Column("media", sa.String(160), nullable=False),
        sa.Column("size", sa.Integer(), nullable=False),
        sa.Column("sha256", sa.String(64), nullable=False),
        sa.Column("shared", sa.Boolean(), nullable=False),
        sa.Column("by_id", sa.BigInteger(), nullable=True),
        sa.Column("at", sa.DateTime(), nullable=False),
        sa.Column("until", sa.Date(), nullable=True),
        sa.Column("id", sa.BigInteger(), autoincrement=True, nullable=False),
        sa.ForeignKeyConstraint(["student_id"], ["student.id"], name=op.f("fk_document_student_id")),
        sa.ForeignKeyConstraint(["by_id"], ["person.id"], name=op.f("fk_document_by_id")),
        sa.PrimaryKeyConstraint("id", name=op.f("pk_document")),
    )
    op.create_table(
        "document_part",
        sa.Column("document_id", sa.BigInteger(), nullable=False),
        sa.Column("place", sa.Integer(), nullable=False),
        sa.Column("content", mysql.MEDIUMTEXT(), nullable=False),
        sa.Column("id", sa.BigInteger(), autoincrement=True, nullable=False),
        sa.ForeignKeyConstraint(["document_id"], ["document.id"], name=op.f("fk_document_part_document_id")),
        sa.PrimaryKeyConstraint("id", name=op.f("pk_document_part")),
        sa.UniqueConstraint("document_id", "place", name=op.f("uq_document_part_document_id_place")),
    )


def downgrade() -> None:
    """Take them away."""
    op.drop_table("document_part")
    op.drop_table("document")
