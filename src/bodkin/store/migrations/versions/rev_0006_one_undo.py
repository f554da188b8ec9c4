"""One undo: acts know their kind, the version they raise and their import; a column carries a plainer name."""

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

    op.add_column("act", sa.Column("kind", sa.String(length=16), nullable=True))
    op.add_column("act", sa.Column("scores", sa.Boolean(), nullable=True))
    op.add_column("act", sa.Column("import_id", sa.BigInteger(), nullable=True))
    # What an act was about stands in the tables it changed.
    kinds = {"result": "decision", "retest_request": "retest", "not_tested": "reason", "goal": "goal",
             "growth_target": "target"}  # fmt: skip
    about = sa.text("UPDATE act SET kind = :kind WHERE kind IS NULL AND JSON_VALUE(`before`, '$[0].table') = :about")
    for table, kind in kinds.items():
        op.execute(about.bindparams(kind=kind, about=table))
    op.execute("UPDATE act SET kind = 'decision' WHERE kind IS NULL")
    op.execute("UPDATE act SET scores = (kind = 'decision')")
    op.execute(
        "INSERT INTO act (kind, by_id, `at`, said, `before`, scores, import_id, state)"
        " SELECT 'import', by_id, `at`, CONCAT(file, ' imported'), '[]', 1, id, state FROM import ORDER BY id"
    )
    op.alter_column("act", "kind", existing_type=sa.String(length=16), nullable=False)
    op.alter_column("act", "scores", existing_type=sa.Boolean(), nullable=False)
    op.create_foreign_key(op.f("fk_act_import_id"), "act", "import", ["import_id"], ["id"])


def downgrade() -> None:
    """Take the tables down."""
    op.execute("DELETE FROM act WHERE kind IN ('import', 'group')")
    op.drop_constraint(op.f("fk_act_import_id"), "act", type_="foreignkey")
    for column in ("import_id", "scores", "kind"):
        op.drop_column("act", column)
    op.alter_column(
        "roster_source", "last_outcome", new_column_name="last_told", existing_type=sa.String(length=1000),
        existing_nullable=True,
    )  # fmt: skip
