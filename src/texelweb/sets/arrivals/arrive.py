"""Work on an arrival: look at every file under guard, then take and sort what is good, in one transaction."""

from __future__ import annotations

import tempfile
from collections import Counter, deque
from collections.abc import Callable, Iterator
from concurrent.futures import Future, ThreadPoolExecutor
from contextlib import ExitStack
from dataclasses import dataclass
from functools import partial
from pathlib import Path
from queue import SimpleQueue

from django.core.files.storage import default_storage
from django.db import transaction

from texelcore.pixels.errors import TexelError
from texelcore.surface.files import FileFacts
from texelweb.jobs.models import Job
from texelweb.jobs.tasks import Reporter
from texelweb.projects.models import Project
from texelweb.record.steps import note_deed
from texelweb.sets.arrivals.names import clean_path
from texelweb.sets.arrivals.sorting import Begins, Looked, sort_into_sets, take_all
from texelweb.sets.changing.writing import lock_project
from texelweb.sets.models import Arrival, ArrivalItem, FileRevision, SourceFile
from texelweb.storage.blobs import keep_bytes, local_file
from texelweb.storage.guard import Guard
from texelweb.storage.pictures import EDGES, keep_small
from texelweb.storage.rows import update_many
from texelweb.storage.zips import is_zip, unpack

Outcome = ArrivalItem.Outcome
# Two cores decode side by side; the window keeps a large zip from being unpacked far ahead of them.
GUARDS = 2
WINDOW = 6
# Shares of the work at which its phases begin, measured with ten thousand files (docs/bench.md).
LOOKED = 0.87
PHASES = {"sort": (0.91, "sorting into sets"), "write": (0.93, "writing sets"), "ask": (0.95, "asking what is open")}
# Arrivals in the record.
ARRIVAL = "arrival"
Tell = Callable[[float, str], None]
Seen = tuple[FileFacts, dict[str, bytes]]


@dataclass(frozen=True)
class Candidate:
    """A file of an arrival before it was looked at: its item, its path as given, where its bytes lie, and what to call when
    they are no longer needed there."""

    item: ArrivalItem
    given: str
    place: Path
    let_go: Callable[[], None]


class Lookers:
    """Guarded processes that look at files side by side, in the order in which they were handed in."""

    def __init__(self) -> None:
        self._guards: SimpleQueue[Guard] = SimpleQueue()
        self._all = [Guard() for _ in range(GUARDS)]
        for guard in self._all:
            self._guards.put(guard)
        self._pool = ThreadPoolExecutor(GUARDS)

    def __enter__(self) -> Lookers:
        for guard in self._all:
            guard.__enter__()
        return self

    def __exit__(self, *_: object) -> None:
        self._pool.shutdown(cancel_futures=True)
        for guard in self._all:
            guard.__exit__(None, None, None)

    def look(self, place: Path, path: str) -> Future[Seen]:
        """Have a file looked at."""
        return self._pool.submit(self._look, place, path)

    def _look(self, place: Path, path: str) -> Seen:
        guard = self._guards.get()
        try:
            return guard.look(place, path, EDGES["small"])
        finally:
            self._guards.put(guard)


def run(job: Job, reporter: Reporter) -> None:
    """The work of a sort job."""
    sort_arrival(Arrival.objects.get(pk=job.subject), reporter, 0.0)


def sort_arrival(arrival: Arrival, reporter: Reporter, begun: float) -> None:
    """Look at all that came and sort it. Bytes are stored as they are looked at; rows appear all together at the end.

    `begun` is the share of the job (0–1) that was done before.
    """
    items = list(arrival.items.order_by("pk"))
    listed: list[ArrivalItem] = []

    def tell(share: float, path: str) -> None:
        reporter.progress(begun + (LOOKED - begun) * share, path.rpartition("/")[2])

    with Lookers() as lookers, tempfile.TemporaryDirectory(prefix="fairtexel-") as folder:
        looked = [*_known(arrival, items), *_look_at_all(arrival, items, listed, lookers, Path(folder), tell)]
    reporter.phase(LOOKED, f"taking in {len(looked):,} files")
    with transaction.atomic():
        project = lock_project(arrival.project_id)
        if Arrival.objects.get(pk=arrival.pk).state == Arrival.State.DONE:
            # Another worker was quicker, after this one had not been heard of.
            return
        taken = take_all(project, looked, arrival.by)
        # What a zip held is only listed now: a run that is cut off leaves the arrival as it came.
        ArrivalItem.objects.bulk_create(listed)
        update_many(items, ["bytes", "outcome", "problem", "way_out", "file"])
        renewed = _renewed(items + listed)
        begins: Begins = lambda name: reporter.phase(*PHASES[name])  # noqa: E731
        done = sort_into_sets(project, taken, arrival.by, arrival.origin_json, renewed, begins)
        note_deed(project, ARRIVAL, _said(items + listed, len(done.made)), arrival.by, thing=arrival.pk)
        arrival.state = Arrival.State.DONE
        arrival.save()
        reporter.hold()
    for item in items:
        if item.staged:
            default_storage.delete(item.staged)


