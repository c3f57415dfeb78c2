"""Load the demo world: users, two projects, ten sets, and a crate of old files that is not sorted out yet."""

from __future__ import annotations

import os
import tempfile
from collections.abc import Sequence
from pathlib import Path
from typing import Any

from django.contrib.auth import get_user_model
from django.core.files import File
from django.core.files.storage import default_storage
from django.core.management.base import BaseCommand, CommandParser
from django.utils import timezone

from texelcore.materials.sheets.document import Value
from texelcore.naming.rules import HouseRules, SizeRules
from texelcore.surface.origin import Origin
from texeldemo.crate import export_crate
from texeldemo.export import WORLD, export_world
from texeldemo.meshes import bay, planter
from texelweb.demo.life import live
from texelweb.jobs.models import Job
from texelweb.jobs.tasks import Reporter
from texelweb.library.pins import newest_version, take
from texelweb.masters.models import StudioMaster
from texelweb.masters.variants import VariantEdit, Worn, change_variant, make_variant
from texelweb.projects.models import Membership, Project, Role
from texelweb.record.models import Step
from texelweb.record.steps import note_deed
from texelweb.sets.answering.questions import save_rules
from texelweb.sets.arrivals.arrive import run
from texelweb.sets.geometry.meshes import put_mesh
from texelweb.sets.geometry.project_models import bring_model, put_on
from texelweb.sets.models import Arrival, ArrivalItem, TextureSet

MEMBERS = {
    "glasshouse-nine": {"lead": Role.LEAD, "artist": Role.ARTIST, "guest": Role.GUEST},
    "tidewheel": {"lead": Role.LEAD, "artist": Role.ARTIST},
}
# One project has written its rules, and half its files break them; the other has none yet.
RULES = {
    "tidewheel": HouseRules(
        title="Tidewheel names",
        name="{prefix}{set}_{property}",
        prefixes={"colour": "tw_", "normal": "tw_", "data": "tw_", "packed": "tw_"},
        folder="{set}",
        sizes=SizeRules(smallest=64, largest=2048, square=True, set_budget=8, project_budget=48),
    )
}
# What is dressed with which master, by project: a name, the master, the sets of its layers by code, and values of its own.
DRESSED: dict[str, tuple[tuple[str, str, dict[str, str], dict[str, Value]], ...]] = {
    "glasshouse-nine": (
        ("Overgrown copper", "two-layer-ground", {"base": "copper_mister", "top": "moss_bed"}, {"top tiling": 2.0}),
        ("Worn vault paint", "painted-metal", {"metal": "copper_mister", "paint": "t_vault_door"}, {"wear amount": 0.7}),
        ("Lattice, cut out", "cut-out", {"surface": "t_lattice_pane"}, {}),
        ("Lattice, as glass", "see-through", {"surface": "t_lattice_pane"}, {"opacity map": 0.35}),
        ("Grow lamp at night", "emissive-fixture", {"surface": "grow_lamp"}, {"glow strength": 6.0}),
        ("Watered moss", "wet-surface", {"surface": "moss_bed"}, {"wetness": 0.9}),
    ),
    "tidewheel": (
        ("Quay", "four-layers", {"base": "planks", "red": "stone", "green": "rope", "blue": "sailcloth"}, {}),
        ("Shore", "height-blended-ground", {"base": "stone", "fill": "planks"}, {"fill level": 0.5}),
        ("Sail", "cloth", {"surface": "sailcloth", "weave map": "sailcloth"}, {}),
        ("Tide flats", "large-ground", {"surface": "stone"}, {}),
        ("Cliffs", "terrain", {"ground": "planks", "rock": "stone", "snow": "sailcloth"}, {}),
    ),
}
LOADED = "Demo world"
CRATE_GOES_TO = "tidewheel"
# Smaller pictures than this say nothing.
SMALLEST_CRATE = 128
DEMO_PASSWORD = "thistledown"  # noqa: S105 - the demo's own, printed at start; for a server that only this machine reaches


