"""`fairtexel target`: the targets that ship, and documents in files: listed, shown, checked and compared."""

from __future__ import annotations

import json
import sys
import tempfile
from collections.abc import Iterator
from functools import partial
from pathlib import Path

from texelcli.exits import DONE, FOUND
from texelcli.reading import target_of
from texelcore.codecs.examples import unpack_dds
from texelcore.evidence.facts import facts_of
from texelcore.naming.templates import code_of
from texelcore.pixels.errors import TexelError
from texelcore.pixels.inspect import PICTURE_SUFFIXES
from texelcore.pixels.write import write_whole
from texelcore.targets.compare import channel_words, compare_targets
from texelcore.targets.example import ExampleFile, propose_target
from texelcore.targets.library import shipped_versions
from texelcore.targets.problems import doubts_of, problems_of


def list_targets(as_json: bool) -> int:
    """Print the targets that ship, with what each is for."""
    targets = list(shipped_versions().values())
    if as_json:
        print(json.dumps([target.model_dump(mode="json") for target in targets], ensure_ascii=False, indent=2))
        return DONE
    for target in targets:
        print(f"{target.reference:24} {target.title}: {target.summary}")
    return DONE


def show_target(name: str, as_json: bool) -> int:
    """Print a target as what it is: a row for each output, a cell for each channel."""
    target = target_of(name)
    if as_json:
        print(target.to_json(), end="")
        return DONE
    print(f"{target.title} ({target.reference}), normals {target.normal_y.replace('-', '−')}")
    print(f"{target.summary}\n")
    for output in target.outputs:
        kind = f"{output.file_format.upper()} {output.sample}, {output.encoding}"
        stored = f"{output.storage.format.upper()}{' sRGB' if output.storage.srgb else ''}"
        print(f"{output.title} (“{output.suffix}”), {kind}, stored as {stored}")
        for channel in output.channels:
            print(f"  {channel.channel}  {channel_words(channel)}")
    return DONE


def check_target(path: Path, as_json: bool) -> int:
    """Say all that is wrong with a target document, and what in one that holds is hardly meant; exit code 1 where anything is."""
    try:
        text = path.read_bytes()
    except OSError as error:
        raise TexelError(path.name, f"could not be read: {error.strerror}.", "Name a target document.") from error
    target, problems = problems_of(text)
    problems += doubts_of(target) if target else []
    if as_json:
        print(json.dumps([problem.model_dump(mode="json") for problem in problems], ensure_ascii=False, indent=2))
    elif target:
        print(f"{path.name}: {target.title} holds, with {len(target.outputs)} outputs.")
    for problem in problems if not as_json else ():
        print(f"{path.name}: {problem.said} {problem.way_out}")
    return FOUND if problems else DONE


def compare(first: str, second: str, as_json: bool) -> int:
    """Print what differs between two targets, row by row; exit code 1 where anything does."""
    old, new = target_of(first), target_of(second)
    changes = compare_targets(old, new)
    if as_json:
        print(json.dumps([change.model_dump(mode="json") for change in changes], ensure_ascii=False, indent=2))
    else:
        print(f"{old.reference} and {new.reference}:")
        for change in changes:
            print(f"  {change.title}, {change.part}: {change.was or 'nothing'} → {change.becomes or 'nothing'} ({change.effect})")
        if not changes:
            print("  nothing differs.")
    return FOUND if changes else DONE


def propose(folder: Path, title: str, out: Path | None, as_json: bool) -> int:
    """Propose a target from a folder of textures; write its document where that is asked for."""
    if not folder.is_dir():
        raise TexelError(str(folder), "is not a folder.", "Name a folder of textures that the engine has.")
    with tempfile.TemporaryDirectory(prefix="fairtexel-example-") as scratch:
        proposal = propose_target(list(_example(folder, Path(scratch))))
    if not proposal.outputs:
        raise TexelError(str(folder), "holds no texture that tells what it is.", "Name a folder with a few whole sets.")
    target = proposal.target(code_of(title).replace("_", "-"), title)
    if out:
        write_whole(out, partial(_put, text=target.to_json()))
    if as_json:
        print(proposal.model_dump_json(indent=2))
        return DONE
    for output in proposal.outputs:
        print(f"{output.output.title} (“{output.output.suffix}”)")
        for line in output.why:
            print(f"  {line}")
    if proposal.passed:
        print(f"Nothing could be told of {len(proposal.passed)} files.")
    return DONE


def _put(part: Path, text: str) -> None:
    part.write_text(text, "utf-8")


def _example(folder: Path, scratch: Path) -> Iterator[ExampleFile]:
    for place, path in enumerate(sorted(folder.rglob("*"))):
        name = path.relative_to(folder).as_posix()
        try:
            if path.suffix.lower() == ".dds":
                (scratch / str(place)).mkdir()
                picture, storage = unpack_dds(path, name, scratch / str(place))
                yield ExampleFile(facts_of(picture, str(Path(name).with_suffix(picture.suffix))), storage)
            elif path.suffix.lower() in PICTURE_SUFFIXES:
                yield ExampleFile(facts_of(path, name))
        except TexelError as error:
            print(f"fairtexel: {error}", file=sys.stderr)
