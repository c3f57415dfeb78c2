"""Open questions of a project: asked anew for what has changed, kept with it, and folded when they are shown."""

from __future__ import annotations

import hashlib
import json
from collections import Counter, defaultdict
from collections.abc import Collection, Iterable
from dataclasses import dataclass, field
from typing import Any

from django.db.models import Count, Q

from texelcore.naming.house import Reader
from texelcore.naming.rules import HouseRules
from texelcore.sorting.across import doubles_asked, near_doubles_asked, same_names_asked
from texelcore.sorting.ask import SET_KINDS, ask_about_files, ask_about_set
from texelcore.sorting.cuts import home_folder, look_of
from texelcore.sorting.questions import Question, Scene, folded, group_of
from texelcore.sorting.sort import OpenFile
from texelcore.surface.evidence import Evidence
from texelcore.surface.ledger import FileFacts
from texelweb.projects.models import Project, RulesVersion
from texelweb.sets.models import OpenQuestion, Settled, SourceFile, TextureSet

CLASS_KINDS = ("ending", "alone")


@dataclass
class Touched:
    """What has changed since questions were last asked: sets, files that came or changed their bytes, and files that moved into
    or out of sets; `classes` are the kinds of questions about classes of files that may have changed. Without `across`, what is
    asked about sets of one name and copies of files is asked anew only where what changed has such."""

    sets: set[int] = field(default_factory=set)
    files: set[int] = field(default_factory=set)
    moved: set[int] = field(default_factory=set)
    across: bool = True
    classes: tuple[str, ...] = CLASS_KINDS


def refresh(project: Project, touched: Touched | None = None) -> None:
    """Ask anew about what was touched, or about everything: questions that are gone go, new ones come, and those that somebody
    settled stay settled. Those that are asked as they were are left alone."""
    settled = settled_members(project)
    reader = Reader(project.rules, project.code)
    homes = None if touched is None else _homes(project, touched)
    if touched is None:
        ids = set(TextureSet.objects.filter(project=project).values_list("pk", flat=True))
        files = set(SourceFile.objects.filter(project=project).values_list("pk", flat=True))
        touched = Touched(ids, files)
    mine = OpenQuestion.objects.filter(project=project)
    asked = [*_about_sets(project, touched.sets, reader), *_about_files(project, reader, homes, touched.classes)]
    kinds = [*touched.classes]
    if touched.across or _shares_a_name(project, touched.sets):
        asked += _about_names(project)
        kinds.append("same name")
    if touched.across:
        asked += _about_doubles(project)
        kinds += ["double", "shared"]
    old = mine.filter(Q(kind__in=SET_KINDS, set__in=touched.sets) | Q(kind__in=kinds) | Q(pk__in=_stale_unnamed(project, homes)))
    if not touched.across and (copied := _copied(project, touched)):
        asked += _about_doubles(project, set(copied.values()))
        stale = [row.pk for row in mine.filter(kind__in=["double", "shared"]) if copied.keys() & set(row.files())]
        old = old | mine.filter(pk__in=stale)
    if touched.files:
        asked += _about_near_doubles(project, touched.files)
        keys = {str(file) for file in touched.files}
        stale = [row.pk for row in mine.filter(kind="near double") if keys & set(row.files())]
        old = old | mine.filter(pk__in=stale)
    rows = {entry.key: _row(project, entry) for entry in asked if entry.key not in settled}
    known = dict(old.values_list("key", "digest"))
    kept = {key for key, digest in known.items() if key in rows and rows[key].digest == digest}
    mine.filter(key__in=set(known) - kept).delete()
    fresh = [row for key, row in rows.items() if key not in kept]
    OpenQuestion.objects.bulk_create(fresh, ignore_conflicts=True, batch_size=500)


def _homes(project: Project, touched: Touched) -> set[str]:
    """The home folders of all that was touched."""
    files = Q(pk__in=touched.files | touched.moved) | Q(set__in=touched.sets)
    return set(SourceFile.objects.filter(files, project=project).values_list("home", flat=True))


