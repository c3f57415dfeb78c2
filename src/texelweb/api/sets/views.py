"""From rows and documents to what the API says."""

from __future__ import annotations

from itertools import count

from texelcore.building.explain import explain_property
from texelcore.building.plan import PlannedOutput
from texelcore.pixels.write import FORMAT_WORDS
from texelcore.proof.compare import FULL_SCALE
from texelcore.proof.places import Unit
from texelcore.surface.formats import FORMATS
from texelcore.surface.properties import PROPERTIES, property_of
from texelcore.targets.document import Target, TargetOutput
from texelweb.accounts.access import Access
from texelweb.api import schemas
from texelweb.builds.models import Build, Proof
from texelweb.builds.planning import State, state_of
from texelweb.jobs.models import Job
from texelweb.library.pins import offered, pins_of, target_of
from texelweb.masters.models import SetVariant
from texelweb.projects.models import Project, Role
from texelweb.sets.answering import questions
from texelweb.sets.models import SourceFile, TextureSet
from texelweb.studio.projects import stamp_of

_SAMPLE_WORDS = {"u8": "8 bit", "u16": "16 bit", "f16": "half float", "f32": "32-bit float"}
_MOST_OPEN = 200


def project_view(access: Access) -> schemas.ProjectView:
    """A project as its member sees it."""
    project = access.project
    return schemas.ProjectView(
        slug=project.slug,
        stamp=stamp_of(project),
        title=project.title,
        code=project.code,
        role=access.role.value,
        target=project.target,
        target_title=target_of(project, project.target).title,
        archived=project.archived,
        sets=project.sets.count(),
        open_files=project.files.filter(set__isnull=True).count(),
        questions=questions.count(project),
        targets=project.targets.count(),
    )


def target_view(target: Target) -> schemas.TargetView:
    """A target in one line."""
    return schemas.TargetView(
        name=target.name, title=target.title, summary=target.summary, normal_y=target.normal_y, version=target.version
    )


def job_view(job: Job | None) -> schemas.JobView | None:
    """A job, or null."""
    return schemas.JobView.from_orm(job) if job else None


def file_view(file: SourceFile) -> schemas.FileView:
    """A source file with its facts."""
    facts = file.facts
    return schemas.FileView(
        id=file.pk,
        path=file.path,
        name=facts.name,
        sha256=facts.sha256,
        bytes=facts.bytes,
        format=facts.format,
        width=facts.width,
        height=facts.height,
        channels=list(facts.channels),
        sample=facts.sample,
        revision=file.revision,
        set_id=file.set_id,
        why_open=file.why_open,
    )


def stored_words(output: TargetOutput, channels: str = "RGB") -> str:
    """How an output's channels are stored, in words: "PNG, 8 bit, sRGB". Alpha is linear in every texture."""
    encoding = "sRGB" if output.encoding == "srgb" and channels != "A" else "linear"
    return f"{FORMAT_WORDS[output.file_format]}, {_SAMPLE_WORDS[output.sample]}, {encoding}"


def set_view(texture_set: TextureSet, access: Access) -> schemas.SetView:
    """A set's page: ledger, findings, outputs planned and built."""
    pins = pins_of(access.project)
    target = pins.seen(texture_set.target, access.looks_at)
    others = [entry for entry in offered() if entry.name not in pins.targets]
    state = state_of(texture_set, target)
    files = {str(file.pk): file for file in SourceFile.objects.filter(pk__in=state.ledger.files())}
    open_files = SourceFile.objects.filter(project=access.project, set__isnull=True).order_by("path")
    job = Job.objects.filter(build__set=texture_set).order_by("-created").first()
    variants = texture_set.variants.as_lines()
    return schemas.SetView(
        id=texture_set.pk,
        name=texture_set.name,
        code=texture_set.code,
        project=access.project.slug,
        project_title=access.project.title,
        role=access.role.value,
        target=target_view(target),
        targets=[target_view(target) for target in (*pins.targets.values(), *others)],
        own_target=texture_set.target,
        made_for=[target_view(entry) for entry in pins.of_set(texture_set.target)],
        edit=texture_set.edit,
        surface=state.ledger.surface,
        lines=_lines(state, target, files, may_work=access.role != Role.GUEST),
        left_out=list(state.ledger.left_out),
        findings=list(state.findings),
        files=[file_view(file) for file in files.values()],
        open_files=[file_view(file) for file in open_files[:_MOST_OPEN]],
        planned=[_planned(planned, state, target) for planned in state.plan.outputs],
        build=build_view(state.build, state.current) if state.build else None,
        proved=state.proved,
        variants=[variant_line(variant) for variant in variants],
        origin=texture_set.origin,
        mesh=schemas.MeshView(name=texture_set.mesh_name, sha256=texture_set.mesh_id) if texture_set.mesh_id else None,
        job=job_view(job) if job and job.state != Job.State.DONE else None,
    )


