"""The work of fetching: download whole, then take in through the same door as any upload, with origin and licence."""

from __future__ import annotations

import tempfile
import uuid
from pathlib import Path

from django.conf import settings
from django.core.files import File
from django.core.files.storage import default_storage
from django.db import transaction
from django.utils import timezone

from texelcore.pixels.errors import TexelError
from texelcore.surface.origin import Licence, Origin
from texelweb.accounts.models import DepotKey
from texelweb.depot import client
from texelweb.depot.models import DepotOrder
from texelweb.jobs.models import Job
from texelweb.jobs.tasks import Reporter
from texelweb.sets.arrivals.arrive import sort_arrival
from texelweb.sets.models import Arrival, ArrivalItem

# The share of the job that downloading takes.
_DOWNLOADED = 0.6


def run(job: Job, reporter: Reporter) -> None:
    """Fetch an order and sort it. A run that was cut off while sorting does not fetch again."""
    order = DepotOrder.objects.select_related("project", "by", "arrival").get(pk=job.subject)
    if order.arrival is None:
        order.arrival = _fetched(order, reporter)
        order.save()
    if order.arrival.state != Arrival.State.DONE:
        sort_arrival(order.arrival, reporter, _DOWNLOADED)


def origin_of(order: DepotOrder) -> Origin:
    """Where an order's files come from. A licence for one project means the one that they are fetched into."""
    terms = client.DepotLicence.model_validate(order.licence_json)
    licence = Licence(
        name=terms.name,
        text=terms.text,
        projects=(order.project.slug,) if terms.projects == 1 else None,
        targets=terms.targets,
        until=terms.until,
        credit=terms.credit,
    )
    source = f"{settings.DEPOT_URL}, {order.title} ({order.material}), {order.size} {order.file_format.upper()}"
    return Origin(way="depot", source=source, came=timezone.now().date(), licence=licence)


def _fetched(order: DepotOrder, reporter: Reporter) -> Arrival:
    key = DepotKey.of(order.by)
    if key is None:
        raise TexelError("Your key to the depot", "is missing.", "Put it in on your account page.")

    def tell(done: int, total: int) -> None:
        share = done / total if total else 0.0
        reporter.progress(_DOWNLOADED * share, f"{done / 1e6:.1f} of {total / 1e6:.1f} MB")

    with tempfile.TemporaryDirectory(prefix="fairtexel-") as folder:
        place = Path(folder) / "material.zip"
        client.download(order.material, order.size, order.file_format, key, place, tell)
        with place.open("rb") as file:
            staged = default_storage.save(f"staged/{uuid.uuid4().hex}", File(file))
        size = place.stat().st_size
    with transaction.atomic():
        arrival = Arrival.objects.create(
            project=order.project,
            by=order.by,
            state=Arrival.State.SORTING,
            job=Job.objects.filter(subject=str(order.pk)).first(),
            origin_json=origin_of(order).model_dump(mode="json"),
        )
        ArrivalItem.objects.create(arrival=arrival, path=f"{order.material}.zip", bytes=size, staged=staged)
    return arrival
