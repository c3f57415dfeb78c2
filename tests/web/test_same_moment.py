"""What happens at the same moment: a re-export during a proof, two people at one row, two who rename into one name."""

from __future__ import annotations

import io
import subprocess
import sys
from collections.abc import Callable, Sequence
from concurrent.futures import ThreadPoolExecutor
from contextlib import closing
from pathlib import Path
from threading import Barrier
from typing import Any

import numpy as np
import pytest
from django.core.files.storage import default_storage
from django.db import connection, connections
from PIL import Image

from tests.web.conftest import Caller, run_queued
from texelcore.codecs.dds import read_dds
from texelcore.codecs.texture import decode
from texelweb.builds import prove
from texelweb.builds.models import Proof
from texelweb.sets.arrivals.sorting import renew
from texelweb.sets.models import SourceFile, TextureSet
from texelweb.storage.blobs import keep

TARGET = {"target": "orbit-desktop"}


def flat(level: int) -> bytes:
    """A picture of one grey."""
    file = io.BytesIO()
    Image.fromarray(np.full((16, 16, 3), level, np.uint8)).save(file, "PNG")
    return file.getvalue()


def test_a_re_export_during_a_proof_is_proved_under_its_own_key(
    artist: Caller, tmp_path: Path, monkeypatch: pytest.MonkeyPatch
) -> None:
    """A proof belongs to the picture that was planned, whatever arrives while it is being made."""
    artist.send("weir", {"oak/oak_albedo.png": flat(64), "oak/oak_normal.png": flat(128)})
    oak = TextureSet.objects.get()
    artist.ask("PUT", f"/sets/{oak.pk}/storage/colour", {"format": "rgba8", "srgb": True, "mips": False})
    look = prove.state_of
    came: list[str] = []

    def export_again_after(*asked: Any) -> Any:
        state = look(*asked)
        if not came:
            (tmp_path / "again.png").write_bytes(flat(200))
            blob = keep(tmp_path / "again.png")
            file = SourceFile.objects.get(path="oak/oak_albedo.png")
            renew(file, blob.sha256, file.facts_json | {"sha256": blob.sha256}, "Exported again", None)
            came.append(blob.sha256)
        return state

    monkeypatch.setattr(prove, "state_of", export_again_after)

    def colours() -> list[int]:
        textures = []
        for proof in Proof.objects.order_by("created"):
            with default_storage.open(proof.blob.place) as file:
                textures.append(read_dds(file.read(), "x"))
        return [int(decode(texture)[0, 0, 0]) for texture in textures if texture.format == "rgba8"]

    artist.ask("POST", f"/sets/{oak.pk}/proofs", TARGET)
    run_queued()
    assert came and colours() == [64]
    assert not artist.get(f"/sets/{oak.pk}")["build"]["current"]
    artist.ask("POST", f"/sets/{oak.pk}/proofs", TARGET)
    run_queued()
    assert colours() == [64, 200] and artist.get(f"/sets/{oak.pk}")["proved"]


Body = Callable[..., bytes]
at_once_for_real = pytest.mark.django_db(transaction=True)


def at_once(*acts: Callable[[], Any]) -> list[Any]:
    """Do all of it at the same moment, each in a thread with a database connection of its own; what each answered."""
    ready = Barrier(len(acts))

    def one(act: Callable[[], Any]) -> Any:
        try:
            ready.wait()
            return act()
        finally:
            connections.close_all()

    with ThreadPoolExecutor(len(acts)) as pool:
        return list(pool.map(one, acts))


def statuses(answers: Sequence[Any]) -> list[int]:
    return sorted(answer.status_code for answer in answers)


def test_two_people_at_one_row_are_told_of_each_other(artist: Caller, lead: Caller, body: Body) -> None:
    artist.send("weir", {"oak/oak_albedo.png": body(), "oak/oak_rough.png": body(seed=2)})
    where = f"/sets/{TextureSet.objects.get().pk}"
    seen = artist.get(where)["edit"]
    mine = artist.ask("DELETE", f"{where}/rows/roughness?seen={seen}")
    assert mine["edit"] == seen + 1
    late = lead("DELETE", f"{where}/rows/base_colour?seen={seen}")
    assert late.status_code == 409 and late.json()["overtaken"] and "artist: Roughness cleared" in late.json()["problem"]
    assert lead.get(where)["lines"][0]["row"], "nothing was done"
    # The lead has looked and does it all the same; each undoes their own step, whatever the other did since.
    lead.ask("DELETE", f"{where}/rows/base_colour?seen={seen + 1}")
    assert artist.ask("POST", "/projects/weir/undo")["step"]["what"] == "Roughness cleared"
    assert not lead.get(where)["lines"][0]["row"]
    assert lead.ask("POST", "/projects/weir/undo")["step"]["what"] == "Base colour cleared"
    assert lead.get(where)["lines"][0]["row"]
    # What one has done oneself, in another tab say, overtakes nobody.
    assert artist("PATCH", f"{where}?seen={seen}", {"target": "millrace-handheld"}).status_code == 409
    now = lead.get(where)["edit"]
    lead.ask("PATCH", f"{where}?seen={now}", {"target": "millrace-handheld"})
    lead.ask("PATCH", f"{where}?seen={now}", {"target": "orbit-desktop"})


