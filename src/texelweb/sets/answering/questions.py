"""Open questions of a project: asked anew for what has changed, kept with it, and folded when they are shown."""

from __future__ import annotations

import hashlib
import json
from collections import Counter, defaultdict
from collections.abc import Collection, Iterable, Mapping
from dataclasses import dataclass, field
from typing import Any

from django.db import transaction
from django.db.models import Count, Q, QuerySet

from texelcore.naming.house import Reader
from texelcore.naming.rules import HouseRules
from texelcore.sorting.ask import SET_KINDS, ask_about_files, ask_about_set
from texelcore.sorting.between_sets import doubles_asked, near_doubles_asked, same_names_asked
from texelcore.sorting.cuts import home_folder, look_of
from texelcore.sorting.questions import Question, Scene, Use, folded, group_of
from texelcore.sorting.sort import SINGLE, OpenFile
from texelcore.surface.files import FileFacts
from texelcore.surface.ledger import Ledger
from texelweb.projects.models import Project, RulesVersion
from texelweb.projects.versions import append_version
from texelweb.sets.facts import Facts, uses_of
from texelweb.sets.models import OpenQuestion, Settled, SourceFile, TextureSet

CLASS_KINDS = frozenset({"ending", "alone"})
COPY_KINDS = ("double", "shared")


@dataclass
class Touched:
    """What has changed since questions were last asked: sets, files that came or changed their bytes, and files that moved into
    or out of sets; `classes` are the kinds of questions about classes of files that may have changed, and `names` says that sets
    of one name may be so no more."""

    sets: set[int] = field(default_factory=set)
    files: set[int] = field(default_factory=set)
    moved: set[int] = field(default_factory=set)
    classes: set[str] = field(default_factory=lambda: set(CLASS_KINDS))
    names: bool = True


def refresh(project: Project, touched: Touched | None = None, at_hand: Iterable[SourceFile] = ()) -> None:
    """Ask anew about what was touched, or about everything: questions that are gone go, new ones come, and those that somebody
    settled stay settled. Those that are asked as they were are left alone. What is known of files `at_hand` is not fetched again.
    """
    settled = settled_members(project)
    reader, facts = Reader(project.rules, project.code), Facts(project, at_hand)
    homes = None if touched is None else _homes(project, touched)
    everything = touched is None
    if touched is None:
        ids = set(TextureSet.objects.filter(project=project).values_list("pk", flat=True))
        files = set(SourceFile.objects.filter(project=project).values_list("pk", flat=True))
        touched = Touched(ids, files)
    mine = OpenQuestion.objects.filter(project=project)
    asked = [*_about_sets(project, touched.sets, reader, facts), *_about_files(project, reader, homes, touched.classes, facts)]
    kinds = [*touched.classes]
    if touched.names or _shares_a_name(project, touched.sets):
        asked += _about_names(project, facts)
        kinds.append("same name")
    old = mine.filter(Q(kind__in=SET_KINDS, set__in=touched.sets) | Q(kind__in=kinds) | Q(pk__in=_stale_unnamed(project, homes)))
    copies = None if everything else _copies_of(project, touched)
    asked += _about_doubles(project, copies, facts)
    old = old | _naming(mine.filter(kind__in=COPY_KINDS), copies)
    if touched.files:
        asked += _about_near_doubles(project, touched.files, facts)
        old = old | _naming(mine.filter(kind="near double"), touched.files)
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


def _naming(rows: QuerySet[OpenQuestion], files: Collection[int] | None) -> QuerySet[OpenQuestion]:
    """Those of the questions that name one of these files, or all."""
    if files is None:
        return rows
    keys = {str(file) for file in files}
    named = rows.values_list("pk", "question_json__files")
    return OpenQuestion.objects.filter(pk__in=[key for key, mine in named if keys & set(mine)])


