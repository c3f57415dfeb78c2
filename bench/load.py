"""People at work on a project of a thousand sets: how long the application takes alone, and with twenty people and builds.

    bench/load ADDRESS [--people 20] [--seconds 60]

The project is the demo's Tidewheel; sets are brought in until it has a thousand. Each person looks at the board, at a set and at
its pictures, with a moment between, over and over; beside it the open page takes the project's pulse. Meanwhile builds of
changing sets are ordered: a worker is always busy.
"""

from __future__ import annotations

import argparse
import json
import random
import sys
import threading
import time
import urllib.error
from collections import defaultdict
from dataclasses import dataclass, field
from pathlib import Path
from typing import Any

from arrivals import PROJECT, SETS, Site, thousand

WANTED_SETS = 1000
BUILDS_WAITING = 4
# Between two looks of one person, in seconds: at least, at most.
PAUSES = (1.0, 4.0)
# Between two pulses of an open page, as the front end takes them.
SECONDS_BETWEEN_PULSES = 1.2
MB = 1024**2


def main() -> int:
    """Measure and print. Ends with 1 when anybody got an error, or waited a second or more at the ninety-fifth of a hundred."""
    parser = argparse.ArgumentParser(description=__doc__, formatter_class=argparse.RawDescriptionHelpFormatter)
    parser.add_argument("address")
    parser.add_argument("--people", type=int, default=20)
    parser.add_argument("--seconds", type=float, default=60)
    options = parser.parse_args()
    site = Site(options.address.rstrip("/"))
    fill(site)
    alone(site)
    return together(site, options.people, options.seconds)


def fill(site: Site) -> None:
    """Bring sets in until there are enough."""
    batch = 1
    while (have := len(site.ask("GET", f"/projects/{PROJECT}/board")["sets"])) < WANTED_SETS:
        print(f"{have} sets; bringing in {SETS} more …", flush=True)
        arrival = site.ask("POST", f"/projects/{PROJECT}/arrivals")["id"]
        site.put(f"/arrivals/{arrival}/files", f"batch{batch}.zip", thousand(batch))
        site.ask("POST", f"/arrivals/{arrival}/sort")
        while any(job["state"] in ("queued", "running") for job in site.ask("GET", f"/projects/{PROJECT}/jobs")):
            time.sleep(1)
        batch += 1


def alone(site: Site) -> None:
    """What one person waits for, nothing else running."""
    first = site.ask("GET", f"/projects/{PROJECT}/board")["sets"][0]["id"]
    for name, path in (
        ("board, nothing changed", "board"),
        ("rename plan", "renames"),
        ("first page of maps", "maps"),
        ("first page of questions", "questions"),
        ("a set", ""),
    ):
        begun = time.perf_counter()
        body = site.fetch("GET", f"/projects/{PROJECT}/{path}" if path else f"/sets/{first}")
        took = time.perf_counter() - begun
        print(f"{name:28} {took:6.2f} s   {len(body) / 1000:8,.0f} kB, sent as {site.sent / 1000:6,.0f} kB", flush=True)


@dataclass
class Crowd:
    """Everybody at once, until it is over: who waited how long for what, and who got an error."""

    address: str
    sets: list[int]
    waits: dict[str, list[float]] = field(default_factory=lambda: defaultdict(list))
    errors: list[str] = field(default_factory=list)
    lock: threading.Lock = field(default_factory=threading.Lock)
    over: threading.Event = field(default_factory=threading.Event)
    builds: int = 0
    ready: threading.Barrier = field(default_factory=lambda: threading.Barrier(1))

    def look(self, visitor: Site, what: str, path: str) -> bytes:
        """One look of one person."""
        begun = time.perf_counter()
        try:
            body = visitor.fetch("GET", path)
        except (urllib.error.URLError, TimeoutError, ConnectionError) as error:
            with self.lock:
                self.errors.append(f"{path}: {error}")
            return b"{}"
        with self.lock:
            self.waits[what].append(time.perf_counter() - begun)
        return body

    def browse(self, number: int) -> None:
        """One person."""
        visitor, chance = Site(self.address), random.Random(number)
        # After a start each process of the server judges all sets once: that is told apart from what people wait for all day.
        self.look(visitor, "first board", f"/projects/{PROJECT}/board")
        self.ready.wait()
        while not self.over.wait(chance.uniform(*PAUSES)):
            self.look(visitor, "board", f"/projects/{PROJECT}/board")
            self.over.wait(chance.uniform(*PAUSES))
            view: dict[str, Any] = json.loads(self.look(visitor, "set", f"/sets/{chance.choice(self.sets)}"))
            for file in view.get("files", []):
                self.look(visitor, "picture", f"/files/{file['id']}/picture?size=small")
            for file in view.get("files", [])[:1]:
                self.look(visitor, "picture", f"/files/{file['id']}/picture")

    def follow(self) -> None:
        """One open page, which sees what others do."""
        visitor = Site(self.address)
        while not self.over.wait(SECONDS_BETWEEN_PULSES):
            self.look(visitor, "pulse", f"/projects/{PROJECT}/pulse?set={self.sets[0]}")

    def build(self) -> None:
        """Keep a worker busy."""
        visitor, chance = Site(self.address), random.Random(1)
        while not self.over.wait(1):
            jobs = visitor.ask("GET", f"/projects/{PROJECT}/jobs")
            for _ in range(BUILDS_WAITING - sum(job["state"] in ("queued", "running") for job in jobs)):
                body = json.dumps({"target": "millrace-handheld"}).encode()
                visitor.ask("POST", f"/sets/{chance.choice(self.sets)}/builds", body)
                self.builds += 1


def together(site: Site, people: int, seconds: float) -> int:
    """Let everybody work, and print what they waited for."""
    sets = [entry["id"] for entry in site.ask("GET", f"/projects/{PROJECT}/board")["sets"]]
    crowd = Crowd(site.address, sets, ready=threading.Barrier(people + 1))
    threads = [threading.Thread(target=crowd.browse, args=(number,)) for number in range(people)]
    threads += [threading.Thread(target=crowd.follow) for _ in range(people)]
    threads.append(threading.Thread(target=crowd.build))
    for thread in threads:
        thread.start()
    crowd.ready.wait()
    time.sleep(seconds)
    crowd.over.set()
    for thread in threads:
        thread.join()
    slow = False
    for what, taken in sorted(crowd.waits.items()):
        taken.sort()
        half, most = taken[len(taken) // 2], taken[int(len(taken) * 0.95)]
        slow = slow or (most >= 1 and what != "first board")
        print(
            f"{what:12} {len(taken):6} asked   median {half:5.2f} s   95 of 100 within {most:5.2f} s   longest {taken[-1]:5.2f} s"
        )
    print(f"{crowd.builds} builds ordered meanwhile; {len(crowd.errors)} error(s)", *crowd.errors[:5], sep="\n  ")
    for name, size in memory().items():
        print(f"{name:44} {size / MB:6.0f} MB")
    return 1 if crowd.errors or slow else 0


def memory() -> dict[str, int]:
    """What each process of the application on this machine holds at most, in bytes."""
    found = {}
    for place in Path("/proc").glob("[0-9]*"):
        try:
            command = (place / "cmdline").read_bytes().replace(b"\0", b" ").decode(errors="replace")
            peak = next(line for line in (place / "status").read_text().splitlines() if line.startswith("VmHWM"))
        except (OSError, StopIteration):
            continue
        if "texelweb" in command or "texelcore" in command:
            found[f"{place.name} {command.partition('-m ')[2][:36]}"] = int(peak.split()[1]) * 1024
    return found


if __name__ == "__main__":
    sys.exit(main())
