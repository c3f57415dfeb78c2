"""The work of delivering and of reading back."""

from __future__ import annotations

import hashlib
import shutil
import tempfile
import zipfile
from collections.abc import Callable, Iterable, Iterator, Mapping
from contextlib import contextmanager, suppress
from functools import partial
from pathlib import Path

from django.core.files.storage import default_storage
from django.db import transaction

from texelcore.building.execute import Progress
from texelcore.building.plan import PlannedOutput
from texelcore.delivery.dock import ask_dock
from texelcore.delivery.package import Dressed, Encoded, Parcel, write_delivery, zip_delivery
from texelcore.delivery.probes import take_probes
from texelcore.materials.dressing.binding import SetMaps, bind_variant
from texelcore.pixels.errors import TexelError
from texelcore.proof.prove import proof_key
from texelcore.targets.document import Target
from texelweb.builds.models import Product
from texelweb.builds.planning import State, maps_of, state_of
from texelweb.deliveries.models import Delivery
from texelweb.deliveries.worn import carried_of, models_of, worn_by
from texelweb.jobs.leases import Lost
from texelweb.jobs.models import Job
from texelweb.jobs.tasks import Reporter
from texelweb.masters.models import SetVariant
from texelweb.record.steps import note_deed
from texelweb.sets.models import TextureSet
from texelweb.storage.blobs import local_file, put_file, stored_bytes
from texelweb.storage.sources import stored

# Deliveries in the record.
DELIVERY = "delivery"


def run(job: Job, reporter: Reporter) -> None:
    """Write a delivery into its folder and zip, and have the dock read it back.

    Raises TexelError for a set that is not proved, and when the disk refuses; nothing half-written is left then.
    """
    deliver(Delivery.objects.select_related("project").get(pk=job.subject), reporter.progress, reporter.hold)


def deliver(delivery: Delivery, progress: Progress, hold: Callable[[], None]) -> None:
    """Write a delivery and have the dock read it back, as `run` does. `hold` is called in the transaction that records it, and
    raises Lost where the work is somebody else's by now."""
    target = delivery.target
    entries = list(delivery.sets.select_related("set__project").order_by("set__name"))
    parcels, worn, made_from = [], [], {}
    held: dict[str, SetMaps] = {}
    models = models_of(delivery.project)
    on_models = worn_by(delivery.project, models)
    with tempfile.TemporaryDirectory(prefix="fairtexel-") as place:
        for index, entry in enumerate(entries):
            progress(0.4 * index / len(entries), f"{entry.set.name}: taking probes")
            state = state_of(entry.set, target)
            parcels.append(_parcel(entry.set, state, target))
            variants = variants_of(entry.set)
            worn += [(variant, entry.set.code) for variant in variants]
            held[entry.set.code] = maps_of(state)
            made_from[entry.pk] = fingerprint(state, variants, on_models.get(entry.set.pk, ""))
        dressed = [_dressed(variant, code, target, held) for variant, code in worn]
        scratch = Path(place)
        folder = delivery.folder or scratch / "delivery"
        code = delivery.project.code

        def tell(share: float, doing: str) -> None:
            progress(0.4 + share * 0.3, doing)

        carried = list(carried_of(delivery.project, models, dressed, held))
        manifest = write_delivery(folder, code, target, parcels, dressed, tell, delivery.project.tolerances, carried)
        try:
            progress(0.7, "writing the zip")
            zip_delivery(folder, scratch / "delivery.zip")
            put_file(scratch / "delivery.zip", delivery.place)
            with transaction.atomic():
                for entry in entries:
                    entry.made_from = made_from[entry.pk]
                    entry.save()
                delivery.manifest_json = manifest.model_dump(mode="json")
                delivery.save()
                names = ", ".join(entry.set.name for entry in entries)
                what = f"Delivered for {target.title}: {names}"
                note_deed(delivery.project, DELIVERY, what, delivery.by, "Delivery", delivery.pk)
                hold()
        except Lost:
            # Another worker writes the same delivery.
            raise
        except BaseException:
            # Cancelled, or no room for the zip: a folder that no delivery knows of must not look like one.
            shutil.rmtree(folder, ignore_errors=True)
            with suppress(OSError):
                default_storage.delete(delivery.place)
            raise
        _ask(delivery, target, progress, folder)


