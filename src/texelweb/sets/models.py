"""Source files, arrivals, texture sets and the history of their ledgers."""

from __future__ import annotations

import uuid
from typing import Any

from django.conf import settings
from django.contrib.postgres.fields import ArrayField
from django.db import models
from django.utils import timezone

from texelcore.sorting.questions import Question
from texelcore.surface.files import FileFacts
from texelcore.surface.ledger import Ledger
from texelcore.surface.origin import Origin
from texelweb.jobs.models import Job
from texelweb.projects.models import Project
from texelweb.storage.models import Blob
from texelweb.storage.rows import DocumentField


class Present(models.Manager[Any]):
    """What was not removed. Removed things are kept aside for a while (record), and are nowhere to be seen."""

    def get_queryset(self) -> models.QuerySet[Any]:
        """All that is there."""
        return super().get_queryset().filter(removed=None)


class Folder(models.Model):
    """A place for sets inside a project. Folders nest; names differ inside one folder, letter case aside (sets.folders)."""

    project = models.ForeignKey(Project, on_delete=models.CASCADE, related_name="folders")
    parent = models.ForeignKey("self", null=True, on_delete=models.CASCADE, related_name="folders")
    name = models.CharField(max_length=80)
    # When it was removed: a step of the record may bring it back.
    removed = models.DateTimeField(null=True)


class TextureSet(models.Model):
    """The maps of one surface. `ledger` is a core Ledger whose file ids are SourceFile ids."""

    project = models.ForeignKey(Project, on_delete=models.CASCADE, related_name="sets")
    name = models.CharField(max_length=200)
    code = models.CharField(max_length=64)
    target = models.CharField(max_length=64, blank=True)
    folder = models.ForeignKey(Folder, null=True, on_delete=models.SET_NULL, related_name="sets")
    tags = ArrayField(models.CharField(max_length=40), default=list)
    ledger_json = DocumentField()
    # Where the maps came from and under what terms: a core Origin.
    origin_json = models.JSONField(null=True, blank=True)
    # A mesh to see the maps on, as it came.
    mesh = models.ForeignKey(Blob, null=True, on_delete=models.PROTECT)
    mesh_name = models.CharField(max_length=120, blank=True)
    revision = models.IntegerField(default=1)
    # The number of its newest edit, of whatever kind. Unlike the revision it only grows, so that it says what a person has seen.
    edit = models.IntegerField(default=0)
    # Who changed it last, and when.
    touched_by = models.ForeignKey(settings.AUTH_USER_MODEL, null=True, on_delete=models.SET_NULL, related_name="+")
    touched = models.DateTimeField(default=timezone.now)
    created = models.DateTimeField(auto_now_add=True)
    # When it was removed: it is kept aside for a while.
    removed = models.DateTimeField(null=True)

    objects = Present()
    everything = models.Manager()

    class Meta:
        constraints = [
            models.UniqueConstraint(fields=["project", "code"], condition=models.Q(removed=None), name="one_code_per_project")
        ]

    @property
    def ledger(self) -> Ledger:
        """The ledger as the core's document."""
        return Ledger.model_validate(self.ledger_json)

    @property
    def origin(self) -> Origin | None:
        """The set's origin as the core's document, where it is known."""
        return Origin.model_validate(self.origin_json) if self.origin_json else None

    @property
    def target_name(self) -> str:
        """The set's own target, or the project's."""
        return self.target or self.project.target


class MeshRevision(models.Model):
    """A set's own mesh as it came at a time. The set says which of them it is shown on."""

    set = models.ForeignKey(TextureSet, on_delete=models.CASCADE, related_name="meshes")
    number = models.IntegerField()
    blob = models.ForeignKey(Blob, on_delete=models.PROTECT, related_name="+")
    name = models.CharField(max_length=120)
    by = models.ForeignKey(settings.AUTH_USER_MODEL, null=True, on_delete=models.SET_NULL, related_name="+")
    created = models.DateTimeField(auto_now_add=True)

    class Meta:
        constraints = [models.UniqueConstraint(fields=["set", "number"], name="one_mesh_revision_per_number")]


class LedgerRevision(models.Model):
    """One state of a set's ledger; the newest is what holds."""

    set = models.ForeignKey(TextureSet, on_delete=models.CASCADE, related_name="revisions")
    number = models.IntegerField()
    ledger_json = DocumentField()
    what = models.CharField(max_length=300)
    by = models.ForeignKey(settings.AUTH_USER_MODEL, null=True, on_delete=models.SET_NULL)
    at = models.DateTimeField(auto_now_add=True)

    class Meta:
        constraints = [models.UniqueConstraint(fields=["set", "number"], name="one_revision_per_number")]

    @property
    def ledger(self) -> Ledger:
        """The ledger as the core's document."""
        return Ledger.model_validate(self.ledger_json)