def variant_line(variant: SetVariant) -> schemas.VariantLine:
    """A variant in one line. It was asked for `as_lines`."""
    return schemas.VariantLine(
        id=variant.pk,
        name=variant.name,
        set_id=variant.set_id,
        set_name=variant.set.name,
        project=variant.set.project.slug,
        project_title=variant.set.project.title,
        master=variant.version.master.name,
        master_title=variant.version.master.title,
        version=variant.version.number,
        latest=variant.latest,  # type: ignore[attr-defined]
        changed_values=len(variant.values_json),
    )


def _lines(state: State, target: Target, files: dict[str, SourceFile], may_work: bool) -> list[schemas.LineView]:
    keys = [key for key in PROPERTIES if key != "specular" or state.ledger.row("specular")]
    keys += state.ledger.masks()
    if not state.ledger.surface:
        # Nothing is missed: what it has stands first.
        keys.sort(key=lambda key: state.ledger.row(key) is None)
    if may_work:
        # A place for one mask more.
        keys.append(next(key for number in count(1) if (key := f"mask.{number:02}") not in keys))
    return [_line(key, state, target, files) for key in keys]


def _line(key: str, state: State, target: Target, files: dict[str, SourceFile]) -> schemas.LineView:
    prop, row = property_of(key), state.ledger.row(key)
    goes = []
    for planned in state.plan.outputs:
        channels = "".join(channel.channel for channel in planned.channels if channel.property == key or key in channel.reads)
        if channels:
            stored = stored_words(planned.output, channels)
            goes.append(schemas.LineTo(output=planned.key, file_name=planned.file_name, channels=channels, stored=stored))
    return schemas.LineView(
        property=key,
        title=prop.title if row or not key.startswith("mask.") else "A mask",
        components=len(prop.components),
        absent_note=prop.absent_note if state.ledger.surface else "left out when absent",
        row=row,
        file=file_view(files[row.file]) if row else None,
        done=explain_property(state.ledger, target, state.plan, key),
        to=goes,
    )


def _planned(planned: PlannedOutput, state: State, target: Target) -> schemas.PlannedView:
    proof = state.proofs.get(planned.key)
    sample = planned.output.sample
    return schemas.PlannedView(
        key=planned.key,
        title=planned.title,
        file_name=planned.file_name,
        width=planned.width,
        height=planned.height,
        channels="".join(channel.channel for channel in planned.channels),
        stored=stored_words(planned.output),
        storage=planned.storage,
        own_storage=state.ledger.storage_of(target.name, planned.key) is not None,
        formats=[key for key in FORMATS if sample in FORMATS[key].takes],
        proof=_proof(proof) if proof else None,
        problem=planned.problem,
        way_out=planned.way_out,
    )


def _proof(proof: Proof) -> schemas.ProofView:
    figures = proof.figures
    unit: Unit = "°" if figures.normal else "ΔE" if figures.colours else "levels"
    # What travels with a delivery is nothing that a page shows.
    shown = figures.model_copy(update={"losses": (), "chain": ()})
    return schemas.ProofView(figures=shown, sha256=proof.blob_id, full_scale=FULL_SCALE[unit], full_unit=unit)


def build_view(build: Build, current: bool) -> schemas.BuildView:
    """A finished build."""
    outputs = [
        schemas.OutputView(
            id=output.pk,
            key=output.key,
            title=output.title,
            file_name=output.file_name,
            bytes=output.blob.bytes,
            sha256=output.blob_id,
            width=output.width,
            height=output.height,
            sample=output.sample,
            encoding=output.encoding,
            channels=output.channels,
            reused=output.reused,
        )
        for output in build.outputs.select_related("blob").order_by("pk")
    ]
    by = build.by.get_username() if build.by else ""
    return schemas.BuildView(
        id=build.pk,
        target=build.target.name,
        target_version=build.target.version,
        created=build.created,
        by=by,
        current=current,
        outputs=outputs,
    )


def open_files(project: Project) -> list[schemas.FileView]:
    """The first files that belong to no set: a page does not place thousands by hand."""
    return [file_view(file) for file in project.files.filter(set__isnull=True).order_by("path")[:_MOST_OPEN]]
