"""From rows and documents to what the API says."""

from __future__ import annotations

from django.db.models import Count, Prefetch

from texelcore.building.explain import explain_property
from texelcore.building.plan import PlannedOutput
from texelcore.checks.house_rules import check_project_budget, memory_of_plan
from texelcore.codecs.formats import FORMATS
from texelcore.naming.tokens import key_of_stem
from texelcore.proof.compare import FULL_SCALE
from texelcore.sorting.cuts import home_folder
from texelcore.surface.ledger import Finding
from texelcore.surface.properties import PROPERTIES, property_of
from texelcore.surface.storage import WITH_SRGB
from texelcore.targets.document import Target, TargetOutput, find_target, shipped
from texelweb.accounts.access import Access
from texelweb.api import schemas
from texelweb.builds.models import Build, Proof
from texelweb.builds.planning import State, state_of, states_of
from texelweb.deliveries.models import DeliveredSet
from texelweb.deliveries.run import fingerprint, variants_of
from texelweb.jobs.models import Job
from texelweb.masters.models import SetVariant
from texelweb.projects.models import Project
from texelweb.sets import questions
from texelweb.sets.ledgers import is_own, step_done
from texelweb.sets.models import SourceFile, TextureSet
from texelweb.sets.writing import name_of

STAGES = ("sorted", "converted", "packed", "named", "built", "proved", "dressed", "delivered")
_SAMPLE_WORDS = {"u8": "8 bit", "u16": "16 bit", "f16": "half float", "f32": "32-bit float"}
_FORMAT_WORDS = {"png": "PNG", "tga": "TGA", "tiff": "TIFF", "exr": "OpenEXR"}
_MOST_FINDINGS = 40
_MOST_NAMED = 200
_MOST_OPEN = 200


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
        questions=questions.count(project),
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
    variants = texture_set.variants.as_lines()
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
        edit=texture_set.edit,
        undo=_own_step(texture_set, -1, access),
        redo=_own_step(texture_set, 1, access),
        last=_last_of_others(texture_set, access),
        lines=_lines(state, target, files),
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


def _own_step(texture_set: TextureSet, direction: int, access: Access) -> str | None:
    """What undoing (−1) or doing again (+1) would be about, where that is the asking person's own."""
    done = step_done(texture_set, direction)
    return done.what if done and is_own(done, access.user) else None


def _last_of_others(texture_set: TextureSet, access: Access) -> str | None:
    """The last step, where it is somebody else's and so not this person's to undo."""
    done = step_done(texture_set, -1)
    return None if done is None or is_own(done, access.user) else f"{name_of(done.by)}: {done.what}"


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


def _planned(planned: PlannedOutput, state: State, target: Target) -> schemas.PlannedView:
    proof = state.proofs.get(planned.key)
    sample = planned.output.sample
    return schemas.PlannedView(
        key=planned.key,
        title=planned.title,
        file_name=planned.file_name,
        width=planned.width,
        height=planned.height,
        channels="".join(entry.channel for entry in planned.channels),
        stored=stored_words(planned.output),
        storage=planned.storage,
        own_storage=state.ledger.storage_of(target.name, planned.key) is not None,
        formats=[key for key, form in FORMATS.items() if form.sample == sample or (form.edge > 1 and sample == "u16")],
        with_srgb=list(WITH_SRGB),
        proof=_proof(proof) if proof else None,
        problem=planned.problem,
        way_out=planned.way_out,
    )


def _proof(proof: Proof) -> schemas.ProofView:
    figures = proof.figures
    kind, unit = ("normal", "°") if figures.normal else ("colour", "ΔE") if figures.colours else ("data", "levels")
    return schemas.ProofView(figures=figures, sha256=proof.blob_id, full_scale=FULL_SCALE[kind], full_unit=unit)


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
    sets, findings, names, plans = [], [], 0, []
    asked = access.project.questions.exclude(set=None).values_list("set").annotate(count=Count("pk"))
    waiting = dict(asked)
    found = access.project.sets.select_related("project").prefetch_related(Prefetch("variants", SetVariant.objects.as_lines()))
    wanted = [(texture_set, find_target(texture_set.target_name)) for texture_set in found.order_by("name")]
    delivered = _last_deliveries(access.project)
    for (texture_set, target), state in zip(wanted, states_of(access.project, wanted), strict=True):
        first = state.ledger.row("base_colour") or next(iter(state.ledger.rows), None)
        sets.append(
            schemas.BoardSet(
                id=texture_set.pk,
                name=texture_set.name,
                code=texture_set.code,
                target=target.title,
                target_name=target.name,
                proved=state.proved,
                questions=waiting.get(texture_set.pk, 0),
                picture=int(first.file) if first else None,
                folder=_folder_of(state),
                cells=_cells(texture_set, state, delivered.get((texture_set.pk, target.name))),
            )
        )
        findings += [
            schemas.BoardFinding(set_id=texture_set.pk, set_name=texture_set.name, finding=finding)
            for finding in state.findings
            # Names are put right all at once, by the rename plan: one line speaks for them.
            if finding.severity != "note" and finding.stage != "named"
        ]
        plans.append(state.plan)
        names += len({finding.subject for finding in state.findings if finding.stage == "named"})
    return schemas.Board(
        project=project_view(access),
        target=target_view(find_target(access.project.target)),
        stages=list(STAGES),
        sets=sets,
        findings=_by_kind(findings)[:_MOST_FINDINGS],
        names=names,
        memory=sum(memory_of_plan(plan) for plan in plans),
        project_findings=list(check_project_budget(access.project.rules, plans, access.project.title)),
    )


