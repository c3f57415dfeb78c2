"""From rows and documents to what the API says."""

from __future__ import annotations

from texelcore.build.explain import explain_property
from texelcore.build.plan import PlannedOutput
from texelcore.surface.ledger import Finding
from texelcore.surface.properties import PROPERTIES, property_of
from texelcore.targets.document import Target, TargetOutput, find_target, shipped
from texelweb.accounts.access import Access
from texelweb.api import schemas
from texelweb.builds.models import Build
from texelweb.builds.planning import State, state_of
from texelweb.jobs.models import Job
from texelweb.projects.models import Project
from texelweb.sets.models import Arrival, SourceFile, TextureSet

STAGES = ("sorted", "converted", "packed", "built")
_SAMPLE_WORDS = {"u8": "8 bit", "u16": "16 bit", "f16": "half float", "f32": "32-bit float"}
_FORMAT_WORDS = {"png": "PNG", "tga": "TGA", "tiff": "TIFF", "exr": "OpenEXR"}
_MOST_FINDINGS = 40


def project_view(access: Access) -> schemas.ProjectView:
    """A project as its member sees it."""
    project = access.project
    return schemas.ProjectView(
        slug=project.slug,
        title=project.title,
        code=project.code,
        role=access.role.value,
        target=project.target,
        sets=project.sets.count(),
        open_files=project.files.filter(set__isnull=True).count(),
    )


def target_view(target: Target) -> schemas.TargetView:
    """A target in one line."""
    return schemas.TargetView(name=target.name, title=target.title, summary=target.summary, normal_y=target.normal_y)


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
    return f"{_FORMAT_WORDS[output.file_format]}, {_SAMPLE_WORDS[output.sample]}, {encoding}"


def set_view(texture_set: TextureSet, access: Access) -> schemas.SetView:
    """A set's page: ledger, findings, outputs planned and built."""
    target = find_target(texture_set.target_name)
    state = state_of(texture_set, target)
    files = {str(file.pk): file for file in SourceFile.objects.filter(pk__in=state.ledger.files())}
    open_files = SourceFile.objects.filter(project=access.project, set__isnull=True).order_by("path")
    job = Job.objects.filter(build__set=texture_set).order_by("-created").first()
    return schemas.SetView(
        id=texture_set.pk,
        name=texture_set.name,
        code=texture_set.code,
        project=access.project.slug,
        project_title=access.project.title,
        role=access.role.value,
        target=target_view(target),
        targets=[target_view(entry) for entry in shipped().values()],
        revision=texture_set.revision,
        undo=_what(texture_set, texture_set.revision) if texture_set.revision > 1 else None,
        redo=_what(texture_set, texture_set.revision + 1),
        lines=_lines(state, target, files),
        left_out=list(state.ledger.left_out),
        findings=list(state.findings),
        files=[file_view(file) for file in files.values()],
        open_files=[file_view(file) for file in open_files[:500]],
        planned=[_planned(planned) for planned in state.plan.outputs],
        build=build_view(state.build, state.current) if state.build else None,
        job=job_view(job) if job and job.state != Job.State.DONE else None,
    )


def _what(texture_set: TextureSet, number: int) -> str | None:
    revision = texture_set.revisions.filter(number=number).first()
    return revision.what if revision else None


def _lines(state: State, target: Target, files: dict[str, SourceFile]) -> list[schemas.LineView]:
    keys = [key for key in PROPERTIES if key != "specular" or state.ledger.row("specular")]
    keys += sorted(row.property for row in state.ledger.rows if row.property not in PROPERTIES)
    return [_line(key, state, target, files) for key in keys]


def _line(key: str, state: State, target: Target, files: dict[str, SourceFile]) -> schemas.LineView:
    prop, row = property_of(key), state.ledger.row(key)
    goes = []
    for planned in state.plan.outputs:
        channels = "".join(entry.channel for entry in planned.channels if entry.property == key)
        if channels:
            stored = stored_words(planned.output, channels)
            goes.append(schemas.LineTo(output=planned.key, file_name=planned.file_name, channels=channels, stored=stored))
    return schemas.LineView(
        property=key,
        title=prop.title,
        components=len(prop.components),
        absent_note=prop.absent_note,
        row=row,
        file=file_view(files[row.file]) if row else None,
        done=explain_property(state.ledger, target, state.plan, key),
        to=goes,
    )


def _planned(planned: PlannedOutput) -> schemas.PlannedView:
    return schemas.PlannedView(
        key=planned.key,
        title=planned.title,
        file_name=planned.file_name,
        width=planned.width,
        height=planned.height,
        channels="".join(entry.channel for entry in planned.channels),
        stored=stored_words(planned.output),
        problem=planned.problem,
        way_out=planned.way_out,
    )


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
    return schemas.BuildView(id=build.pk, target=build.target, created=build.created, by=by, current=current, outputs=outputs)


def board(access: Access) -> schemas.Board:
    """A project's home: every set against every stage, and what is open, worst first."""
    sets, findings = [], []
    for texture_set in access.project.sets.select_related("project").order_by("name"):
        target = find_target(texture_set.target_name)
        state = state_of(texture_set, target)
        first = state.ledger.row("base_colour") or next(iter(state.ledger.rows), None)
        sets.append(
            schemas.BoardSet(
                id=texture_set.pk,
                name=texture_set.name,
                code=texture_set.code,
                target=target.title,
                picture=int(first.file) if first else None,
                cells=_cells(state),
            )
        )
        findings += [
            schemas.BoardFinding(set_id=texture_set.pk, set_name=texture_set.name, finding=finding)
            for finding in state.findings
            if finding.severity != "note"
        ]
    findings.sort(key=lambda entry: entry.finding.severity != "error")
    return schemas.Board(
        project=project_view(access),
        target=target_view(find_target(access.project.target)),
        stages=list(STAGES),
        sets=sets,
        findings=findings[:_MOST_FINDINGS],
    )


def _cells(state: State) -> dict[str, schemas.Cell]:
    cells: dict[str, schemas.Cell] = {}
    blocked = False
    for stage in STAGES[:-1]:
        here = [finding for finding in state.findings if finding.stage == stage and finding.severity != "note"]
        cells[stage] = schemas.Cell(state="none", count=0, first="") if blocked else _cell(here)
        blocked = blocked or cells[stage].state == "wrong"
    if blocked or not state.build:
        cells["built"] = schemas.Cell(state="none", count=0, first="not built yet")
    elif state.current:
        cells["built"] = schemas.Cell(state="holds", count=0, first=f"{state.build.outputs.count()} outputs, current")
    else:
        cells["built"] = schemas.Cell(state="look", count=0, first="built before the last change; build again")
    return cells


def _cell(findings: list[Finding]) -> schemas.Cell:
    if not findings:
        return schemas.Cell(state="holds", count=0, first="")
    worst = "wrong" if findings[0].severity == "error" else "look"
    return schemas.Cell(state=worst, count=len(findings), first=f"{findings[0].subject}: {findings[0].message}")


def arrival_view(arrival: Arrival) -> schemas.ArrivalView:
    """A drop of files and what became of each."""
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
        for item in arrival.items.select_related("file__set").order_by("path", "pk")
    ]
    by = arrival.by.get_username() if arrival.by else ""
    return schemas.ArrivalView(
        id=arrival.pk, state=arrival.state, created=arrival.created, by=by, job=job_view(arrival.job), items=items
    )


def open_files(project: Project) -> list[schemas.FileView]:
    """The files that belong to no set."""
    return [file_view(file) for file in project.files.filter(set__isnull=True).order_by("path")]
