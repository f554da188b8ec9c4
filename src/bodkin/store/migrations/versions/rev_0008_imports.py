"""Corrections by hand, mappings that know their import, a log of views that does not hold students back."""

import sqlalchemy as sa
from alembic import op

revision = "0008"
down_revision = "0007"
branch_labels = None
depends_on = None


def _guards(table: str) -> None:
    for act in ("UPDATE", "DELETE"):
        op.execute(
            f"CREATE TRIGGER {table}_no_{act.lower()} BEFORE {act} ON {table} FOR EACH ROW"
            f" SIGNAL SQLSTATE '45000' SET MESSAGE_TEXT = 'rows of {table} are only added'"
        )


def _without_guards(table: str) -> None:
    for act in ("update", "delete"):
        op.execute(f"DROP TRIGGER IF EXISTS {table}_no_{act}")


def upgrade() -> None:
    """Bring the tables up."""
    op.create_table(
        "correction",
        sa.Column("result_id", sa.BigInteger(), nullable=False),
        sa.Column("column", sa.String(length=64), nullable=False),
        sa.Column("before", sa.String(length=255), nullable=True),
        sa.Column("after", sa.String(length=255), nullable=True),
        sa.Column("why", sa.String(length=255), nullable=False),
        sa.Column("by_id", sa.BigInteger(), nullable=True),
        sa.Column("at", sa.DateTime(), nullable=False),
        sa.Column("id", sa.BigInteger(), autoincrement=True, nullable=False),
        sa.ForeignKeyConstraint(["result_id"], ["result.id"], name=op.f("fk_correction_result_id")),
        sa.ForeignKeyConstraint(["by_id"], ["person.id"], name=op.f("fk_correction_by_id")),
        sa.PrimaryKeyConstraint("id", name=op.f("pk_correction")),
    )
    op.add_column("district", sa.Column("watch_hour", sa.Integer(), nullable=True))
    op.add_column("import", sa.Column("came_by", sa.String(length=64), nullable=True))

    op.add_column("import_mapping", sa.Column("import_id", sa.BigInteger(), nullable=True))
    op.create_foreign_key(op.f("fk_import_mapping_import_id"), "import_mapping", "import", ["import_id"], ["id"])
    op.create_index(op.f("ix_import_mapping_import_id"), "import_mapping", ["import_id"])
    op.drop_constraint(op.f("uq_import_mapping_shape"), "import_mapping", type_="unique")
    op.create_index(op.f("ix_import_mapping_shape"), "import_mapping", ["shape"])

    _without_guards("view_log")
    op.add_column("view_log", sa.Column("student", sa.String(length=64), nullable=True))
    op.execute("UPDATE view_log v JOIN student s ON s.id = v.student_id SET v.student = s.student_id")
    op.alter_column("view_log", "student", existing_type=sa.String(length=64), nullable=False)
    op.drop_constraint(op.f("fk_view_log_student_id"), "view_log", type_="foreignkey")
    op.drop_column("view_log", "student_id")
    _guards("view_log")


def downgrade() -> None:
    """Take the tables down; looks at students who are gone stay behind, and of several mappings the newest stays."""
    _without_guards("view_log")
    op.add_column("view_log", sa.Column("student_id", sa.BigInteger(), nullable=True))
    op.execute("UPDATE view_log v JOIN student s ON s.student_id = v.student SET v.student_id = s.id")
    op.execute("DELETE FROM view_log WHERE student_id IS NULL")
    op.alter_column("view_log", "student_id", existing_type=sa.BigInteger(), nullable=False)
    op.create_foreign_key(op.f("fk_view_log_student_id"), "view_log", "student", ["student_id"], ["id"])
    op.drop_column("view_log", "student")
    _guards("view_log")

    op.execute("DELETE m FROM import_mapping m JOIN import_mapping n ON n.shape = m.shape AND n.id > m.id")
    op.drop_index(op.f("ix_import_mapping_shape"), "import_mapping")
    op.create_unique_constraint(op.f("uq_import_mapping_shape"), "import_mapping", ["shape"])
    op.drop_constraint(op.f("fk_import_mapping_import_id"), "import_mapping", type_="foreignkey")
    op.drop_index(op.f("ix_import_mapping_import_id"), "import_mapping")
    op.drop_column("import_mapping", "import_id")
    op.drop_column("import", "came_by")
    op.drop_column("district", "watch_hour")
    op.execute("DELETE FROM act WHERE kind = 'correction'")
    op.drop_table("correction")