class Command(BaseCommand):
    """Generate the pictures and take them in through the same door as any upload."""

    help = "Load the demo world, unless it is loaded already."

    def add_arguments(self, parser: CommandParser) -> None:
        """`--size` makes a smaller world, for tests; `--lived` has some of the work done in it."""
        parser.add_argument("--size", type=int, default=int(os.environ.get("FAIRTEXEL_DEMO_SIZE", "1024")))
        parser.add_argument("--lived", action="store_true")

    def handle(self, *args: Any, **options: Any) -> None:
        """Load, or say that it is loaded."""
        # Noted when it was whole: what somebody has deleted since does not come again, and what was cut off begins anew.
        if Step.objects.filter(project=None, name=LOADED).exists():
            return
        if Project.everything.filter(slug__in=[project.slug for project in WORLD]).count() == len(WORLD):
            note_deed(None, "project", "Demo world found", None, LOADED)
            return
        users = self._users()
        with tempfile.TemporaryDirectory(prefix="fairtexel-demo-") as folder:
            self.stdout.write("Painting the demo world …")
            export_world(Path(folder), options["size"], lambda line: self.stdout.write(f"  {line}"))
            for entry in WORLD:
                Project.everything.filter(slug=entry.slug).delete()
                project = Project.objects.create(slug=entry.slug, code=entry.code, title=entry.title, target=entry.target)
                take(project, newest_version(entry.target), None, for_all=True)
                for name, role in MEMBERS[entry.slug].items():
                    Membership.objects.create(project=project, user=users[name], role=role)
                if entry.slug in RULES:
                    save_rules(project, RULES[entry.slug], "First rules", users["lead"])
                self._take_in(project, Path(folder) / entry.slug, users["lead"], "Thistledown Works, demo world")
                if entry.slug == CRATE_GOES_TO:
                    crate = Path(folder) / "crate"
                    export_crate(crate / "crate of old files", max(SMALLEST_CRATE, options["size"] // 4))
                    self._take_in(project, crate, users["artist"], "A crate of old files from an earlier game about the mill")
            for slug, variants in DRESSED.items():
                self._dress(Project.objects.get(slug=slug), variants, users["artist"])
            self._give_mesh(Path(folder))
            self._give_model(Path(folder), users["artist"])
        if options["lived"]:
            self.stdout.write("Doing some of the work …")

            def repainted(project: Project, folder: Path) -> None:
                self._take_in(project, folder, users["artist"], "The lamp, repainted")

            live(users, repainted, lambda line: self.stdout.write(f"  {line}"))
        note_deed(None, "project", "Demo world loaded", users["lead"], LOADED)

    def _users(self) -> dict[str, Any]:
        model = get_user_model()
        users = {}
        for name in ("lead", "artist", "guest"):
            user, made = model.objects.get_or_create(username=name)
            if made:
                user.is_staff = name == "lead"
                user.set_password(os.environ.get("FAIRTEXEL_DEMO_PASSWORD", DEMO_PASSWORD))
                user.save()
            users[name] = user
        return users

    def _dress(self, project: Project, variants: Sequence[tuple[str, str, dict[str, str], dict[str, Value]]], user: Any) -> None:
        """Variants of the masters that ship. Sets are named by the part of their code that says what they are."""
        sets = {texture_set.code.lower(): texture_set for texture_set in project.sets.all()}
        for name, master, layers, values in variants:
            held = {layer: next((sets[code] for code in sorted(sets) if part in code), None) for layer, part in layers.items()}
            first = next(iter(held.values()))
            if first is None:
                continue
            made = make_variant(first, StudioMaster.objects.get(name=master).latest, name, user)
            worn = {layer: Worn(found.pk) for layer, found in held.items() if found}
            change_variant(made, VariantEdit(values=values, layers=worn), user)

    def _give_mesh(self, folder: Path) -> None:
        """One set comes with a mesh of its own."""
        place = folder / "fern_planter.obj"
        place.write_text(planter())
        put_mesh(TextureSet.objects.get(project__slug="glasshouse-nine", code="fern_planter"), place, place.name, None)

    def _give_model(self, folder: Path, user: Any) -> None:
        """One project comes with a model of four parts, three of them dressed."""
        place = folder / "planting_bay.glb"
        place.write_bytes(bay())
        project = Project.objects.get(slug="glasshouse-nine")
        model = bring_model(project, place, place.name, user)
        codes = {"fern planter": "fern_planter", "bed": "moss_bed", "window": "t_lattice_pane"}
        sets = dict(project.sets.values_list("code", "pk"))
        put_on(model, {part: {"set": sets[code]} for part, code in codes.items() if code in sets})
        model.save()

    def _take_in(self, project: Project, folder: Path, user: Any, source: str) -> None:
        origin = Origin(way="dropped", source=source, came=timezone.now().date())
        arrival = Arrival.objects.create(
            project=project, by=user, state=Arrival.State.SORTING, origin_json=origin.model_dump(mode="json")
        )
        for path in sorted(folder.rglob("*")):
            if path.is_file():
                with path.open("rb") as file:
                    staged = default_storage.save(f"staged/{arrival.pk}-{path.stat().st_ino}", File(file))
                shown = path.relative_to(folder).as_posix()
                ArrivalItem.objects.create(arrival=arrival, path=shown, bytes=path.stat().st_size, staged=staged)
        job = Job(project=project, kind=Job.Kind.SORT, title="Demo", subject=str(arrival.pk), state=Job.State.DONE)
        job.created_by = user
        job.save()
        run(job, Reporter(job))
