"""Finding files of a project by words."""

from __future__ import annotations

from django.db.models import Q
from django.db.models.query import QuerySet

from texelweb.projects.models import Project
from texelweb.sets.models import SourceFile

MOST_WORDS = 12


def search(project: Project, text: str) -> QuerySet[SourceFile]:
    """The files of a project that have all words of a text in their path or their set's name, or have such samples ("u8"), or are
    so many texels wide or high."""
    found = SourceFile.objects.filter(project=project)
    for word in text.split()[:MOST_WORDS]:
        meant = Q(path__icontains=word) | Q(set__name__icontains=word) | Q(facts_json__sample=word.lower())
        if word.isdecimal() and len(word) <= 5:
            meant |= Q(facts_json__width=int(word)) | Q(facts_json__height=int(word))
        found = found.filter(meant)
    return found
