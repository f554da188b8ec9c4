"""Alembic's entry: runs the migrations on the engine it is handed."""

from typing import Any

from alembic import context

from bodkin.store.tables import Base

BESIDE = {"table_change", "result.data_version", "ix_result_data_version"}
"""What the database keeps for itself: no model has it, and a comparison with the models leaves it out."""


def _modelled(thing: Any, name: str | None, kind: str, reflected: bool, _compared: Any) -> bool:
    of = f"{thing.table.name}.{name}" if kind == "column" else name
    return not (reflected and of in BESIDE)


engine = context.config.attributes["engine"]
with engine.connect() as connection:
    context.configure(connection=connection, target_metadata=Base.metadata, compare_type=True, include_object=_modelled)
    with context.begin_transaction():
        context.run_migrations()
    connection.commit()
