"""Whether rows have changed since they were looked at, without reading them.

PostgreSQL marks each version of a row with the transaction that wrote it and with its place (xmin and ctid: PostgreSQL
documentation, "System Columns"), so any row that is added, changed or removed changes the sum of these marks' hashes. That costs
milliseconds where reading and judging the rows costs seconds, and unlike a counter it cannot be forgotten by whoever writes.
"""

from __future__ import annotations

from collections.abc import Iterable, Sequence
from typing import Any

from django.db.models import BigIntegerField, Count, Model, Sum, Value
from django.db.models.expressions import RawSQL
from django.db.models.query import QuerySet


def stamp_of_rows(*rows: QuerySet[Any], added: Sequence[QuerySet[Any]] = ()) -> str:
    """A stamp that is the same as long as these rows are. Of rows that are `added` and then stay as they are the number says
    all, and costs little."""
    first, *others = [
        some.order_by()
        .values_list(Value(number))
        .annotate(count=Count("pk"), marks=Sum(_mark(some.model)) if number < len(rows) else Value(0, BigIntegerField()))
        for number, some in enumerate([*rows, *added])
    ]
    # One question for all; tables without such rows give no line.
    return " ".join(":".join(map(str, line)) for line in sorted(first.union(*others, all=True)))


def stamps_by(rows: QuerySet[Any], by: str, also: Iterable[type[Model]] = ()) -> dict[Any, str]:
    """Stamps of rows in groups, by the value of a field. `also`: tables that the rows are joined with and that count too."""
    grouped = rows.order_by().values_list(by).annotate(count=Count("pk"), marks=Sum(_mark(rows.model)))
    for number, model in enumerate(also):
        grouped = grouped.annotate(**{f"marks{number}": Sum(_mark(model))})
    return {key: ":".join(map(str, marks)) for key, *marks in grouped}


def _mark(model: type[Model]) -> RawSQL:
    table = model._meta.db_table
    mark = f'hashtextextended("{table}".xmin::text || "{table}".ctid::text, 0)'
    return RawSQL(mark, (), output_field=BigIntegerField())  # noqa: S611 - made of a table's own name
