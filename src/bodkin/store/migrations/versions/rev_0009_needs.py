"""Items that are dropped, part credit, and material on standards."""

import sqlalchemy as sa
from alembic import op

revision = "0009"
down_revision = "0008"
branch_labels = None
depends_on = None


def upgrade() -> None:
    """Bring the tables up."""
    op.add_column("item", sa.Column("dropped", sa.Boolean(), nullable=False, server_default=sa.text("0")))
    op.alter_column("item", "dropped", existing_type=sa.Boolean(), existing_nullable=False, server_default=None)
    op.add_column("answer", sa.Column("points", sa.Double(), nullable=True))
    op.create_table(
        "material",
        sa.Column("standard_id", sa.BigInteger(), nullable=False),
        sa.Column("title", sa.String(length=160), nullable=False),
        sa.Column("link", sa.String(length=1000), nullable=True),
        sa.Column("check", sa.String(length=1000), nullable=True),
        sa.Column("by_id", sa.BigInteger(), nullable=True),
        sa.Column("id", sa.BigInteger(), autoincrement=True, nullable=False),
        sa.Column("import_id", sa.BigInteger(), nullable=True),
        sa.ForeignKeyConstraint(["standard_id"], ["standard.id"], name=op.f("fk_material_standard_id")),
        sa.ForeignKeyConstraint(["by_id"], ["person.id"], name=op.f("fk_material_by_id")),
        sa.ForeignKeyConstraint(["import_id"], ["import.id"], name=op.f("fk_material_import_id")),
        sa.PrimaryKeyConstraint("id", name=op.f("pk_material")),
        sa.UniqueConstraint("standard_id", "title", name=op.f("uq_material_standard_id_title")),
    )
    op.create_index(op.f("ix_material_import_id"), "material", ["import_id"])
    op.create_table(
        "assigned_material",
        sa.Column("material_id", sa.BigInteger(), nullable=False),
        sa.Column("student_id", sa.BigInteger(), nullable=False),
        sa.Column("group_id", sa.BigInteger(), nullable=True),
        sa.Column("assigned_on", sa.Date(), nullable=False),
        sa.Column("by_id", sa.BigInteger(), nullable=True),
        sa.Column("done_on", sa.Date(), nullable=True),
        sa.Column("id", sa.BigInteger(), autoincrement=True, nullable=False),
        sa.ForeignKeyConstraint(["material_id"], ["material.id"], name=op.f("fk_assigned_material_material_id")),
        sa.ForeignKeyConstraint(["student_id"], ["student.id"], name=op.f("fk_assigned_material_student_id")),
        sa.ForeignKeyConstraint(["group_id"], ["group.id"], name=op.f("fk_assigned_material_group_id")),
        sa.ForeignKeyConstraint(["by_id"], ["person.id"], name=op.f("fk_assigned_material_by_id")),
        sa.PrimaryKeyConstraint("id", name=op.f("pk_assigned_material")),
        sa.UniqueConstraint("material_id", "student_id", name=op.f("uq_assigned_material_material_id_student_id")),
    )


def downgrade() -> None:
    """Take the tables down."""
    op.drop_table("assigned_material")
    op.drop_table("material")
    op.drop_column("answer", "points")
    op.drop_column("item", "dropped")
