"""Variants: a set dressed with a master."""

from __future__ import annotations

from collections.abc import Collection
from dataclasses import replace
from typing import Literal

from django.db.models import QuerySet
from django.http import HttpRequest, HttpResponse
from ninja import Field, Router, Schema, Status

from texelcore.materials.dressing.binding import as_taken, bind, opacity_use
from texelcore.materials.shader import HeightUse, Shader, height_text, shader_text
from texelcore.materials.sheets.document import Master, Parameter, Value, constants_of
from texelcore.materials.sheets.typing import check_master
from texelcore.pixels.errors import TexelError
from texelcore.surface.findings import Finding
from texelcore.surface.formats import level_sizes
from texelcore.surface.storage import Storage
from texelcore.targets.document import Target
from texelweb.accounts.access import Access, enter
from texelweb.api import schemas
from texelweb.api.documenting import serves
from texelweb.api.drafting import named, version_of
from texelweb.api.masters.layers import LayerView, height_of, layers_of
from texelweb.api.schemas import JobView, RoleName, TargetView
from texelweb.api.sets import views
from texelweb.api.sets.pictures import kept_picture
from texelweb.api.sets.sets import enter_set
from texelweb.builds import stage
from texelweb.builds.planning import State, maps_of, state_of
from texelweb.jobs.leases import is_alive
from texelweb.jobs.models import Job
from texelweb.library.pins import pins_of
from texelweb.masters import variants
from texelweb.masters.files import VARIANT_FILES, FileForm
from texelweb.masters.findings import findings_of_variant
from texelweb.masters.making import made_by
from texelweb.masters.models import SetVariant
from texelweb.masters.publish import MASTERS
from texelweb.masters.variants import VariantEdit, Worn, change_variant, make_variant
from texelweb.projects.models import Role
from texelweb.refusals import not_found
from texelweb.sets.models import TextureSet

router = Router(tags=["variants"])


class BoundOutput(Schema):
    """A texture that the live preview loads: an output of the set that a layer or a free texture takes."""

    holder: str
    set_id: int
    output: str
    width: int
    height: int
    storage: Storage
    levels: int
    sha256: str


class OpacityView(Schema):
    """What a master or a target takes opacity for, where it cuts, and whether it is seen from both sides; solid where none is
    bound."""

    mode: Literal["solid", "cut-out", "blended"]
    threshold: float
    two_sided: bool = True


class VariantFileView(Schema):
    """A file that can be made of a variant: whether it is made of what the variant is now, the job that makes it, and why it
    cannot be made now ("" where it can)."""

    form: FileForm
    title: str
    holds: str
    made: bool
    job: JobView | None
    problem: str


class VariantView(Schema):
    """A variant's page: its own values, beside the parameters with the master's. `edit` is the number of its newest edit, and
    `ready` says whether the set is proved as it is now, so that its blocks can be shown."""

    id: int
    name: str
    role: RoleName
    project: str
    project_title: str
    set_id: int
    set_name: str
    target: TargetView
    master: str
    master_title: str
    version: int
    latest: int
    parameters: list[Parameter]
    # What may stand in the place of maps: each is a map while it has no value of its own.
    constants: list[Parameter]
    values: dict[str, Value]
    edit: int
    shader: Shader
    # How its height is read, where there is one, and whether it has a normal of its own.
    height: HeightUse | None
    bent: bool
    layers: list[LayerView]
    bindings: dict[str, str | None]
    outputs: list[BoundOutput]
    opacity: OpacityView
    ready: bool
    findings: list[Finding]
    job: JobView | None
    files: list[VariantFileView]


class NewVariant(Schema):
    """A master by name; an empty name is filled from the set's."""

    master: str
    name: str = ""


class WornSet(Schema):
    """A set for a layer or a free texture, and the property that a free texture reads of it: the one it asks for where
    empty. For a free texture a `file` of no set may stand in the place of a set: one is made of it."""

    set: int = 0
    file: int | None = None
    property: str = Field(default="", max_length=80)


class VariantChange(Schema):
    """A new name, all own values, another version of the master, or the sets of all layers and free textures; null leaves a
    thing."""

    name: str | None = None
    values: dict[str, Value] | None = None
    version: int | None = None
    layers: dict[str, WornSet] | None = None


ANSWERS = {200: VariantView, 403: schemas.ErrorBody, 404: schemas.ErrorBody, 409: schemas.ErrorBody}


@router.get(
    "/projects/{slug}/variants", response={200: list[schemas.VariantLine], 404: schemas.ErrorBody}, operation_id="list_variants"
)
def list_variants(request: HttpRequest, slug: str) -> list[schemas.VariantLine]:
    """A project's variants."""
    return [views.variant_line(variant) for variant in enter(request, slug).project.variants.as_lines()]


@router.post("/sets/{set_id}/variants", response=ANSWERS, operation_id="create_variant")
def create_variant(request: HttpRequest, set_id: int, body: NewVariant) -> VariantView:
    """Dress a set: a new variant of a master at its latest version."""
    texture_set, access = enter_set(request, set_id, Role.ARTIST)
    return _view(make_variant(texture_set, version_of(named(MASTERS, body.master)), body.name, access.user), access)


@router.get("/variants/{variant_id}", response={200: VariantView, 404: schemas.ErrorBody}, operation_id="get_variant")
def get_variant(request: HttpRequest, variant_id: int) -> VariantView:
    """A variant's page."""
    return _view(*enter_variant(request, variant_id))


