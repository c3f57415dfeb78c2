"""Watching a folder: new and changed files go to a server's project by themselves, with an access token."""

from __future__ import annotations

import hashlib
import time
from collections.abc import Callable
from pathlib import Path

from texelcli.exits import DONE, FOUND
from texelcli.server import Server, ServerRefused, Unreachable
from texelcore.pixels.errors import TexelError
from texelcore.pixels.inspect import PICTURE_SUFFIXES

SUFFIXES = PICTURE_SUFFIXES | {".zip"}
# A file that is still being written changes; it is sent when two looks have found it the same.
SECONDS_BETWEEN_LOOKS = 1.0
MOST_AT_ONCE = 1000

Stamp = tuple[int, int]


def watch(folder: Path, server: Server, once: bool, rest: Callable[[float], None] = time.sleep) -> int:
    """Send what is new or changed in a folder until interrupted; with `once`, send what is there and stop.

    Gives FOUND when `once` and a file was refused. Raises TexelError for a folder that is none, or a refusal that trying
    again will not change; a server that cannot be reached is tried again.
    """
    if not folder.is_dir():
        raise TexelError(str(folder), "is not a folder.", "Name the folder that your program exports to.")
    server.ask("POST", f"/projects/{server.project}/known", {"sha256": []})
    sent: dict[str, Stamp] = {}
    last: dict[str, Stamp] = {}
    if not once:
        print(f"Watching {folder} for {server.project}. Ctrl-C stops.", flush=True)
    while True:
        now = _look(folder)
        settled = [name for name, stamp in now.items() if sent.get(name) != stamp and (once or last.get(name) == stamp)]
        refused = 0
        if settled:
            try:
                refused = _send(folder, server, sorted(settled), rest)
                sent.update({name: now[name] for name in settled})
            except Unreachable as error:
                if once:
                    raise
                print(error, flush=True)
            except ServerRefused as error:
                if once:
                    raise
                # Sending the same again would end alike; what changes is sent anew.
                print(error, flush=True)
                sent.update({name: now[name] for name in settled})
        if once:
            return FOUND if refused else DONE
        last = now
        rest(SECONDS_BETWEEN_LOOKS)


def _look(folder: Path) -> dict[str, Stamp]:
    """Size and time of change of each picture and zip, by relative path. What goes while we look is passed over."""
    found = {}
    for path in folder.rglob("*"):
        if path.name.startswith(".") or path.suffix.lower() not in SUFFIXES:
            continue
        try:
            if path.is_file():
                entry = path.stat()
                found[path.relative_to(folder).as_posix()] = (entry.st_size, entry.st_mtime_ns)
        except FileNotFoundError:
            continue
    return found


def _send(folder: Path, server: Server, names: list[str], rest: Callable[[float], None]) -> int:
    """Send files, so many to an arrival, and say what became of each. Gives how many were refused."""
    chunks = (names[start : start + MOST_AT_ONCE] for start in range(0, len(names), MOST_AT_ONCE))
    return sum(_send_some(folder, server, chunk, rest) for chunk in chunks)


def _send_some(folder: Path, server: Server, names: list[str], rest: Callable[[float], None]) -> int:
    """Send files as one arrival and wait until they are sorted. A file that is refused, or gone meanwhile, stops no other."""
    hashes = {name: sha256 for name in names if (sha256 := _sha256(folder / name))}
    known = set(server.ask("POST", f"/projects/{server.project}/known", {"sha256": list(hashes.values())}))
    arrival = server.ask("POST", f"/projects/{server.project}/arrivals")["id"]
    put, refused = 0, 0
    for name, sha256 in hashes.items():
        try:
            if sha256 in known:
                server.ask("POST", f"/arrivals/{arrival}/known-files", {"path": name, "sha256": sha256})
            else:
                server.put_file(arrival, name, folder / name)
            put += 1
        except ServerRefused as error:
            refused += 1
            _say("refused", name, "", f"{error.problem} {error.way_out}")
        except FileNotFoundError:
            _say("gone", name, "", "went away before it was sent.")
    if not put:
        server.ask("DELETE", f"/arrivals/{arrival}")
        return refused
    return refused + _sorted(server, arrival, rest)


def _sorted(server: Server, arrival: str, rest: Callable[[float], None]) -> int:
    """Have an arrival sorted, wait for the end, and say what became of each file. Gives how many were refused."""
    report = server.ask("POST", f"/arrivals/{arrival}/sort")
    while report["state"] != "done":
        job = report["job"]
        if job and job["state"] in ("failed", "cancelled"):
            raise ServerRefused("Sorting", f"{job['state']}: {job['problem']}", job["way_out"] or "Try it again on the server.")
        rest(SECONDS_BETWEEN_LOOKS)
        report = server.ask("GET", f"/arrivals/{arrival}")
    for item in report["items"]:
        _say(item["outcome"], item["path"], item["set_name"] or "", f"{item['problem']} {item['way_out']}")
    return sum(item["outcome"] == "refused" for item in report["items"])


def _say(outcome: str, path: str, home: str, why: str) -> None:
    print(f"  {outcome:<11} {path}{f' → {home}' if home else ''}  {why}".rstrip(), flush=True)


def _sha256(path: Path) -> str | None:
    """A file's SHA-256, or None for one that is gone."""
    try:
        with path.open("rb") as file:
            return hashlib.file_digest(file, "sha256").hexdigest()
    except FileNotFoundError:
        return None
