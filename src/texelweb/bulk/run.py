"""Asking for work on many sets, and doing it."""

from __future__ import annotations

import logging
from collections.abc import Callable, Sequence
from typing import Any

from django.db import DatabaseError, transaction

from texelcore.building.execute import Progress
from texelcore.pixels.errors import Cancelled, TexelError
from texelcore.targets.document import Target
from texelweb.builds.models import Build
from texelweb.builds.planning import state_of, states_of
from texelweb.builds.prove import prove_build
from texelweb.builds.run import make_build
from texelweb.bulk.models import Bulk, BulkItem
from texelweb.deliveries.models import DeliveredSet, Delivery
from texelweb.deliveries.run import deliver
from texelweb.jobs.control import enqueue
from texelweb.jobs.leases import Lost
from texelweb.jobs.models import Job
from texelweb.jobs.tasks import Reporter
from texelweb.library.pins import pins_of, row_of
from texelweb.masters.models import StudioMaster
from texelweb.masters.variants import make_variant
from texelweb.projects.models import Project
from texelweb.refusals import not_found
from texelweb.sets.models import TextureSet

log = logging.getLogger(__name__)
State = BulkItem.State
MOST_SETS = 5000
# The share of a delivering job that proving takes.
_PROVING = 0.85
DOING = {
    Bulk.Action.BUILD: "Building",
    Bulk.Action.PROVE: "Proving",
    Bulk.Action.DRESS: "Dressing",
    Bulk.Action.DELIVER: "Delivering",
}
Outcome = tuple[State, str]


def ask_for(project: Project, action: Bulk.Action, sets: Sequence[int], user: Any, master: str = "") -> Bulk:
    """Queue work on sets of a project as one job. Raises Refused 404 for a set or master that is not there, TexelError for none
    or too many sets."""
    found = list(TextureSet.objects.filter(project=project, pk__in=sets).order_by("name"))
    if not found or len(found) > MOST_SETS:
        problem = f"are {len(found):,}; it takes 1 to {MOST_SETS:,} at once."
        raise TexelError("The chosen sets", problem, "Choose some." if not found else "Choose fewer.")
    if len(found) != len(set(sets)):
        raise not_found("One of the sets")
    if action == Bulk.Action.DRESS and not StudioMaster.objects.filter(name=master).exists():
        raise not_found("The master")
    with transaction.atomic():
        bulk = Bulk.objects.create(project=project, action=action, options_json={"master": master}, by=user)
        BulkItem.objects.bulk_create([BulkItem(bulk=bulk, set=entry) for entry in found], batch_size=500)
        many = found[0].name if len(found) == 1 else f"{len(found):,} sets"
        bulk.job = enqueue(project, Job.Kind.BULK, f"{DOING[action]} {many}", str(bulk.pk), user)
        bulk.save(update_fields=["job"])
    return bulk


def not_done(project: Project, action: Bulk.Action) -> list[int]:
    """The ids of all sets that are not built as they are now and could be; or not proved, for an action that asks for proofs."""
    pins = pins_of(project)
    sets = project.sets.select_related("project").order_by("name")
    wanted = [(texture_set, target) for texture_set in sets for target in pins.of_set(texture_set.target)]
    states = states_of(project, wanted)
    lacking = [
        entry.pk
        for (entry, _), state in zip(wanted, states, strict=True)
        if state.plan.outputs
        and not (state.current and (action == Bulk.Action.BUILD or state.proved))
        and not any(planned.problem for planned in state.plan.outputs)
    ]
    return list(dict.fromkeys(lacking))


def run(job: Job, reporter: Reporter) -> None:
    """Do the work on one set after another. A set that cannot be done does not stop the others; a job that is stopped or taken up
    again leaves what is done as it is, and goes on with the rest."""
    bulk = Bulk.objects.select_related("project", "by").get(pk=job.subject)
    items = list(bulk.items.select_related("set__project"))
    share = _PROVING if bulk.action == Bulk.Action.DELIVER else 1.0
    work = WORK[Bulk.Action(bulk.action)]
    try:
        for index, item in enumerate(items):
            if item.state in (State.WAITING, State.RUNNING):
                _one(bulk, item, work, _progress_of(reporter, item, index, len(items), share))
        if bulk.action == Bulk.Action.DELIVER:
            _deliver(bulk, reporter)
    except Cancelled:
        bulk.items.filter(state=State.RUNNING).update(state=State.WAITING)
        raise


def _progress_of(reporter: Reporter, item: BulkItem, index: int, count: int, share: float) -> Progress:
    def tell(part: float, doing: str) -> None:
        reporter.progress(share * (index + part) / count, f"{item.set.name} ({index + 1:,} of {count:,}): {doing}")

    return tell


