"""The project's own rules: licences, locks, and the house that it lives in."""

from __future__ import annotations

import json
import re
from importlib import metadata
from pathlib import Path

ROOT = Path(__file__).resolve().parents[2]
# SPDX names, and the older words that some packages still use, of licences that the Open Source Initiative approves.
OPEN = re.compile(
    r"\b(MIT|MIT-0|MIT-CMU|BSD|0BSD|BSD-[23]-Clause|ISC|HPND|Zlib|Unlicense|CC0-1\.0|OFL-1\.1|BlueOak-1\.0\.0|"
    r"Apache([ -](Software )?(License)?,? ?(Version )?2(\.0)?)?|MPL[- ]2\.0|Mozilla Public License|"
    r"PSF|PSF-2\.0|Python-2\.0|Python Software Foundation|Artistic License|Artistic-2\.0|"
    r"LGPL|LGPL-3\.0(-only|-or-later)?|GNU Lesser General Public)\b",
    re.IGNORECASE,
)
# Data, not code: browser tables and the like, under a free licence for data.
OPEN_DATA = {"caniuse-lite": "CC-BY-4.0"}


def licence_words(package: metadata.Distribution) -> str:
    said = package.metadata
    classifiers = [entry for entry in said.get_all("Classifier") or [] if entry.startswith("License")]
    short = (said.get("License") or "").strip().split("\n")[0]
    words = [word for word in (said.get("License-Expression"), short, *classifiers) if word]
    if not words:
        # Some packages ship the text alone; this is the first sentence of every BSD licence.
        texts = [file.read_text() for file in package.files or [] if "LICENSE" in file.name.upper()]
        words = ["BSD" for text in texts if text and "Redistribution and use in source and binary forms" in text]
    return " | ".join(words)


def locked_python() -> set[str]:
    lines = (ROOT / "requirements" / "dev.lock").read_text().splitlines()
    return {match.group(1).lower() for line in lines if (match := re.match(r"([A-Za-z0-9._-]+)==", line))}


def test_every_python_dependency_has_an_open_source_licence() -> None:
    installed = {entry.metadata["Name"].lower().replace("_", "-"): entry for entry in metadata.distributions()}
    looked = locked_python() & set(installed)
    assert len(looked) > 40
    closed = {name: licence_words(installed[name]) for name in looked if not OPEN.search(licence_words(installed[name]))}
    assert closed == {}


def test_every_npm_dependency_has_an_open_source_licence() -> None:
    lock = json.loads((ROOT / "web" / "package-lock.json").read_text())["packages"]
    closed = {}
    for place, entry in lock.items():
        name = place.rpartition("node_modules/")[2]
        licence = str(entry.get("license", ""))
        if place and not OPEN.search(licence) and OPEN_DATA.get(name) != licence:
            closed[place] = licence
    assert len(lock) > 100 and closed == {}
    # PrimeVue 5 and its themes from 3 on are no longer open source.
    assert lock["node_modules/primevue"]["version"].startswith("4.5.")
    assert lock["node_modules/@primeuix/themes"]["version"].startswith("2.")


def test_locks_are_pinned_hashed_and_name_no_address() -> None:
    for name in ("run.lock", "dev.lock", "node.lock"):
        text = (ROOT / "requirements" / name).read_text()
        packages = re.findall(r"^[A-Za-z0-9._-]+==[^\n]*\n((?: +--hash=sha256:[0-9a-f]{64}[^\n]*\n?)*)", text, re.MULTILINE)
        assert packages and all("--hash" in hashes for hashes in packages)
        assert "http" not in text
    npm = json.loads((ROOT / "web" / "package-lock.json").read_text())["packages"]
    assert all("resolved" not in entry for entry in npm.values())
    assert all("integrity" in entry for place, entry in npm.items() if place)


def test_no_module_outgrows_its_room() -> None:
    long = {path.name: len(path.read_text().splitlines()) for path in (ROOT / "src").rglob("*.py")}
    assert {name: count for name, count in long.items() if count > 400} == {}
