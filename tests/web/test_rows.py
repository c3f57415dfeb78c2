"""Many rows at once: what is written is what was meant, and nothing else."""

from __future__ import annotations

from typing import Any

from texelweb.projects.models import Project
from texelweb.sets.models import SourceFile, TextureSet
from texelweb.storage.models import Blob
from texelweb.storage.rows import update_many

UGLY = {"name": 'a "quoted" \\ {brace} оконо', "empty": None, "list": [1, 2.5, "x"]}


def test_many_rows_are_written_at_once_and_others_left_alone(project: Project, django_assert_num_queries: Any) -> None:
    blob = Blob.objects.create(sha256="0" * 64, bytes=1)
    rows = [
        SourceFile(project=project, path=f"{n}.png", path_key=f"{n}.png", blob=blob, facts_json={"n": n}, why_open="?")
        for n in range(5)
    ]
    SourceFile.objects.bulk_create(rows)
    for row in rows[:3]:
        row.why_open, row.open_json, row.set_aside = "It says 'no'; -- \"why\"", UGLY, True
        row.facts_json = {"not": "written"}
    rows[2].open_json = None
    with django_assert_num_queries(1):
        update_many(rows[:3], ["why_open", "open_json", "set_aside"])
    update_many([], ["why_open"])
    found = list(SourceFile.objects.order_by("pk").values_list("why_open", "open_json", "set_aside", "facts_json"))
    assert found[:2] == [("It says 'no'; -- \"why\"", UGLY, True, {"n": n}) for n in range(2)]
    assert found[2] == ("It says 'no'; -- \"why\"", None, True, {"n": 2})
    assert SourceFile.objects.filter(open_json__isnull=True).count() == 3
    assert found[3:] == [("?", None, False, {"n": n}) for n in (3, 4)]


def test_a_related_row_that_was_saved_later_is_known(project: Project) -> None:
    blob = Blob.objects.create(sha256="0" * 64, bytes=1)
    file = SourceFile.objects.create(project=project, path="a.png", path_key="a.png", blob=blob, facts_json={})
    file.set = TextureSet(project=project, name="oak", code="oak", ledger_json={})
    TextureSet.objects.bulk_create([file.set])
    update_many([file], ["set"])
    assert SourceFile.objects.get().set == TextureSet.objects.get()
