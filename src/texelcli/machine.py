"""`fairtexel push`, `pull` and `rebuild`: a build machine brings sources in, fetches what was decided, and has built what is
not."""

from __future__ import annotations

import json
import sys
import time
from collections.abc import Callable
from contextlib import nullcontext, redirect_stdout
from pathlib import Path
from typing import Any

from texelcli.exits import DONE, FOUND
from texelcli.server import Server
from texelcli.watch import watch
from texelcore.pixels.write import write_whole
from texelcore.project.document import read_project

SECONDS_BETWEEN_LOOKS = 1.0
MOST_NAMED = 20


def push(folder: Path, server: Server, as_json: bool, rest: Callable[[float], None] = time.sleep) -> int:
    """Send a folder, wait until it is sorted, and report what is open. Gives FOUND when a file was refused, a question is open,
    a file belongs to no set, or something is wrong. Raises TexelError as `watch` does."""
    # What became of each file is for people.
    with redirect_stdout(sys.stderr) if as_json else nullcontext():
        refused = watch(folder, server, once=True, rest=rest)
    standing = server.ask("GET", f"/projects/{server.project}/standing")
    if as_json:
        print(json.dumps(standing, indent=2, ensure_ascii=False))
    else:
        print(f"{standing['title']}: {standing['sets']:,} sets, {standing['not_built']:,} not built as they are now.")
        for count, one, many in (
            (standing["questions"], "question is open", "questions are open"),
            (standing["open_files"], "file belongs to no set", "files belong to no set"),
            (standing["wrong"], "set is wrong", "sets are wrong"),
        ):
            if count:
                print(f"  {count:,} {one if count == 1 else many}: see {server.address}/projects/{server.project}")
    open_ones = standing["questions"] or standing["open_files"] or standing["wrong"]
    return FOUND if refused != DONE or open_ones else DONE


def pull(server: Server, out: Path) -> int:
    """Fetch the project document. Raises TexelError for one that cannot be used here, and a file that cannot be written."""
    text = server.fetch(f"/projects/{server.project}/document")
    document = read_project(text, f"{server.project}.project.json")
    write_whole(out, lambda part: _write(part, text))
    said = f"{len(document.sets):,} sets, {len(document.variants):,} variants, {len(document.rules.habits):,} habits"
    print(f"{out}: {document.title}, {said}.")
    return DONE


def _write(path: Path, text: bytes) -> None:
    path.write_bytes(text)


def rebuild(server: Server, action: str, rest: Callable[[float], None] = time.sleep) -> int:
    """Have the server build all that is not built as it is now (or prove it too, as `action` says), wait for the end, and say
    what did not work. Gives FOUND when a set failed, or the work was stopped. Raises TexelError as the server does."""
    standing = server.ask("GET", f"/projects/{server.project}/standing")
    if not standing["not_built" if action == "build" else "not_proved"]:
        print(f"Every set that can be is {'built' if action == 'build' else 'proved'} as it is now.")
        return DONE
    work = server.ask("POST", f"/projects/{server.project}/bulk", {"action": action, "sets": None})
    while work["job"] and work["job"]["state"] in ("queued", "running"):
        rest(SECONDS_BETWEEN_LOOKS)
        work = server.ask("GET", f"/bulk/{work['id']}")
    return _report(work)


def _report(work: dict[str, Any]) -> int:
    counts = {state: [item for item in work["items"] if item["state"] == state] for state in ("done", "skipped", "failed")}
    rest = len(work["items"]) - sum(map(len, counts.values()))
    said = f"{len(counts['done']):,} done, {len(counts['skipped']):,} already as they should be, {len(counts['failed']):,} failed"
    print(f"{said}{f', {rest:,} not begun' if rest else ''}.")
    for item in counts["failed"][:MOST_NAMED]:
        print(f"  ✕ {item['name']}: {item['problem']} {item['way_out']}")
    if len(counts["failed"]) > MOST_NAMED:
        print(f"  and {len(counts['failed']) - MOST_NAMED:,} more")
    job = work["job"]
    if job and job["state"] != "done":
        print(f"  The work was {job['state']}. {job['problem']} {job['way_out']}".rstrip())
    return FOUND if counts["failed"] or rest or (job and job["state"] != "done") else DONE