def test_a_refused_change_saves_nothing_of_it(artist: Caller, body: Body) -> None:
    artist.send("weir", {"oak/oak_albedo.png": body()})
    oak = TextureSet.objects.get()
    assert artist("PATCH", f"/sets/{oak.pk}", {"target": "millrace-handheld", "name": " "}).status_code == 409
    oak.refresh_from_db()
    assert oak.target == "" and oak.edit == 0


def test_values_of_a_variant_and_house_rules_are_overtaken_too(artist: Caller, lead: Caller, body: Body) -> None:
    artist.send("weir", {"oak/oak_albedo.png": body()})
    made = artist.ask("POST", f"/sets/{TextureSet.objects.get().pk}/variants", {"master": "solid-surface"})
    where = f"/variants/{made['id']}?seen={made['edit']}"
    artist.ask("PATCH", where, {"values": {"tiling": 2.0}})
    late = lead("PATCH", where, {"values": {"tiling": 3.0}})
    assert late.status_code == 409 and late.json()["overtaken"] and "by artist" in late.json()["problem"]
    assert lead.ask("PATCH", f"/variants/{made['id']}?seen={made['edit'] + 1}", {"values": {}})["values"] == {}


@at_once_for_real
def test_who_waits_for_a_row_too_long_is_told_so(artist: Caller, body: Body) -> None:
    artist.send("weir", {"oak/oak_albedo.png": body()})
    oak = TextureSet.objects.get()
    other = connection.copy()
    other.set_autocommit(False)
    with closing(other), other.cursor() as holds, connection.cursor() as cursor:
        holds.execute(f"SELECT 1 FROM {TextureSet._meta.db_table} FOR UPDATE")
        cursor.execute("SET lock_timeout = '50ms'")
        late = artist("DELETE", f"/sets/{oak.pk}/rows/base_colour?seen={oak.edit}")
        cursor.execute("RESET lock_timeout")
    assert late.status_code == 503 and "waited" in late.json()["problem"], late.content
    # The server's processes ask for such an end.
    asked = (
        "import texelweb.wsgi; from django.db import connection as c; print(c.cursor().execute('SHOW lock_timeout').fetchone())"
    )
    assert "30s" in subprocess.check_output([sys.executable, "-c", asked], text=True)


@at_once_for_real
def test_of_two_edits_from_one_page_at_one_moment_one_is_told_of_the_other(artist: Caller, lead: Caller, body: Body) -> None:
    artist.send("weir", {"oak/oak_albedo.png": body(), "oak/oak_rough.png": body(seed=2)})
    where = f"/sets/{TextureSet.objects.get().pk}"
    answers = at_once(
        lambda: artist("DELETE", f"{where}/rows/roughness?seen=0"),
        lambda: lead("DELETE", f"{where}/rows/base_colour?seen=0"),
    )
    assert statuses(answers) == [200, 409]
    rules = lead.get("/projects/weir/rules")

    def keep(longest: int) -> Any:
        changed = {"base": rules["version"], "rules": rules["rules"] | {"longest": longest}, "what": "Longer"}
        return lead("PUT", "/projects/weir/rules", changed)

    assert statuses(at_once(*(lambda n=n: keep(n) for n in (70, 71, 72)))) == [200, 409, 409]
    # One and the same, sent again since its answer was lost, is kept once.
    newest = lead.get("/projects/weir/rules")["version"]
    again = {"base": rules["version"], "rules": lead.get("/projects/weir/rules")["rules"], "what": "Longer"}
    assert lead.ask("PUT", "/projects/weir/rules", again)["version"] == newest


@at_once_for_real
def test_one_name_given_many_times_at_one_moment_is_no_fault(artist: Caller, lead: Caller, body: Body) -> None:
    artist.send("weir", {f"{name}/{name}_albedo.png": body(seed=len(name)) for name in ("oak", "alder", "spruce")})
    first, second, third = TextureSet.objects.order_by("pk")
    made = at_once(*[lambda: artist("POST", "/projects/weir/sets", {"name": "Larch"})] * 4)
    assert statuses(made) == [200] * 4
    named = at_once(
        *(lambda pk=pk: artist("PATCH", f"/sets/{pk}", {"name": "Larch"}) for pk in (first.pk, second.pk)),
        *(lambda: lead("POST", f"/sets/{third.pk}/variants", {"master": "solid-surface", "name": "Larch"}) for _ in range(3)),
    )
    assert statuses(named) == [200, 200, 200, 409, 409]
    assert len(set(TextureSet.objects.values_list("code", flat=True))) == 7
    file = SourceFile.objects.get(path="oak/oak_albedo.png")
    artist.send("weir", {"oak/oak_albedo.png": body(seed=77)})
    back = at_once(*[lambda: artist("POST", f"/files/{file.pk}/revisions/1/bring-back")] * 3)
    assert statuses(back) == [200, 409, 409]