def _said(items: list[ArrivalItem], made: int) -> str:
    """What came, in words."""
    words = {
        Outcome.ACCEPTED: "taken",
        Outcome.REPLACED: "exported again",
        Outcome.KNOWN: "here already",
        Outcome.REFUSED: "refused",
    }
    counts = Counter(item.outcome for item in items)
    parts = [f"{counts[outcome]:,} {word}" for outcome, word in words.items() if counts[outcome]]
    sets = f"; {made:,} new {'set' if made == 1 else 'sets'}" if made else ""
    return f"Files arrived: {', '.join(parts) or 'none'}{sets}"


def _renewed(items: list[ArrivalItem]) -> set[int]:
    """The ids of files that came again with other contents."""
    return {item.file_id for item in items if item.outcome == Outcome.REPLACED and item.file_id}


def facts_known(project: Project, sha256: str) -> FileFacts | None:
    """What is known of bytes that this project has, or had in an earlier revision of a file."""
    file = SourceFile.objects.filter(project=project, blob_id=sha256).first()
    if file:
        return file.facts
    revision = FileRevision.objects.filter(file__project=project, blob_id=sha256).first()
    return FileFacts.model_validate(revision.facts_json) if revision else None


def _known(arrival: Arrival, items: list[ArrivalItem]) -> Iterator[Looked]:
    """The items whose bytes were here before they came."""
    for item in items:
        if item.staged:
            continue
        facts = facts_known(arrival.project, item.sha256)
        try:
            path = clean_path(item.path)
        except TexelError as error:
            _refuse(item, error)
            continue
        if facts is None:
            _refuse(item, TexelError(item.path, "was said to be here already and is not.", "Drop it again."))
            continue
        yield Looked(item, path, facts.model_copy(update={"path": path, "id": path}))


def _look_at_all(
    arrival: Arrival, items: list[ArrivalItem], listed: list[ArrivalItem], lookers: Lookers, folder: Path, tell: Tell
) -> Iterator[Looked]:
    """The good files, in order; what is not good is noted on its item with the reason. What zips hold is added to `listed`."""
    waiting: deque[tuple[Candidate, str, Future[Seen]]] = deque()
    for candidate in _candidates(arrival, items, listed, folder, tell):
        try:
            path = clean_path(candidate.given)
        except TexelError as error:
            _refuse(candidate.item, error)
            candidate.let_go()
            continue
        waiting.append((candidate, path, lookers.look(candidate.place, path)))
        while len(waiting) > WINDOW:
            yield from _kept(*waiting.popleft())
    while waiting:
        yield from _kept(*waiting.popleft())


def _candidates(
    arrival: Arrival, items: list[ArrivalItem], listed: list[ArrivalItem], folder: Path, tell: Tell
) -> Iterator[Candidate]:
    """Each file of the arrival, and each picture of its zips."""
    for number, item in enumerate(items):
        if not item.staged:
            continue

        def told(share: float, path: str, number: int = number) -> None:
            tell((number + share) / len(items), path)

        told(0.0, item.path)
        held = ExitStack()
        staged = held.enter_context(local_file(item.staged))
        if is_zip(staged):
            with held:
                yield from _zipped(arrival, item, staged, listed, folder, told)
        else:
            yield Candidate(item, item.path, staged, held.close)


def _zipped(
    arrival: Arrival, item: ArrivalItem, staged: Path, listed: list[ArrivalItem], folder: Path, tell: Tell
) -> Iterator[Candidate]:
    inside = item.path.removesuffix(".zip").removesuffix(".ZIP")
    count = 0
    try:
        for name, place, share, passed in unpack(staged, item.path.rpartition("/")[2], folder):
            entry = ArrivalItem(arrival=arrival, path=name[-1024:])
            listed.append(entry)
            count += not passed
            if passed:
                entry.outcome, entry.problem = Outcome.PASSED_OVER, "Not a picture."
            elif isinstance(place, TexelError):
                _refuse(entry, place)
            else:
                entry.bytes = place.stat().st_size
                yield Candidate(entry, f"{inside}/{name}", place, partial(place.unlink, missing_ok=True))
            tell(share, name)
    except TexelError as error:
        _refuse(item, error)
        return
    item.outcome = Outcome.PASSED_OVER
    item.problem = f"A zip with {count} picture(s)." if count else "A zip without pictures."


def _kept(candidate: Candidate, path: str, looking: Future[Seen]) -> Iterator[Looked]:
    try:
        facts, small = looking.result()
    except TexelError as error:
        _refuse(candidate.item, error)
        return
    else:
        keep_bytes(candidate.place, facts.sha256)
        keep_small(facts.sha256, small)
        yield Looked(candidate.item, path, facts)
    finally:
        candidate.let_go()


def _refuse(item: ArrivalItem, error: TexelError) -> None:
    item.outcome, item.problem, item.way_out = Outcome.REFUSED, error.problem, error.way_out
