"""Pages made for students and families: sets of sections, what was made, what was handed over."""

import sqlalchemy as sa
from alembic import op

revision = "0015"
down_revision = "0014"
branch_labels = None
depends_on = None


def upgrade() -> None:
    """Bring the tables up."""
    op.create_table(
        "page_set",
        sa.Column("name", sa.String(160), nullable=False),
        sa.Column("audience", sa.String(64), nullable=False),
        sa.Column("sections", sa.String(400), nullable=False),
        sa.Column("made_by_id", sa.BigInteger(), nullable=False),
        sa.Column("id", sa.BigInteger(), autoincrement=True, nullable=False),
        sa.ForeignKeyConstraint(["made_by_id"], ["person.id"], name=op.f("fk_page_set_made_by_id")),
        sa.PrimaryKeyConstraint("id", name=op.f("pk_page_set")),
        sa.UniqueConstraint("name", name=op.f("uq_page_set_name")),
    )
    op.create_table(
        "page_log",
        sa.Column("person_id", sa.BigInteger(), nullable=False),
        sa.Column("at", sa.DateTime(), nullable=False),
        sa.Column("student", sa.String(64), nullable=False),
        sa.Column("audience", sa.String(64), nullable=False),
        sa.Column("sections", sa.String(400), nullable=False),
        sa.Column("language", sa.String(64), nullable=False),
        sa.Column("form", sa.String(16), nullable=False),
        sa.Column("sha256", sa.String(64), nullable=False),
        sa.Column("id", sa.BigInteger(), autoincrement=True, nullable=False),
        sa.ForeignKeyConstraint(["person_id"], ["person.id"], name=op.f("fk_page_log_person_id")),
        sa.PrimaryKeyConstraint("id", name=op.f("pk_page_log")),
    )
    op.create_index("ix_page_log_student", "page_log", ["student", "at"])
    op.create_table(
        "page_handed",
        sa.Column("page_log_id", sa.BigInteger(), nullable=False),
        sa.Column("person_id", sa.BigInteger(), nullable=False),
        sa.Column("at", sa.DateTime(), nullable=False),
        sa.Column("to", sa.String(160), nullable=False),
        sa.Column("id", sa.BigInteger(), autoincrement=True, nullable=False),
        sa.ForeignKeyConstraint(["page_log_id"], ["page_log.id"], name=op.f("fk_page_handed_page_log_id")),
        sa.ForeignKeyConstraint(["person_id"], ["person.id"], name=op.f("fk_page_handed_person_id")),
        sa.PrimaryKeyConstraint("id", name=op.f("pk_page_handed")),
    )


def downgrade() -> None:
    """Take them away."""
    op.drop_table("page_handed")
    op.drop_table("page_log")
    op.drop_table("page_set")
