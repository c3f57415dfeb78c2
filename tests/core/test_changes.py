"""Taking one change of a document back while others stay."""

from __future__ import annotations

import pytest
from hypothesis import given
from hypothesis import strategies as st

from texelcore.surface.changes import Conflict, carried_over, differing, narrowed

parts = st.one_of(st.none(), st.integers(0, 3), st.lists(st.integers(0, 2), max_size=2))
rows = st.dictionaries(st.sampled_from(["normal", "height", "roughness"]), parts)
documents = st.fixed_dictionaries({"name": parts, "rows": rows}, optional={"origin": parts, "values": rows})


@given(documents, documents)
def test_a_change_is_done_and_taken_back(before: dict, after: dict) -> None:
    assert carried_over(before, before, after) == after
    assert carried_over(after, after, before) == before
    # What is kept of a change is enough for both.
    old, new = narrowed(before, after)
    assert carried_over(before, old, new) == after
    assert carried_over(after, new, old) == before


@given(documents, documents)
def test_nothing_differs_just_when_documents_are_alike(first: dict, second: dict) -> None:
    assert (differing(first, second) == {}) == (first == second)
    assert differing(first, first) == {}


@given(documents, documents, documents)
def test_what_others_changed_stays(start: dict, mine: dict, theirs: dict) -> None:
    own, others = differing(start, mine), differing(start, theirs)
    # Only changes of different parts, none of which is around another, leave each other alone.
    apart = not any(one[: len(two)] == two or two[: len(one)] == one for one in own for two in others)
    if apart:
        both = carried_over(carried_over(start, start, mine), start, theirs)
        assert carried_over(both, mine, start) == theirs
    clash = [path for path in own if path in others and own[path][1] != others[path][1]]
    if clash:
        with pytest.raises(Conflict):
            carried_over(theirs, mine, start)


def test_a_conflict_names_the_part() -> None:
    with pytest.raises(Conflict) as raised:
        carried_over({"rows": {"normal": 3}}, {"rows": {"normal": 2}}, {"rows": {"normal": 1}})
    assert raised.value.path == ("rows", "normal")