def _shares_a_name(project: Project, ids: Collection[int]) -> bool:
    names = list(TextureSet.objects.filter(project=project).values_list("pk", "name"))
    often = Counter(name.casefold() for _, name in names)
    return any(key in ids and often[name.casefold()] > 1 for key, name in names)


def _copied(project: Project, touched: Touched) -> dict[str, str]:
    """All files that share their bytes with one that was touched, with the hash of these bytes."""
    files = SourceFile.objects.filter(project=project)
    about = files.filter(Q(pk__in=touched.files | touched.moved) | Q(set__in=touched.sets)).values("blob_id")
    repeated = files.filter(blob_id__in=about).values("blob_id").annotate(copies=Count("pk")).filter(copies__gt=1)
    alike = files.filter(blob_id__in=repeated.values("blob_id")).values_list("pk", "blob_id")
    return {str(key): blob for key, blob in alike}


def _stale_unnamed(project: Project, homes: Collection[str] | None) -> list[int]:
    """Questions about single files of no set that are asked anew: those of these homes, and of files that are open no more."""
    rows = OpenQuestion.objects.filter(project=project, kind="unnamed")
    if homes is None:
        return [row.pk for row in rows]
    loose = SourceFile.objects.filter(project=project, set__isnull=True, set_aside=False).exclude(home__in=homes)
    others = {str(key) for key in loose.values_list("pk", flat=True)}
    return [row.pk for row in rows if not set(row.files()) <= others]


def refresh_set(texture_set: TextureSet) -> None:
    """Ask anew about one set, after its ledger was changed by hand; files that it took in are not asked about any more."""
    refresh(texture_set.project, Touched({texture_set.pk}))


def settled_members(project: Project) -> set[str]:
    """The keys of all questions, and members of such, that somebody has settled."""
    rows = Settled.objects.filter(project=project).values_list("members_json", flat=True)
    return {key for members in rows for key in members}


def shown(project: Project, group: str | None = None) -> list[Question]:
    """The open questions as they are shown: alike ones folded, those that settle most first. With `group` only that one."""
    rows = OpenQuestion.objects.filter(project=project)
    if group is not None:
        rows = rows.filter(group=group)
    return folded([row.question for row in rows.order_by("rank", "pk")])


def count(project: Project) -> int:
    """How many questions are open, folded ones counted once."""
    return OpenQuestion.objects.filter(project=project).values("group").distinct().count()


def save_rules(project: Project, rules: HouseRules, what: str, user: Any) -> RulesVersion:
    """Keep house rules as the project's newest version."""
    newest = project.rules_versions.order_by("-number").values_list("number", flat=True).first() or 0
    return RulesVersion.objects.create(
        project=project, number=newest + 1, rules_json=rules.model_dump(mode="json"), what=what[:300], by=user
    )


def scene_of(sets: Iterable[TextureSet], reader: Reader, open_files: Iterable[SourceFile] = ()) -> Scene:
    """Some sets, with their files, and some open files, as the core asks about them."""
    ledgers = {str(entry.pk): entry.ledger for entry in sets}
    named = {file for ledger in ledgers.values() for file in ledger.files()}
    files = {str(file.pk): file.facts for file in SourceFile.objects.filter(pk__in=named)}
    still_open = []
    for file in open_files:
        key = str(file.pk)
        files[key] = file.facts
        still_open.append(_open_file(file))
    return Scene(ledgers, files, tuple(still_open), reader)


def _open_file(file: SourceFile) -> OpenFile:
    """What sorting found of an open file; of one that was never sorted since it became open, that it stands alone."""
    if file.open_json:
        return OpenFile(**(file.open_json | {"file": str(file.pk), "path": file.path}))
    facts = file.facts
    why = file.why_open or "It belongs to no set."
    return OpenFile(str(file.pk), why, None, "unclear", home=home_folder(file.path), path=file.path, look=look_of(facts))