def _copies_of(project: Project, touched: Touched) -> set[int]:
    """The files whose copies have to be asked about anew: those that were touched, those that a question names beside one of
    them, and all that share their bytes with any of these."""
    files = SourceFile.objects.filter(project=project)
    about = set(files.filter(Q(pk__in=touched.files | touched.moved) | Q(set__in=touched.sets)).values_list("pk", flat=True))
    open_ones = _naming(OpenQuestion.objects.filter(project=project, kind__in=COPY_KINDS), about)
    about |= {int(file) for named in open_ones.values_list("question_json__files", flat=True) for file in named}
    blobs = files.filter(pk__in=about).values("blob_id")
    return about | set(files.filter(blob_id__in=blobs).values_list("pk", flat=True))


def _stale_unnamed(project: Project, homes: Collection[str] | None) -> list[int]:
    """Questions about single files of no set that are asked anew: those of these homes, and of files that are open no more."""
    rows = OpenQuestion.objects.filter(project=project, kind__in=("unnamed", "copy")).values_list("pk", "question_json__files")
    if homes is None:
        return [key for key, _ in rows]
    loose = SourceFile.objects.filter(project=project, set__isnull=True, set_aside=False).exclude(home__in=homes)
    others = {str(key) for key in loose.values_list("pk", flat=True)}
    # The first is the file that is open; another is one that it is held against.
    return [key for key, files in rows if files[0] not in others]


def refresh_set(texture_set: TextureSet) -> None:
    """Ask anew about one set, after its ledger was changed by hand or a change was undone; files that it took in are not asked
    about any more, and those that it let go may be."""
    around = texture_set.revisions.filter(number__range=(texture_set.revision - 1, texture_set.revision + 1))
    named = {int(file) for body in around.values_list("ledger_json", flat=True) for file in Ledger.model_validate(body).files()}
    refresh(texture_set.project, Touched({texture_set.pk}, moved=named))


def settled_members(project: Project) -> set[str]:
    """The keys of all questions, and members of such, that somebody has settled."""
    rows = Settled.objects.filter(project=project).values_list("members_json", flat=True)
    return {key for members in rows for key in members}


def shown(project: Project, groups: Collection[str] | None = None) -> list[Question]:
    """The open questions as they are shown: alike ones folded, those that settle most first. With `groups` only these."""
    rows = OpenQuestion.objects.filter(project=project)
    if groups is not None:
        rows = rows.filter(group__in=groups)
    return folded([row.question for row in rows.order_by("rank", "pk")])


def standing(project: Project) -> dict[str, str]:
    """A stamp for each open question by its key, those that settle most first; it changes with anything that a question says."""
    rows = OpenQuestion.objects.filter(project=project).order_by("rank", "key").values_list("group", "key", "digest")
    parts: dict[str, list[str]] = defaultdict(list)
    for group, key, digest in rows:
        parts[group].append(f"{key} {digest}")
    return {group: stamp_of(lines) for group, lines in parts.items()}


def stamp_of(lines: Iterable[str]) -> str:
    """One short word that stands for some text."""
    return hashlib.sha256("\n".join(lines).encode()).hexdigest()[:16]


def count(project: Project) -> int:
    """How many questions are open, folded ones counted once."""
    return OpenQuestion.objects.filter(project=project).values("group").distinct().count()


@transaction.atomic
def save_rules(project: Project, rules: HouseRules, what: str, user: Any, base: int | None = None) -> RulesVersion:
    """Keep house rules as the project's newest version. Raises Overtaken when there is a newer version than `base`."""
    return append_version(project, RulesVersion, rules, what, user, base, "The house rules")


def _scene(ledgers: Mapping[str, Ledger], reader: Reader, facts: Facts, open_files: Iterable[SourceFile] = ()) -> Scene:
    """Some sets, with their files, and some open files, as the core asks about them."""
    loose = {str(file.pk): file for file in open_files}
    files = facts.of([*(file for ledger in ledgers.values() for file in ledger.files()), *loose])
    return Scene(ledgers, files, tuple(_open_file(file, files[key]) for key, file in loose.items()), reader)


def _ledgers(sets: QuerySet[TextureSet]) -> dict[str, Ledger]:
    return {str(texture_set.pk): texture_set.ledger for texture_set in sets}


