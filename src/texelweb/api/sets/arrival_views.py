"""Arrivals as the API tells of them."""

from __future__ import annotations

from collections.abc import Iterable
from datetime import datetime
from typing import Literal
from uuid import UUID

from django.db.models import Prefetch, prefetch_related_objects
from ninja import Schema

from texelweb.api.schemas import JobView
from texelweb.api.sets.views import job_view
from texelweb.sets.models import Arrival, ArrivalItem


class ArrivalItemView(Schema):
    """One file of an arrival and what became of it."""

    id: int
    path: str
    bytes: int
    outcome: Literal["waiting", "accepted", "replaced", "known", "refused", "passed over"]
    problem: str
    way_out: str
    set_id: int | None
    set_name: str | None


class ArrivalView(Schema):
    """A drop of files."""

    id: UUID
    state: Literal["open", "sorting", "done"]
    created: datetime
    by: str
    job: JobView | None
    # How many files its page meant to send; 0 where nobody said.
    announced: int
    items: list[ArrivalItemView]


def arrival_views(arrivals: Iterable[Arrival]) -> list[ArrivalView]:
    """Drops of files and what became of each."""
    found = list(arrivals)
    items = ArrivalItem.objects.select_related("file__set").order_by("path", "pk")
    prefetch_related_objects(found, Prefetch("items", items))
    return [_arrival_view(arrival) for arrival in found]


def arrival_view(arrival: Arrival) -> ArrivalView:
    """A drop of files and what became of each."""
    (view,) = arrival_views([arrival])
    return view


def _arrival_view(arrival: Arrival) -> ArrivalView:
    items = [
        ArrivalItemView(
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
    return ArrivalView(
        id=arrival.pk,
        state=arrival.state,
        created=arrival.created,
        by=by,
        job=job_view(arrival.job),
        announced=arrival.announced,
        items=items,
    )