def _about_sets(project: Project, ids: Collection[int], reader: Reader) -> list[Question]:
    sets = list(TextureSet.objects.filter(project=project, pk__in=ids))
    scene = scene_of(sets, reader)
    return [entry for key in scene.ledgers for entry in ask_about_set(scene, key)]


def _about_files(project: Project, reader: Reader, homes: Collection[str] | None, kinds: Collection[str]) -> list[Question]:
    """What is open about files of no set: classes of these kinds, and single ones of these homes (None for all). Pictures are
    looked at only where a question names them one by one."""
    loose = SourceFile.objects.filter(project=project, set__isnull=True, set_aside=False)
    told = loose.filter(open_json__kind__in=[*kinds, "unclear"])
    known = told.values_list("pk", "path", "open_json")
    entries = [OpenFile(**(body | {"file": str(key), "path": path})) for key, path, body in known]
    classes = tuple(entry for entry in entries if entry.kind != "unclear")
    unclear = [int(entry.file) for entry in entries if entry.kind == "unclear"]
    single = loose.filter(Q(open_json__isnull=True) | Q(pk__in=unclear))
    rows = list(single if homes is None else single.filter(home__in=homes))
    around = TextureSet.objects.filter(project=project, files__home__in={file.home for file in rows}).distinct() if rows else []
    scene = scene_of(around, reader, rows)
    every = Scene(scene.ledgers, scene.files, (*classes, *scene.open), reader)
    return list(ask_about_files(every))


def _about_names(project: Project) -> list[Question]:
    names: dict[str, list[int]] = defaultdict(list)
    for key, name in TextureSet.objects.filter(project=project).order_by("pk").values_list("pk", "name"):
        names[name.casefold()].append(key)
    doubled = [key for keys in names.values() if len(keys) > 1 for key in keys]
    if not doubled:
        return []
    scene = scene_of(TextureSet.objects.filter(pk__in=doubled).order_by("pk"), Reader())
    return list(same_names_asked(scene))


def _about_doubles(project: Project, among: Collection[str] | None = None) -> list[Question]:
    """What is open about copies, of these hashes or of all."""
    files = SourceFile.objects.filter(project=project, set_aside=False)
    files = files if among is None else files.filter(blob_id__in=among)
    repeated = files.values("blob_id").annotate(copies=Count("pk")).filter(copies__gt=1).values_list("blob_id", flat=True)
    alike = list(files.filter(blob_id__in=list(repeated)).select_related("set"))
    if not alike:
        return []
    scene = scene_of({file.set for file in alike if file.set}, Reader())
    facts = {str(file.pk): file.facts for file in alike}
    return list(doubles_asked(Scene(scene.ledgers, scene.files | facts)))


def _about_near_doubles(project: Project, among: Collection[int]) -> list[Question]:
    sets = {str(entry.pk): entry.ledger for entry in TextureSet.objects.filter(project=project)}
    used = {file for ledger in sets.values() for row in ledger.rows for file in row.files()}
    if not used & {str(file) for file in among}:
        return []
    rows = SourceFile.objects.filter(project=project, pk__in=[int(file) for file in used])
    # Checked when they were written; what is compared here is a print and a few numbers.
    files = {str(key): _light(str(key), path, body) for key, path, body in rows.values_list("pk", "path", "facts_json")}
    return list(near_doubles_asked(Scene(sets, files), {str(file) for file in among}))


def _light(key: str, path: str, body: dict[str, Any]) -> FileFacts:
    """A file's facts without checking what was checked when it was written."""
    seen = body.get("evidence")
    evidence = Evidence.model_construct(**seen) if seen else None
    return FileFacts.model_construct(**(body | {"id": key, "path": path, "evidence": evidence}))


def _row(project: Project, question: Question) -> OpenQuestion:
    body = question.model_dump_json()
    return OpenQuestion(
        project=project,
        key=question.key,
        group=group_of(question),
        kind=question.kind,
        rank=question.rank,
        set_id=int(question.set) if question.set else None,
        question_json=json.loads(body),
        digest=hashlib.sha256(body.encode()).hexdigest(),
    )