def _open_file(file: SourceFile, facts: FileFacts) -> OpenFile:
    """What sorting found of an open file; of one that was never sorted since it became open, that it stands alone."""
    if file.open_json:
        return OpenFile(**(file.open_json | {"file": str(file.pk), "path": file.path}))
    why = file.why_open or "It belongs to no set."
    return OpenFile(str(file.pk), why, None, "unclear", home=home_folder(file.path), path=file.path, look=look_of(facts))


def _about_sets(project: Project, ids: Collection[int], reader: Reader, facts: Facts) -> list[Question]:
    scene = _scene(_ledgers(TextureSet.objects.filter(project=project, pk__in=ids)), reader, facts)
    return [entry for key in scene.ledgers for entry in ask_about_set(scene, key)]


def _about_files(
    project: Project, reader: Reader, homes: Collection[str] | None, kinds: Collection[str], facts: Facts
) -> list[Question]:
    """What is open about files of no set: classes of these kinds, and single ones of these homes (None for all). Pictures are
    looked at only where a question names them one by one."""
    loose = SourceFile.objects.filter(project=project, set__isnull=True, set_aside=False)
    told = loose.filter(open_json__kind__in=[*kinds, *SINGLE])
    known = told.values_list("pk", "path", "open_json")
    entries = [OpenFile(**(body | {"file": str(key), "path": path})) for key, path, body in known]
    classes = tuple(entry for entry in entries if entry.kind not in SINGLE)
    alone = [int(entry.file) for entry in entries if entry.kind in SINGLE]
    single = loose.filter(Q(open_json__isnull=True) | Q(pk__in=alone)).defer("facts_json")
    rows = list(single if homes is None else single.filter(home__in=homes))
    around = TextureSet.objects.filter(project=project, files__home__in={file.home for file in rows}).distinct() if rows else None
    scene = _scene(_ledgers(around) if around else {}, reader, facts, rows)
    every = Scene(scene.ledgers, scene.files, (*classes, *scene.open), reader)
    return list(ask_about_files(every))


def _about_names(project: Project, facts: Facts) -> list[Question]:
    names: dict[str, list[int]] = defaultdict(list)
    for key, name in TextureSet.objects.filter(project=project).order_by("pk").values_list("pk", "name"):
        names[name.casefold()].append(key)
    doubled = [key for keys in names.values() if len(keys) > 1 for key in keys]
    ledgers = _ledgers(TextureSet.objects.filter(pk__in=doubled).order_by("pk"))
    # What counts of each is its first file.
    first = facts.light([file for ledger in ledgers.values() for file in ledger.files()[:1]])
    return list(same_names_asked(Scene(ledgers, first)))


def _about_doubles(project: Project, among: Collection[int] | None, facts: Facts) -> list[Question]:
    """What is open about copies: about those among these files, or about all."""
    # A copy by its name has a question of its own, and a flattened map may well be what it was made from.
    files = SourceFile.objects.filter(project=project, set_aside=False)
    told = files.filter(Q(open_json__kind="copy") | Q(set__origin_json__way="flattened")).values("pk")
    files = files.exclude(pk__in=told)
    files = files if among is None else files.filter(pk__in=among)
    repeated = files.values("blob_id").annotate(copies=Count("pk")).filter(copies__gt=1).values("blob_id")
    alike = dict(files.filter(blob_id__in=repeated).values_list("pk", "set"))
    ledgers = _ledgers(TextureSet.objects.filter(pk__in={home for home in alike.values() if home}))
    return list(doubles_asked(Scene(ledgers, facts.light([str(key) for key in alike]))))


def _about_near_doubles(project: Project, among: Collection[int], facts: Facts) -> list[Question]:
    """What is open about files that look nearly alike, one of each pair among these. Only files of the same use are compared."""
    made = set(TextureSet.objects.filter(project=project, origin_json__way="flattened").values_list("pk", flat=True))
    uses = {file: Use(str(home), prop) for home, prop, file in uses_of(project) if home not in made}
    asked = {str(file) for file in among}
    properties = {use.property for file, use in uses.items() if file in asked}
    files = facts.light([file for file, use in uses.items() if use.property in properties])
    return list(near_doubles_asked(files.values(), uses, asked))


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
