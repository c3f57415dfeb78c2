"""Stamps of rows: whatever is added, changed or removed changes them, and nothing else does."""

from __future__ import annotations

from collections.abc import Callable
from typing import Any

import pytest

from texelweb.projects.models import Membership, Project, Role
from texelweb.sets.models import OpenQuestion, TextureSet
from texelweb.storage.stamps import stamp_of_rows, stamps_by


def make(project: Project, name: str) -> TextureSet:
    return TextureSet.objects.create(project=project, name=name, code=name, ledger_json={"name": name})


@pytest.fixture
def sets(project: Project) -> list[TextureSet]:
    return [make(project, name) for name in ("oak", "elm", "ash")]


CHANGES: dict[str, Callable[[Project, list[TextureSet]], Any]] = {
    "a row more": lambda project, sets: make(project, "yew"),
    "a row less": lambda project, sets: sets[0].delete(),
    "a field": lambda project, sets: TextureSet.objects.filter(pk=sets[1].pk).update(target="orbit-desktop"),
    "a document": lambda project, sets: TextureSet.objects.filter(pk=sets[1].pk).update(ledger_json={"name": "elm", "rows": []}),
    "one for another": lambda project, sets: (sets[0].delete(), make(project, "yew")),
    "two at once": lambda project, sets: TextureSet.objects.filter(pk__in=[texture_set.pk for texture_set in sets[:2]]).update(
        edit=5
    ),
}


@pytest.mark.parametrize("what", CHANGES)
def test_any_change_of_a_row_changes_the_stamp(project: Project, sets: list[TextureSet], what: str) -> None:
    rows = TextureSet.objects.filter(project=project)
    before = stamp_of_rows(rows)
    assert stamp_of_rows(rows) == before, "nothing changes it but a change"
    CHANGES[what](project, sets)
    assert stamp_of_rows(rows) != before


def test_there_and_back_is_still_a_change_seen_in_between(project: Project, sets: list[TextureSet]) -> None:
    rows, seen = TextureSet.objects.filter(project=project), set()
    for target in ("a", "b", "a", "b"):
        TextureSet.objects.filter(pk=sets[0].pk).update(target=target)
        seen.add(stamp_of_rows(rows))
    # A row that has its old value again is another version of it: it is looked at once more, never once too little.
    assert len(seen) == 4


def test_rows_of_others_do_not_count_and_several_tables_do(project: Project, sets: list[TextureSet], users: Any) -> None:
    other = Project.objects.create(slug="other", code="ot", title="Other", target="orbit-desktop")
    rows = (TextureSet.objects.filter(project=project), Membership.objects.filter(project=project))
    before = stamp_of_rows(*rows)
    make(other, "oak")
    assert stamp_of_rows(*rows) == before
    Membership.objects.filter(project=project, user=users["guest"]).update(role=Role.ARTIST)
    assert stamp_of_rows(*rows) != before
    empty = Project.objects.none()
    assert isinstance(stamp_of_rows(empty, *rows), str)


def test_in_groups_only_the_group_that_changed_has_another_stamp(project: Project, sets: list[TextureSet]) -> None:
    rows = OpenQuestion.objects.filter(project=project).exclude(set=None)

    def ask(owner: TextureSet, key: str) -> OpenQuestion:
        return OpenQuestion.objects.create(project=project, key=key, kind="ending", rank=1, set=owner, question_json={})

    first = [ask(owner, owner.code) for owner in sets[:2]]
    before = stamps_by(rows, "set")
    assert set(before) == {sets[0].pk, sets[1].pk}
    ask(sets[2], "more")
    OpenQuestion.objects.filter(pk=first[0].pk).update(rank=2)
    after = stamps_by(rows, "set")
    assert after[sets[1].pk] == before[sets[1].pk]
    assert after[sets[0].pk] != before[sets[0].pk] and sets[2].pk in after
    # A table that the rows are joined with counts where it is said.
    joined = rows.select_related("set").filter(set__project=project)
    plain, along = stamps_by(joined, "set"), stamps_by(joined, "set", [TextureSet])
    TextureSet.objects.filter(pk=sets[0].pk).update(target="orbit-desktop")
    assert stamps_by(joined, "set") == plain and stamps_by(joined, "set", [TextureSet]) != along
