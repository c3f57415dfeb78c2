"""Many rows at once, in the ways in which PostgreSQL takes them quickly."""

from __future__ import annotations

import json
from collections.abc import Collection, Sequence
from typing import Any

from django.core.serializers.json import DjangoJSONEncoder
from django.db import connection, models
from psycopg import sql


class DocumentField(models.JSONField):
    """A JSON field for documents of some size.

    Django inserts rows as one array for each column, and escaping a document into an array costs several times what writing it
    does. A placeholder of its own makes Django write row by row; nothing else differs, and no migration does.
    """

    def get_placeholder(self, value: Any, compiler: Any, connection: Any) -> str:
        """A plain parameter."""
        return "%s"

    def deconstruct(self) -> Any:
        """As the plain JSON field that it is in the database."""
        name, _, args, kwargs = super().deconstruct()
        return name, "django.db.models.JSONField", args, kwargs


def update_many(rows: Collection[models.Model], fields: Sequence[str]) -> None:
    """Write some fields of rows that exist, all of one model, in one statement. What Django writes for that grows a branch for
    each row and field, and takes seconds for thousands."""
    if not rows:
        return
    model = type(next(iter(rows)))
    key, written = model._meta.pk, [model._meta.get_field(name) for name in fields]
    body = [{"id": row.pk} | {field.column: field.get_prep_value(_value(row, field)) for field in written} for row in rows]
    command = sql.SQL(
        "UPDATE {table} SET {values} FROM jsonb_to_recordset(%s::jsonb) AS fresh(id {id_type}, {types}) "
        "WHERE {table}.{id} = fresh.id"
    ).format(
        table=sql.Identifier(model._meta.db_table),
        id=sql.Identifier(key.column),
        id_type=sql.SQL(key.rel_db_type(connection)),
        values=_listed("{column} = fresh.{column}", written),
        types=_listed("{column} {type}", written),
    )
    with connection.cursor() as cursor:
        cursor.execute(command, [json.dumps(body, cls=DjangoJSONEncoder)])


def _value(row: models.Model, field: Any) -> Any:
    """A field's value; of a related row that was saved after it was set here, the key that it has by now."""
    if field.is_relation and field.is_cached(row):
        related = getattr(row, field.name)
        return related.pk if related else None
    return getattr(row, field.attname)


def _listed(template: str, fields: Sequence[Any]) -> sql.Composable:
    parts = [
        sql.SQL(template).format(column=sql.Identifier(field.column), type=sql.SQL(field.db_type(connection))) for field in fields
    ]
    return sql.SQL(", ").join(parts)
