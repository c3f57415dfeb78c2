"""One file is picked, and its siblings follow into a set; or it goes alone."""

from __future__ import annotations

from collections.abc import Callable
from typing import Any

import pytest

from tests.core.test_sort import facts
from tests.web.conftest import Caller
from texelcore.sorting.gather import gather, siblings_of
from texelweb.sets.models import OpenQuestion, SourceFile, TextureSet

Body = Callable[..., bytes]


@pytest.mark.parametrize(
    ("picked", "expected"),
    [
        ("quay/bollard_r.png", {"quay/bollard_x.png", "quay/textures/bollard_diff.png"}),
        ("quay/crate_01_x.png", {"quay/crate_01_n.png"}),
        ("quay/crate_02_x.png", {"quay/crate_02_n.png"}),
        ("other/bollard_r.png", set()),
        ("quay/alone.png", set()),
    ],
)
def test_siblings_share_folder_and_stem(picked: str, expected: set[str]) -> None:
    names = ("bollard_r", "bollard_x", "textures/bollard_diff", "crate_01_x", "crate_01_n", "crate_02_x", "crate_02_n", "alone")
    every = [facts(f"quay/{name}.png") for name in names] + [facts("other/bollard_r.png")]
    (start,) = (entry for entry in every if entry.path == picked)
    assert {entry.path for entry in siblings_of(start, every)} == expected


def test_what_is_put_together_counts_with_weak_names_and_what_says_nothing_waits() -> None:
    ledger = gather([facts("quay/bollard_r.png"), facts("quay/bollard_x.png")])
    assert ledger.name == "bollard" and [row.property for row in ledger.rows] == ["roughness"]
    (left,) = ledger.left_out
    assert left.file == "quay/bollard_x.png" and "does not say" in left.why
    assert gather([facts("quay/bollard_r.png")], name="Mooring").name == "Mooring"


@pytest.fixture
def apart(artist: Caller, body: Body) -> Any:
    """A removed set's files, and one file that nothing was known of."""
    artist.send(
        "weir", {f"quay/quay_{word}.png": body(seed=number) for number, word in enumerate(("albedo", "rough", "ao", "x"))}
    )
    artist("DELETE", f"/sets/{TextureSet.objects.get().pk}")
    return artist.get(f"/files/{SourceFile.objects.get(path='quay/quay_albedo.png').pk}")


def test_a_picked_file_takes_its_siblings_along(artist: Caller, guest: Caller, apart: Any) -> None:
    assert apart["siblings"] == ["quay/quay_ao.png", "quay/quay_rough.png", "quay/quay_x.png"]
    assert guest("POST", f"/files/{apart['id']}/take", {}).status_code == 403
    made = artist.ask("POST", f"/files/{apart['id']}/take", {})
    assert made["name"] == "quay" and {line["property"] for line in made["lines"] if line["row"]} == {
        "base_colour",
        "roughness",
        "occlusion",
    }
    assert SourceFile.objects.filter(set=made["id"], set_aside=False).count() == 4
    assert not OpenQuestion.objects.filter(kind="unnamed").exists()
    assert artist("POST", f"/files/{apart['id']}/take", {}).status_code == 409


def test_or_it_goes_alone_into_a_set_that_is_there(artist: Caller, body: Body, apart: Any) -> None:
    artist.send("weir", {"elm_rough.png": body(seed=9), "elm_metal.png": body(seed=8)})
    elm = TextureSet.objects.get()
    joined = artist.ask("POST", f"/files/{apart['id']}/take", {"set": elm.pk, "siblings": False})
    assert joined["id"] == elm.pk and artist.get("/projects/weir/steps")["undo"]["what"] == "Gathered by hand"
    assert SourceFile.objects.filter(set=None).count() == 3
    # Undone like any other change: the file is out of the set again.
    artist.ask("POST", "/projects/weir/undo")
    assert SourceFile.objects.filter(set=None).count() == 4
    assert artist("POST", f"/files/{apart['id']}/take", {"set": 999_999}).status_code == 404
    assert artist("POST", f"/files/{apart['id']}/take", {"name": "x" * 99}).status_code == 409