def _one(bulk: Bulk, item: BulkItem, work: Callable[[Bulk, TextureSet, Progress], Outcome], tell: Progress) -> None:
    _put(item, State.RUNNING)
    tell(0.0, "begins")
    try:
        # As it is now: somebody may have changed or removed it since it was asked for.
        current = TextureSet.objects.select_related("project").filter(pk=item.set_id).first()
        if current is None:
            raise TexelError(item.set.name, "was removed meanwhile.", "Bring it back from the record, then try again.")
        state, said = work(bulk, current, tell)
        _put(item, state, said=said)
    except TexelError as error:
        _put(item, State.FAILED, problem=error.sentence, way_out=error.way_out)
    except (Cancelled, Lost, DatabaseError, OSError):
        # The job's own affair: it was stopped, or nothing can be written.
        raise
    except Exception:
        log.exception("set %s failed in bulk %s", item.set_id, bulk.pk)
        way_out = f"Try it alone; if it fails again, give bulk {bulk.pk} to your administrator."
        _put(item, State.FAILED, problem="Internal error; the server's log has the details.", way_out=way_out)


def _put(item: BulkItem, state: State, **values: str) -> None:
    for name, value in {"said": "", "problem": "", "way_out": "", **values}.items():
        setattr(item, name, value[:300] if name == "said" else value)
    item.state = state
    item.save()


def _for_each_target(
    work: Callable[[Bulk, TextureSet, Target, Progress], Outcome],
) -> Callable[[Bulk, TextureSet, Progress], Outcome]:
    """Do the same for every target that a set is made for; skipped is what was for none of them to be done."""

    def all_of(bulk: Bulk, texture_set: TextureSet, tell: Progress) -> Outcome:
        targets = pins_of(texture_set.project).of_set(texture_set.target)
        done = []
        for place, target in enumerate(targets):

            def part(share: float, doing: str, place: int = place) -> None:
                tell((place + share) / len(targets), doing)

            done.append(work(bulk, texture_set, target, part))
        said = dict.fromkeys(words for state, words in done if state == State.DONE) or dict.fromkeys(words for _, words in done)
        return State.DONE if any(state == State.DONE for state, _ in done) else State.SKIPPED, "; ".join(said)

    return all_of


def _build(bulk: Bulk, texture_set: TextureSet, target: Target, tell: Progress) -> Outcome:
    state = state_of(texture_set, target)
    if state.current:
        return State.SKIPPED, "is built as it is now"
    build = Build.objects.create(set=texture_set, version=row_of(target), by=bulk.by)
    make_build(build, target, state.plan, state.files, tell)
    return State.DONE, f"{len(state.plan.outputs)} outputs for {target.title}"


def _prove(bulk: Bulk, texture_set: TextureSet, target: Target, tell: Progress) -> Outcome:
    state = state_of(texture_set, target)
    if state.current and state.proved:
        return State.SKIPPED, "is proved as it is now"
    count = prove_build(Build.objects.create(set=texture_set, version=row_of(target), by=bulk.by), target, tell)
    return State.DONE, f"{count} {'output' if count == 1 else 'outputs'} measured for {target.title}"


def _dress(bulk: Bulk, texture_set: TextureSet, tell: Progress) -> Outcome:
    version = StudioMaster.objects.get(name=bulk.options_json["master"]).latest
    if texture_set.variants.filter(version__master=version.master).exists():
        return State.SKIPPED, f"has a variant of {version.master.title}"
    made = make_variant(texture_set, version, "", bulk.by)
    return State.DONE, f"variant {made.name}"


WORK: dict[Bulk.Action, Callable[[Bulk, TextureSet, Progress], Outcome]] = {
    Bulk.Action.BUILD: _for_each_target(_build),
    Bulk.Action.PROVE: _for_each_target(_prove),
    Bulk.Action.DRESS: _dress,
    # What is delivered is proved first.
    Bulk.Action.DELIVER: _for_each_target(_prove),
}


def _deliver(bulk: Bulk, reporter: Reporter) -> None:
    """Deliver all sets that are proved, a delivery for each target; the others have said why they are not."""
    good = bulk.items.filter(state__in=[State.DONE, State.SKIPPED]).select_related("set__project")
    by_target: dict[str, list[TextureSet]] = {}
    pins = pins_of(bulk.project)
    for item in good:
        for target in pins.of_set(item.set.target):
            by_target.setdefault(target.name, []).append(item.set)
    for index, (name, sets) in enumerate(sorted(by_target.items())):
        begun = _PROVING + (1 - _PROVING) * index / len(by_target)

        def tell(share: float, doing: str, begun: float = begun) -> None:
            reporter.progress(begun + (1 - _PROVING) * share / len(by_target), doing)

        target = pins.of(name)
        done = Delivery.objects.filter(job=bulk.job, version=row_of(target)).exclude(manifest_json=None)
        if any(set(entry.sets.values_list("set", flat=True)) == {made.pk for made in sets} for entry in done):
            # Tried again after another target's failed: this one is delivered.
            continue
        delivery = Delivery.objects.create(project=bulk.project, version=row_of(target), job=bulk.job, by=bulk.by)
        DeliveredSet.objects.bulk_create(DeliveredSet(delivery=delivery, set=texture_set) for texture_set in sets)
        deliver(delivery, tell, reporter.hold)
        for item in bulk.items.filter(set__in=sets):
            before = item.said if item.said.startswith("delivered for") else "delivered for"
            _put(item, State.DONE, said=f"{before}{',' if before != 'delivered for' else ''} {target.title}")