def receive_again(job: Job, reporter: Reporter) -> None:
    """Have the dock read a delivery once more. Raises TexelError when it cannot be read at all."""
    delivery = Delivery.objects.select_related("project").get(pk=job.subject)
    with unpacked(delivery) as folder:
        _ask(delivery, delivery.target, reporter.progress, folder)


@contextmanager
def unpacked(delivery: Delivery) -> Iterator[Path]:
    """A delivery as a folder: the one that people and engines see, where it is on this machine; otherwise what storage holds,
    unpacked for as long as it is looked at. Raises TexelError when neither is there."""
    if delivery.folder and delivery.folder.is_dir():
        yield delivery.folder
        return
    if not default_storage.exists(delivery.place):
        raise TexelError("The delivery", "is not in storage any more.", "Deliver again.")
    with tempfile.TemporaryDirectory(prefix="fairtexel-") as scratch:
        with local_file(delivery.place) as stored, zipfile.ZipFile(stored) as archive:
            archive.extractall(scratch)
        yield Path(scratch)


def _ask(delivery: Delivery, target: Target, progress: Progress, folder: Path) -> None:
    progress(0.8, "the dock reads it back")
    delivery.receipt_json = ask_dock(folder, target).model_dump(mode="json")
    delivery.save(update_fields=["receipt_json"])


def fingerprint(state: State, variants: Iterable[SetVariant], on_models: str) -> str:
    """What a set's part of a delivery is made from: its proofs, their names, its variants, and the models that wear it, as
    `worn_by` says them."""
    said = [f"{planned.file_name} {proof_key(planned)}" for planned in state.plan.outputs if planned.content_key]
    said += [variant.document.model_dump_json() for variant in variants]
    said += [on_models] if on_models else []
    return hashlib.sha256("\n".join(said).encode()).hexdigest()


def variants_of(texture_set: TextureSet) -> list[SetVariant]:
    """A set's variants, with the masters that they belong to; those that were fetched with it, where they were."""
    if "variants" in getattr(texture_set, "_prefetched_objects_cache", {}):
        return list(texture_set.variants.all())
    return list(texture_set.variants.select_related("version__master", "set").prefetch_related("others__set").order_by("name"))


def _parcel(texture_set: TextureSet, state: State, target: Target) -> Parcel:
    if not state.proved:
        raise TexelError(
            texture_set.name, f"has no up-to-date compression results for {target.title}.", "Prove it, then deliver again."
        )
    encoded = []
    for planned in state.plan.outputs:
        proof = state.proofs[planned.key]
        encoded.append(Encoded(planned, partial(stored_bytes, proof.blob.place), proof.figures, _as_built(planned)))
    probes = take_probes(state.ledger, stored(state.files), state.plan)
    return Parcel(texture_set.name, texture_set.code, state.plan, state.files, encoded, probes)


def _as_built(planned: PlannedOutput) -> Callable[[], bytes] | None:
    """How the file is read of an output that is delivered as it was built; None for one that is delivered encoded."""
    if planned.output.container != "file":
        return None
    product = Product.objects.filter(content_key=planned.content_key).select_related("blob").first()
    if product is None:
        raise TexelError(planned.file_name, "was built and is not kept any more.", "Build it again.")
    return partial(stored_bytes, product.blob.place)


def _dressed(variant: SetVariant, code: str, target: Target, held: Mapping[str, SetMaps]) -> Dressed:
    """A variant of the set of this code, with its layers bound to the sets of the same delivery."""
    master, document = variant.version.document, variant.document
    return Dressed(document, master, bind_variant(document, master, target, held), code)
