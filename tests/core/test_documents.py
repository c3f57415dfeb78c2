"""Documents that are kept by the thousand share what they remember of their fields, and are no others for it."""

from __future__ import annotations

from texelcore.surface.documents import packed_tight
from texelcore.targets.library import find_target


def test_what_is_packed_tight_is_the_same_and_its_copies_are_their_own() -> None:
    target, other = find_target("orbit-desktop"), find_target("orbit-desktop").model_copy(deep=True)
    before = target.model_dump_json(exclude_unset=True)
    packed_tight(({"first": target}, other))
    first, second = target.outputs[0], other.outputs[0]
    assert first.__pydantic_fields_set__ is second.__pydantic_fields_set__
    unset = next(name for name in type(first).model_fields if name not in first.model_fields_set)
    changed = first.model_copy(update={unset: getattr(first, unset)})
    assert unset in changed.model_fields_set and unset not in first.model_fields_set
    assert target.model_dump_json(exclude_unset=True) == before == other.model_dump_json(exclude_unset=True)
