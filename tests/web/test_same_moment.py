"""What happens at the same moment: a re-export during a proof, two people at one row, two who rename into one name."""

from __future__ import annotations

import io
from pathlib import Path
from typing import Any

import numpy as np
import pytest
from django.core.files.storage import default_storage
from PIL import Image

from tests.web.conftest import Caller, run_queued
from texelcore.codecs.dds import read_dds
from texelcore.codecs.texture import decode
from texelweb.builds import prove
from texelweb.builds.models import Proof
from texelweb.sets.models import SourceFile, TextureSet
from texelweb.sets.sorting import renew
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