class SetEdit(models.Model):
    """One change of a set: what somebody who changes it at the same moment is told."""

    set = models.ForeignKey(TextureSet, on_delete=models.CASCADE, related_name="edits")
    number = models.IntegerField()
    what = models.CharField(max_length=300)
    by = models.ForeignKey(settings.AUTH_USER_MODEL, null=True, on_delete=models.SET_NULL)
    at = models.DateTimeField(auto_now_add=True)

    class Meta:
        constraints = [models.UniqueConstraint(fields=["set", "number"], name="one_edit_per_number")]


class SetNote(models.Model):
    """What somebody wrote beside a set, for everybody who works on it."""

    set = models.ForeignKey(TextureSet, on_delete=models.CASCADE, related_name="notes")
    text = models.CharField(max_length=1000)
    by = models.ForeignKey(settings.AUTH_USER_MODEL, null=True, on_delete=models.SET_NULL, related_name="+")
    at = models.DateTimeField(default=timezone.now)
    # When it was removed: a step of the record may bring it back.
    removed = models.DateTimeField(null=True)


class Arrival(models.Model):
    """One drop of files: what came, and what became of each."""

    class State(models.TextChoices):
        OPEN = "open"
        SORTING = "sorting"
        DONE = "done"

    id = models.UUIDField(primary_key=True, default=uuid.uuid4, editable=False)
    project = models.ForeignKey(Project, on_delete=models.CASCADE, related_name="arrivals")
    by = models.ForeignKey(settings.AUTH_USER_MODEL, null=True, on_delete=models.SET_NULL)
    state = models.CharField(max_length=8, choices=State.choices, default=State.OPEN)
    job = models.ForeignKey(Job, null=True, on_delete=models.SET_NULL, related_name="+")
    # The page that sends it, when that was last heard of, and how many files it means to send.
    page = models.CharField(max_length=64, blank=True)
    beat = models.DateTimeField(default=timezone.now)
    announced = models.IntegerField(default=0)
    # Sets that this arrival makes take their origin from here.
    origin_json = models.JSONField(null=True, blank=True)
    created = models.DateTimeField(auto_now_add=True)


class ProjectModel(models.Model):
    """A model of a project that its sets are looked at on, as it came (glTF, OBJ), read by browsers alone. `parts_json` says what
    each part wears, by the part's name: {"set": id}, {"variant": id}, or {"own": true} for what the file itself says."""

    project = models.ForeignKey(Project, on_delete=models.CASCADE, related_name="models")
    name = models.CharField(max_length=120)
    blob = models.ForeignKey(Blob, on_delete=models.PROTECT, related_name="+")
    file_name = models.CharField(max_length=120)
    parts_json = models.JSONField(default=dict)
    # The number of its newest edit; it only grows.
    edit = models.IntegerField(default=1)
    created = models.DateTimeField(auto_now_add=True)
    # When it was removed: a step of the record may bring it back.
    removed = models.DateTimeField(null=True)

    everything = models.Manager()
    objects = Present()

    @property
    def shown(self) -> ModelRevision:
        """The revision that is shown: the newest, or an older one that was brought back."""
        return max((entry for entry in self.revisions.all() if entry.blob_id == self.blob_id), key=lambda entry: entry.number)


class ModelRevision(models.Model):
    """A model's file as it came at a time; the newest is the one that is shown."""

    model = models.ForeignKey(ProjectModel, on_delete=models.CASCADE, related_name="revisions")
    number = models.IntegerField()
    blob = models.ForeignKey(Blob, on_delete=models.PROTECT, related_name="+")
    file_name = models.CharField(max_length=120)
    # What lay beside an OBJ: its materials, as text.
    mtl = models.TextField(blank=True, default="")
    by = models.ForeignKey(settings.AUTH_USER_MODEL, null=True, on_delete=models.SET_NULL, related_name="+")
    created = models.DateTimeField(auto_now_add=True)

    class Meta:
        constraints = [models.UniqueConstraint(fields=["model", "number"], name="one_model_revision_per_number")]


class SourceFile(models.Model):
    """A file as it arrived. A re-export under the same path becomes a new revision; the old bytes stay in storage."""

    project = models.ForeignKey(Project, on_delete=models.CASCADE, related_name="files")
    path = models.CharField(max_length=1024)
    # Letter case folded: two paths that differ in nothing else would be one file on many systems.
    path_key = models.CharField(max_length=2048)
    # The folded path under which it first came: a re-export after a rename still comes under it.
    arrived_key = models.CharField(max_length=2048, db_index=True, default="")
    blob = models.ForeignKey(Blob, on_delete=models.PROTECT)
    facts_json = DocumentField()
    revision = models.IntegerField(default=1)
    set = models.ForeignKey(TextureSet, null=True, on_delete=models.SET_NULL, related_name="files")
    # The folder that its set goes by: what sorting has to look at when a file comes is what shares it.
    home = models.CharField(max_length=1024, db_index=True, default="", blank=True)
    why_open = models.TextField(blank=True)
    # What sorting found of a file that belongs to no set: a core OpenFile.
    open_json = DocumentField(null=True, blank=True)
    # Taken out of its set by hand: sorting must not put it back.
    set_aside = models.BooleanField(default=False)
    created = models.DateTimeField(auto_now_add=True)
    # When it was removed: it is kept aside for a while.
    removed = models.DateTimeField(null=True)

    objects = Present()
    everything = models.Manager()

    class Meta:
        constraints = [
            models.UniqueConstraint(fields=["project", "path_key"], condition=models.Q(removed=None), name="one_path_per_project")
        ]

    @property
    def facts(self) -> FileFacts:
        """The core's facts, under this row's id. They are checked once for as long as the row keeps its document and its path."""
        known = self.__dict__.get("_facts")
        if known and known[0] is self.facts_json and known[1:3] == (self.pk, self.path):
            return known[3]
        return self.knows(FileFacts.model_validate(self.facts_json | {"id": str(self.pk), "path": self.path}))

    def knows(self, facts: FileFacts) -> FileFacts:
        """Take facts that were checked already as those of this row's document; gives them under its id and path."""
        own = facts.model_copy(update={"id": str(self.pk), "path": self.path})
        self.__dict__["_facts"] = (self.facts_json, self.pk, self.path, own)
        return own


