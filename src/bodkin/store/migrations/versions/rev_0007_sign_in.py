"""Sessions and failed tries, the log of exports, logs that only grow, views shared with named readers."""

import secrets

import sqlalchemy as sa
from alembic import op

revision = "0007"
down_revision = "0006"
branch_labels = None
depends_on = None

LOGS = ("view_log", "export_log")


def _key() -> sa.Column[int]:
    return sa.Column("id", sa.BigInteger(), autoincrement=True, nullable=False)


def upgrade() -> None:
    """Bring the tables up."""
    op.create_table(
        "sign_in_session",
        sa.Column("token_hash", sa.String(length=64), nullable=False),
        sa.Column("person_id", sa.BigInteger(), nullable=False),
        sa.Column("made_at", sa.DateTime(), nullable=False),
        sa.Column("used_at", sa.DateTime(), nullable=False),
        sa.Column("ended_at", sa.DateTime(), nullable=True),
        sa.Column("browser", sa.String(length=160), nullable=False),
        _key(),
        sa.ForeignKeyConstraint(["person_id"], ["person.id"], name=op.f("fk_sign_in_session_person_id")),
        sa.PrimaryKeyConstraint("id", name=op.f("pk_sign_in_session")),
        sa.UniqueConstraint("token_hash", name=op.f("uq_sign_in_session_token_hash")),
    )
    op.create_table(
        "sign_in_try",
        sa.Column("bucket", sa.String(length=64), nullable=False),
        sa.Column("at", sa.DateTime(), nullable=False),
        _key(),
        sa.PrimaryKeyConstraint("id", name=op.f("pk_sign_in_try")),
    )
    op.create_index("ix_sign_in_try_bucket_at", "sign_in_try", ["bucket", "at"])
    op.create_table(
        "export_log",
        sa.Column("person_id", sa.BigInteger(), nullable=False),
        sa.Column("at", sa.DateTime(), nullable=False),
        sa.Column("what", sa.String(length=255), nullable=False),
        sa.Column("form", sa.String(length=16), nullable=False),
        sa.Column("students", sa.Integer(), nullable=True),
        _key(),
        sa.ForeignKeyConstraint(["person_id"], ["person.id"], name=op.f("fk_export_log_person_id")),
        sa.PrimaryKeyConstraint("id", name=op.f("pk_export_log")),
    )
    op.create_index("ix_export_log_person", "export_log", ["person_id", "at"])
    for table in LOGS:
        for act in ("UPDATE", "DELETE"):
            op.execute(
                f"CREATE TRIGGER {table}_no_{act.lower()} BEFORE {act} ON {table} FOR EACH ROW"
                f" SIGNAL SQLSTATE '45000' SET MESSAGE_TEXT = 'rows of {table} are only added'"
            )
    op.create_table(
        "saved_scope_reader",
        sa.Column("saved_scope_id", sa.BigInteger(), nullable=False),
        sa.Column("person_id", sa.BigInteger(), nullable=True),
        sa.Column("role", sa.String(length=64), nullable=True),
        _key(),
        sa.ForeignKeyConstraint(["saved_scope_id"], ["saved_scope.id"], name=op.f("fk_saved_scope_reader_saved_scope_id")),
        sa.ForeignKeyConstraint(["person_id"], ["person.id"], name=op.f("fk_saved_scope_reader_person_id")),
        sa.PrimaryKeyConstraint("id", name=op.f("pk_saved_scope_reader")),
        sa.UniqueConstraint("saved_scope_id", "person_id", "role",
                            name=op.f("uq_saved_scope_reader_saved_scope_id_person_id_role")),
    )  # fmt: skip
    op.add_column("saved_scope", sa.Column("key", sa.String(length=32), nullable=True))
    connection = op.get_bind()
    for (row,) in connection.execute(sa.text("SELECT id FROM saved_scope")).all():
        connection.execute(
            sa.text("UPDATE saved_scope SET `key` = :key WHERE id = :id"), {"key": secrets.token_urlsafe(16), "id": row}
        )
    op.alter_column("saved_scope", "key", existing_type=sa.String(length=32), nullable=False)
    op.create_unique_constraint(op.f("uq_saved_scope_key"), "saved_scope", ["key"])
    # A view that was shared with everybody who had its number is its owner's alone again.
    op.drop_column("saved_scope", "shared")
    op.create_unique_constraint(op.f("uq_group_made_by_id_name"), "group", ["made_by_id", "name"])
    op.drop_constraint(op.f("uq_group_name"), "group", type_="unique")
    op.alter_column(
        "roster_source", "client_secret", existing_type=sa.String(length=255), type_=sa.String(length=1000),
        existing_nullable=False,
    )  # fmt: skip


def downgrade() -> None:
    """Take the tables down; what is sealed or has one name twice stays behind."""
    op.execute("DELETE FROM roster_source WHERE CHAR_LENGTH(client_secret) > 255")
    op.alter_column(
        "roster_source", "client_secret", existing_type=sa.String(length=1000), type_=sa.String(length=255),
        existing_nullable=False,
    )  # fmt: skip
    op.execute(
        "UPDATE `group` g JOIN `group` o ON o.name = g.name AND o.id < g.id SET g.name = CONCAT(g.name, ' ', g.id)"
    )
    op.create_unique_constraint(op.f("uq_group_name"), "group", ["name"])
    op.drop_constraint(op.f("fk_group_made_by_id"), "group", type_="foreignkey")
    op.drop_constraint(op.f("uq_group_made_by_id_name"), "group", type_="unique")
    op.create_foreign_key(op.f("fk_group_made_by_id"), "group", "person", ["made_by_id"], ["id"])
    op.add_column("saved_scope", sa.Column("shared", sa.Boolean(), nullable=False, server_default=sa.false()))
    op.alter_column("saved_scope", "shared", existing_type=sa.Boolean(), server_default=None, existing_nullable=False)
    op.drop_constraint(op.f("uq_saved_scope_key"), "saved_scope", type_="unique")
    op.drop_column("saved_scope", "key")
    op.drop_table("saved_scope_reader")
    for table in LOGS:
        for act in ("update", "delete"):
            op.execute(f"DROP TRIGGER IF EXISTS {table}_no_{act}")
    for table in ("export_log", "sign_in_try", "sign_in_session"):
        op.drop_table(table)
