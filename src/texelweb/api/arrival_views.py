"""Arrivals as the API tells of them."""

from __future__ import annotations

from collections.abc import Iterable

from django.db.models import Prefetch, prefetch_related_objects

from texelweb.api import schemas
from texelweb.api.views import job_view
from texelweb.sets.models import Arrival, ArrivalItem


def arrival_views(arrivals: Iterable[Arrival]) -> list[schemas.ArrivalView]:
    """Drops of files and what became of each."""
    found = list(arrivals)
    items = ArrivalItem.objects.select_related("file__set").order_by("path", "pk")
    prefetch_related_objects(found, Prefetch("items", items))
    return [_arrival_view(arrival) for arrival in found]


def arrival_view(arrival: Arrival) -> schemas.ArrivalView:
    """A drop of files and what became of each."""
    (view,) = arrival_views([arrival])
    return view


def _arrival_view(arrival: Arrival) -> schemas.ArrivalView:
    items = [
        schemas.ArrivalItemView(
            id=item.pk,
            path=item.path,
            bytes=item.bytes,
            outcome=item.outcome,
            problem=item.problem,
            way_out=item.way_out,
            set_id=item.file.set_id if item.file else None,
            set_name=item.file.set.name if item.file and item.file.set else None,
        )
        for item in arrival.items.all()
    ]
    by = arrival.by.get_username() if arrival.by else ""
    return schemas.ArrivalView(
        id=arrival.pk, state=arrival.state, created=arrival.created, by=by, job=job_view(arrival.job), items=items
    )