def _by_kind(findings: list[schemas.BoardFinding]) -> list[schemas.BoardFinding]:
    """Findings worst first, those of one kind over many sets as one line with their number."""
    groups: dict[tuple[str, str, str | None], list[schemas.BoardFinding]] = {}
    # What is said of several outputs of a set in the same words is said once.
    once = {(entry.set_id, entry.finding.message): entry for entry in reversed(findings)}
    for entry in reversed(once.values()):
        finding = entry.finding
        groups.setdefault((finding.severity, finding.rule, finding.property), []).append(entry)
    lines = [_one_line(entries) for entries in groups.values()]
    return sorted(lines, key=lambda line: (line.finding.severity != "error", -line.count))


def _one_line(entries: list[schemas.BoardFinding]) -> schemas.BoardFinding:
    sets = list(dict.fromkeys((entry.set_id, entry.set_name) for entry in entries))
    return entries[0].model_copy(
        update={"count": len(entries), "sets": [schemas.NamedSet(id=key, name=name) for key, name in sets[:_MOST_NAMED]]}
    )


def _letters(name: str) -> str:
    return key_of_stem(name).replace("_", "")


def _folder_of(state: State) -> str:
    """The folder that a set's files came in; of a folder for each set, the one around it."""
    first = next((state.files[file] for file in state.ledger.files() if file in state.files), None)
    home = home_folder(first.path) if first else ""
    own = home.rpartition("/")[2]
    alone = own and _letters(own) in _letters(state.ledger.name)
    return home.rpartition("/")[0] if alone else home


def _last_deliveries(project: Project) -> dict[tuple[int, str], DeliveredSet]:
    """The last whole delivery of each set for each target."""
    entries = DeliveredSet.objects.filter(delivery__project=project, delivery__manifest_json__isnull=False)
    newest = entries.select_related("delivery").order_by("delivery__created")
    return {(entry.set_id, entry.delivery.target): entry for entry in newest}


def _cells(texture_set: TextureSet, state: State, delivered: DeliveredSet | None) -> dict[str, schemas.Cell]:
    cells: dict[str, schemas.Cell] = {}
    blocked = False
    for stage in STAGES[:4]:
        here = [finding for finding in state.findings if finding.stage == stage and finding.severity != "note"]
        cells[stage] = schemas.Cell(state="none", count=0, first="") if blocked else _cell(here)
        blocked = blocked or cells[stage].state == "wrong"
    if blocked or not state.build:
        cells["built"] = schemas.Cell(state="none", count=0, first="not built yet")
    elif state.current:
        cells["built"] = schemas.Cell(state="holds", count=0, first=f"{state.build.outputs.count()} outputs, current")
    else:
        cells["built"] = schemas.Cell(state="look", count=0, first="built before the last change; build again")
    cells["proved"] = _proved_cell(state) if not blocked else schemas.Cell(state="none", count=0, first="")
    cells["dressed"] = _dressed_cell(texture_set)
    cells["delivered"] = _delivered_cell(texture_set, state, delivered)
    return cells


def _proved_cell(state: State) -> schemas.Cell:
    here = [finding for finding in state.findings if finding.stage == "proved" and finding.severity != "note"]
    if here and (state.proved or here[0].severity == "error"):
        return _cell(here)
    if state.proved:
        return schemas.Cell(state="holds", count=0, first="every output is proved, within the tolerances")
    return schemas.Cell(state="none", count=0, first="not proved as it is now")


def _dressed_cell(texture_set: TextureSet) -> schemas.Cell:
    variants = [variant_line(variant) for variant in texture_set.variants.all()]
    behind = [variant for variant in variants if variant.version < variant.latest]
    if not variants:
        return schemas.Cell(state="none", count=0, first="no variant yet")
    if behind:
        first = f"{behind[0].name} is on v{behind[0].version} of {behind[0].master_title}; v{behind[0].latest} is out"
        return schemas.Cell(state="look", count=len(behind), first=first)
    return schemas.Cell(state="holds", count=0, first=", ".join(variant.name for variant in variants))


def _delivered_cell(texture_set: TextureSet, state: State, entry: DeliveredSet | None) -> schemas.Cell:
    if entry is None:
        return schemas.Cell(state="none", count=0, first="not delivered yet")
    if entry.made_from != fingerprint(state, variants_of(texture_set)):
        return schemas.Cell(state="look", count=0, first="delivered before the last change; deliver again")
    receipt = entry.delivery.receipt
    if receipt is None:
        return schemas.Cell(state="look", count=0, first="delivered, but not read back")
    wrong = [finding for finding in receipt.findings if finding.severity == "error"]
    if wrong:
        return schemas.Cell(state="wrong", count=len(wrong), first=f"{wrong[0].subject}: {wrong[0].message}")
    return schemas.Cell(state="holds", count=0, first="delivered, and read back as it was meant")


def _cell(findings: list[Finding]) -> schemas.Cell:
    if not findings:
        return schemas.Cell(state="holds", count=0, first="")
    worst = "wrong" if findings[0].severity == "error" else "look"
    return schemas.Cell(state=worst, count=len(findings), first=f"{findings[0].subject}: {findings[0].message}")


def open_files(project: Project) -> list[schemas.FileView]:
    """The first files that belong to no set: a page does not place thousands by hand."""
    return [file_view(file) for file in project.files.filter(set__isnull=True).order_by("path")[:_MOST_OPEN]]