class FileRevision(models.Model):
    """One state of a source file: what it held from when on. Nothing is ever taken out of storage."""

    file = models.ForeignKey(SourceFile, on_delete=models.CASCADE, related_name="revisions")
    number = models.IntegerField()
    blob = models.ForeignKey(Blob, on_delete=models.PROTECT)
    facts_json = DocumentField()
    what = models.CharField(max_length=200)
    by = models.ForeignKey(settings.AUTH_USER_MODEL, null=True, on_delete=models.SET_NULL)
    at = models.DateTimeField(auto_now_add=True)

    class Meta:
        constraints = [models.UniqueConstraint(fields=["file", "number"], name="one_file_revision_per_number")]


class OpenQuestion(models.Model):
    """A question that sorting left to a person: a core Question, worst first by rank. Those with one `group` are folded into one
    when they are shown."""

    project = models.ForeignKey(Project, on_delete=models.CASCADE, related_name="questions")
    key = models.CharField(max_length=16)
    group = models.CharField(max_length=16, db_index=True, default="")
    kind = models.CharField(max_length=24)
    rank = models.IntegerField()
    set = models.ForeignKey(TextureSet, null=True, on_delete=models.CASCADE, related_name="questions")
    question_json = DocumentField()
    # Of the document: what is asked as it was is not written again.
    digest = models.CharField(max_length=64, default="")

    class Meta:
        constraints = [models.UniqueConstraint(fields=["project", "key"], name="one_question_per_key")]

    @property
    def question(self) -> Question:
        """The question as the core's document; sets and files go by their ids."""
        return Question.model_validate(self.question_json)

    def files(self) -> list[str]:
        """The ids of the files that it is about."""
        return list(self.question_json["files"])


class Settled(models.Model):
    """A question that a person has answered, or some of its members, with what it takes to undo the answer. What is among
    `members_json` is not asked again."""

    project = models.ForeignKey(Project, on_delete=models.CASCADE, related_name="settled")
    key = models.CharField(max_length=16)
    text = models.CharField(max_length=400)
    answer = models.CharField(max_length=200)
    members_json = models.JSONField(default=list)
    # One act may answer many questions alike; they are undone together.
    act = models.UUIDField(default=uuid.uuid4, db_index=True)
    undo_json = models.JSONField()
    by = models.ForeignKey(settings.AUTH_USER_MODEL, null=True, on_delete=models.SET_NULL)
    at = models.DateTimeField(auto_now_add=True)


class RenameAct(models.Model):
    """A rename plan that was applied: the core's lines. Undone as one step, while nothing else has moved the files."""

    project = models.ForeignKey(Project, on_delete=models.CASCADE, related_name="renames")
    lines_json = models.JSONField()
    by = models.ForeignKey(settings.AUTH_USER_MODEL, null=True, on_delete=models.SET_NULL)
    at = models.DateTimeField(auto_now_add=True)
    undone = models.DateTimeField(null=True)


class ArrivalItem(models.Model):
    """One file of an arrival. `staged` is where its bytes wait in storage until they are sorted."""

    class Outcome(models.TextChoices):
        WAITING = "waiting"
        ACCEPTED = "accepted"
        REPLACED = "replaced"
        KNOWN = "known"
        REFUSED = "refused"
        PASSED_OVER = "passed over"

    arrival = models.ForeignKey(Arrival, on_delete=models.CASCADE, related_name="items")
    path = models.CharField(max_length=1024)
    bytes = models.BigIntegerField(default=0)
    staged = models.CharField(max_length=64, blank=True)
    # What the sender says it is; for a file known by hash nothing is staged, and its bytes are taken from storage.
    sha256 = models.CharField(max_length=64, blank=True)
    outcome = models.CharField(max_length=16, choices=Outcome.choices, default=Outcome.WAITING)
    problem = models.TextField(blank=True)
    way_out = models.TextField(blank=True)
    file = models.ForeignKey(SourceFile, null=True, on_delete=models.SET_NULL, related_name="+")