@router.patch("/variants/{variant_id}", response=ANSWERS, operation_id="change_variant")
def patch_variant(request: HttpRequest, variant_id: int, body: VariantChange, seen: int) -> VariantView:
    """Rename a variant, set its own values, or move it to another version of its master. `seen` is the number of the newest
    edit that the page has."""
    variant, access = enter_variant(request, variant_id, Role.ARTIST)
    layers = (
        None if body.layers is None else {name: Worn(worn.set, worn.property, worn.file) for name, worn in body.layers.items()}
    )
    edit = VariantEdit(body.name, body.values, body.version, layers)
    return _view(change_variant(variant, edit, access.user, seen), access)


@router.delete(
    "/variants/{variant_id}", response={204: None, 403: schemas.ErrorBody, 404: schemas.ErrorBody}, operation_id="remove_variant"
)
def remove_variant(request: HttpRequest, variant_id: int) -> Status[None]:
    """Remove a variant; its set and master stay. It is kept aside for 30 days, and can be brought back from the record."""
    variant, access = enter_variant(request, variant_id, Role.ARTIST)
    variants.remove_variant(variant, access.user)
    return Status(204, None)


@router.get(
    "/variants/{variant_id}/lit",
    operation_id="lit_variant",
    openapi_extra=serves("image/png"),
    response={404: schemas.ErrorBody},
)
def lit_variant(request: HttpRequest, variant_id: int) -> HttpResponse:
    """A variant lit, from its set's sources: on a sphere where it is solid, on a tile where it can be looked through."""
    variant, _ = enter_variant(request, variant_id)
    try:
        return kept_picture(request, stage.lit_dressed(worn_by(variant), variant.version.document, variant.values))
    except KeyError:
        raise not_found("The picture") from None


def jobs_of(variant: SetVariant, kind: str) -> QuerySet[Job]:
    """The jobs of a kind that a variant is the subject of, the newest first."""
    return Job.objects.filter(project=variant.project_id, kind=kind, subject=str(variant.pk)).order_by("-created")


def enter_variant(request: HttpRequest, variant_id: int, least: Role = Role.GUEST) -> tuple[SetVariant, Access]:
    """A variant of a project that somebody belongs to, for whoever may do so much there. Raises Refused for all others."""
    variant = SetVariant.objects.filter(pk=variant_id).select_related("set__project", "version__master").first()
    if variant is None:
        raise not_found("The variant")
    return variant, enter(request, variant.set.project, least)


def worn_by(variant: SetVariant) -> dict[str, tuple[TextureSet, str]]:
    """The sets of a variant's layers and free textures, each with the property that a free one reads, by name."""
    own = {entry.holder: entry.property for entry in variant.others.all()}
    return {name: (held, own.get(name, "")) for name, held in variant.sets().items()}


def _view(variant: SetVariant, access: Access) -> VariantView:
    texture_set = variant.set
    target = pins_of(access.project).seen(texture_set.target, access.looks_at)
    document = variant.version.document
    # The target's materials may not take all of it.
    checked = check_master(as_taken(document, target))
    worn = worn_by(variant)
    # The same set in two layers is looked at once.
    states = {held.pk: state_of(held, target) for held, _ in worn.values()}
    maps = {name: replace(maps_of(states[held.pk]), property=key) for name, (held, key) in worn.items()}
    bindings = bind(document, target, maps)
    job = Job.objects.filter(build__set__in=[held.pk for held, _ in worn.values()]).order_by("-created").first()
    first = document.layers[0].name if document.layers else ""
    height = height_of(maps.get(first), first, target)
    used = {(bound.holder, bound.output) for bound in (*bindings.values(), height) if bound}
    proved = all(state.proved for state in states.values())
    return VariantView(
        id=variant.pk,
        name=variant.name,
        role=access.role.value,
        project=access.project.slug,
        project_title=access.project.title,
        set_id=texture_set.pk,
        set_name=texture_set.name,
        target=views.target_view(target),
        master=variant.version.master.name,
        master_title=variant.version.master.title,
        version=variant.version.number,
        latest=variant.version.master.latest.number,
        parameters=list(document.parameters),
        constants=list(constants_of(document)),
        values=variant.values,
        edit=variant.edit,
        shader=shader_text(checked, bindings, variant.values),
        height=height_text(height) if height else None,
        bent="normal" in document.surface,
        layers=layers_of(document, worn, states, maps, target),
        bindings={name: bound.chip if bound else None for name, bound in bindings.items()},
        outputs=[
            _bound_output(holder, key, worn[holder][0].pk, held)
            for holder, key in sorted(used)
            if key in (held := states[worn[holder][0].pk]).proofs
        ],
        opacity=opacity_of(target, {texture.property for texture in document.textures if bindings.get(texture.name)}, document),
        ready=proved,
        findings=findings_of_variant(variant, checked, bindings, target),
        job=views.job_view(job) if job and job.is_open else None,
        files=[_file_view(variant, form) for form in VARIANT_FILES],
    )


def _file_view(variant: SetVariant, form: FileForm) -> VariantFileView:
    file = VARIANT_FILES[form]
    made, problem = False, ""
    try:
        made = made_by(file.plan(variant)) is not None
    except TexelError as error:
        problem = str(error)
    job = views.job_view(jobs_of(variant, file.kind).filter(is_alive()).first())
    return VariantFileView(form=form, title=file.title, holds=file.holds, made=made, job=job, problem=problem)


def opacity_of(target: Target, bound: Collection[str], master: Master | None = None) -> OpacityView:
    """How a master takes opacity, or the target, where that is among the properties that are bound."""
    return OpacityView(**opacity_use(target, bound, master).model_dump())


def _bound_output(holder: str, key: str, set_id: int, state: State) -> BoundOutput:
    figures = state.proofs[key].figures
    return BoundOutput(
        holder=holder,
        set_id=set_id,
        output=key,
        width=figures.width,
        height=figures.height,
        storage=figures.storage,
        levels=len(level_sizes(figures.width, figures.height, figures.storage.mips)),
        sha256=state.proofs[key].blob_id,
    )
