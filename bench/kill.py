"""Kill worker, server, database or helper at random while an installation is worked on, and check what is left.

    bench/kill [--kills 60] [--seed 1] [--full-disk]

An installation of its own, in a folder that is removed at the end: database, server and two workers. Somebody uploads and sorts,
builds, proves, delivers, renames, flattens variants, changes targets, works on many sets at once and takes the project's
document in, without pause; at a random moment one process is killed with signal 9 and started again, helpers that decode among
them. At the end all jobs must have ended within two minutes, every byte that was acknowledged must be there whole, and tidying
must leave nothing that no row knows.

With --full-disk its files lie on a small file system (root alone can make one), which is filled up before the killing, worked on
while nothing more fits, and given room again: what was refused then must work after it.
"""

from __future__ import annotations

import argparse
import contextlib
import http.client
import io
import json
import os
import random
import secrets
import shutil
import signal
import subprocess
import sys
import tempfile
import threading
import time
import urllib.error
import zipfile
from collections import Counter
from collections.abc import Callable, Iterator
from hashlib import sha256
from pathlib import Path
from typing import Any

import numpy as np
from PIL import Image as Pillow

sys.path.insert(0, str(Path(__file__).resolve().parents[1] / "tools"))
from arrivals import Site
from postgres import Server, ServerError, ends_with_us, free_port

PROJECT, TARGET, OTHER_TARGET = "tidewheel", "millrace-handheld", "orbit-desktop"
TARGETS_OF_KILLS = ("worker", "server", "database", "helper")
SECONDS_TO_END, SECONDS_TO_ANSWER = 120, 60
EDGE = 192
# Room for the demo world and what an hour of work makes of it.
SMALL_DISK = 1 << 30


class Installation:
    """Database, server and two workers, each of which can be killed and started again."""

    def __init__(self, folder: Path) -> None:
        self.database = Server(folder / "postgres", secrets.token_urlsafe(12))
        self.database.start()
        self.port = free_port(0)
        self.environment = (
            os.environ
            | self.database.environment()
            | {
                "FAIRTEXEL_DATA": str(folder / "data"),
                "FAIRTEXEL_SECRET_KEY": secrets.token_urlsafe(32),
                "FAIRTEXEL_DEMO_SIZE": "128",
                "DJANGO_SETTINGS_MODULE": "texelweb.settings",
            }
        )
        subprocess.run([sys.executable, "-m", "texelweb", "prepare"], env=self.environment, check=True, stdout=subprocess.DEVNULL)
        self.log = (folder / "log").open("ab")
        # What ended without being killed.
        self.ended = Counter[str]()
        self.children = {"server": self._server(), "worker": self._worker(), "worker 2": self._worker()}

    def kill(self, what: str, chance: random.Random) -> str:
        """Kill one process as a power cut would, and start it again. Gives what was killed, or nothing where there was none."""
        if what == "database":
            children = _children(self.database_pid)
            for pid in (self.database_pid, *children):
                _kill(pid)
            self.database.stop()
            port = self.database.port
            self.database.start()
            if self.database.port != port:
                raise ServerError("The database's port was taken by somebody else.")
            return what
        if what == "helper":
            workers = [self.children[name].pid for name in ("worker", "worker 2")]
            # The server's helpers are children of its own workers.
            helpers = [pid for parent in (*workers, *_children(self.children["server"].pid)) for pid in _children(parent)]
            if not helpers:
                return ""
            _kill(chance.choice(helpers))
            return what
        name = chance.choice(("worker", "worker 2")) if what == "worker" else what
        child = self.children[name]
        # A session of its own: with the server go its own workers.
        with contextlib.suppress(ProcessLookupError):
            os.killpg(child.pid, signal.SIGKILL)
        child.wait()
        self.children[name] = self._server() if what == "server" else self._worker()
        return what

    @property
    def database_pid(self) -> int:
        """The process number of PostgreSQL's first process."""
        return int((self.database.folder / "postmaster.pid").read_text().split()[0])

    def look_after(self) -> None:
        """Start again what ended by itself, as ./start and every supervisor does."""
        for name, child in self.children.items():
            if child.poll() is not None:
                self.ended[f"{name.partition(' ')[0]} ({child.returncode})"] += 1
                self.children[name] = self._server() if name == "server" else self._worker()

    def stop(self) -> None:
        """End everything."""
        for child in self.children.values():
            child.terminate()
        for child in self.children.values():
            child.wait()
        self.database.stop()

    def _server(self) -> subprocess.Popen[bytes]:
        bind = ["--bind", f"127.0.0.1:{self.port}", "--workers", "2", "--threads", "4", "--log-level", "warning"]
        return self._child("gunicorn", "texelweb.wsgi", *bind)

    def _worker(self) -> subprocess.Popen[bytes]:
        return self._child("texelweb", "work", "--concurrency", "1")

    def _child(self, *command: str) -> subprocess.Popen[bytes]:
        return subprocess.Popen(
            # Whoever stops this script leaves nothing running.
            ends_with_us(signal.SIGTERM, sys.executable, "-m", *command),
            env=self.environment,
            stdout=self.log,
            stderr=self.log,
            start_new_session=True,
        )


def _children(pid: int) -> list[int]:
    """The processes that any thread of a process has started."""
    found: list[int] = []
    for task in Path(f"/proc/{pid}/task").glob("*/children"):
        with contextlib.suppress(OSError):
            found += [int(word) for word in task.read_text().split()]
    return found


def _kill(pid: int) -> None:
    with contextlib.suppress(ProcessLookupError):
        os.kill(pid, signal.SIGKILL)


@contextlib.contextmanager
def small_disk(folder: Path, bytes_there: int) -> Iterator[None]:
    """A file system of so many bytes at a folder, while it is needed. Raises where one cannot be made: root alone can."""
    folder.mkdir()
    subprocess.run(["mount", "-t", "tmpfs", "-o", f"size={bytes_there}", "tmpfs", str(folder)], check=True)
    try:
        yield
    finally:
        subprocess.run(["umount", "--lazy", str(folder)], check=True)


def fill_up(person: Person, installation: Installation, data: Path) -> int:
    """Work while nothing more fits on the disk, and again when there is room. Gives how many things were not as they must be:
    what does not fit is refused in words (507), jobs fail in words, and all of it can be done afterwards."""
    wrong = 0
    filler = data / "filler"
    with filler.open("wb") as file, contextlib.suppress(OSError):
        while True:
            file.write(b"\0" * 65536)
            file.flush()
    site = Site(person.address)
    chosen = site.ask("GET", f"/projects/{PROJECT}/board")["sets"][0]["id"]
    body = json.dumps({"target": TARGET}).encode()

    def attempts() -> Iterator[str]:
        """Upload, build and deliver, each on its own: what came of it."""
        rng = np.random.default_rng(5)
        arrival = site.ask("POST", f"/projects/{PROJECT}/arrivals")["id"]
        for act in (
            lambda: site.put(f"/arrivals/{arrival}/files", "late/late_albedo.png", _png(rng, 3)),
            lambda: site.ask("POST", f"/sets/{chosen}/proofs", body),
            lambda: site.ask(
                "POST", f"/projects/{PROJECT}/deliveries", json.dumps({"targets": [TARGET], "sets": [chosen]}).encode()
            ),
        ):
            before = {job["id"] for job in site.ask("GET", f"/projects/{PROJECT}/jobs")}
            try:
                act()
            except urllib.error.HTTPError as error:
                yield f"{error.code} {json.loads(error.read()).get('problem', '')}"
                continue
            ended = [job for job in _wait_for_the_end(person, installation) if job["id"] not in before]
            yield ", ".join(f"{job['state']} {job['problem']}" for job in ended) or "done"

    for tried in attempts():
        print("  with no room:", tried)
        # A delivery after it says that nothing could be proved.
        wrong += not (tried.startswith(("507", "failed")) and len(tried.split()) >= 3)
    filler.unlink()
    for tried in attempts():
        print("  with room again:", tried)
        wrong += not tried.startswith("done")
    return wrong


class Person:
    """Works on, whatever is killed: what was not acknowledged is asked again."""

    def __init__(self, address: str, chance: random.Random) -> None:
        self.address, self.chance = address, chance
        self.site: Site | None = None
        self.acknowledged: dict[str, str] = {}
        self.refused = Counter[str]()
        self.done = Counter[str]()
        self.number = 0

    def ask(self, send: Callable[[Site], Any]) -> Any:
        """Ask until there is an answer. An answer that says no is one."""
        until = time.monotonic() + SECONDS_TO_ANSWER
        while True:
            try:
                self.site = self.site or Site(self.address)
                return send(self.site)
            except urllib.error.HTTPError as error:
                if error.code < 500:
                    self.refused[f"{error.code} {error.read()[:80]!r}"] += 1
                    return None
            except (OSError, ValueError, http.client.HTTPException):
                self.site = None
            if time.monotonic() > until:
                raise TimeoutError(f"{self.address} did not answer within {SECONDS_TO_ANSWER} s")
            time.sleep(0.2)

    def upload(self) -> None:
        """A zip of one new set, and one loose file, sorted."""
        self.number += 1
        rng = np.random.default_rng(self.chance.randrange(2**32))
        name = f"pier{self.number:03d}"
        maps = {word: _png(rng, 3 if word == "albedo" else 1) for word in ("albedo", "rough", "height")}
        bundle = io.BytesIO()
        with zipfile.ZipFile(bundle, "w") as archive:
            for word in ("albedo", "rough"):
                archive.writestr(f"{name}/{name}_{word}.png", maps[word])
        arrival = self.ask(lambda site: site.ask("POST", f"/projects/{PROJECT}/arrivals"))["id"]
        sent = {f"{name}.zip": bundle.getvalue(), f"{name}/{name}_height.png": maps["height"]}
        for path, body in sent.items():
            self.ask(lambda site, path=path, body=body: site.put(f"/arrivals/{arrival}/files", path, body))
        self.ask(lambda site: site.ask("POST", f"/arrivals/{arrival}/sort"))
        self.acknowledged |= {sha256(body).hexdigest(): f"{name}_{word}" for word, body in maps.items()}

    def work(self) -> None:
        """One act on one set or on the project, without waiting for how it ends."""
        act = self.chance.choice(ACTS)
        self.done[act.__name__] += 1
        act(self)

    def build(self) -> None:
        """Build one set."""
        self._post(f"/sets/{self._set()}/builds", {"target": TARGET})

    def prove(self) -> None:
        """Prove one set."""
        self._post(f"/sets/{self._set()}/proofs", {"target": TARGET})

    def deliver(self) -> None:
        """Deliver one set, of those that are proved where there are any."""
        self._post(f"/projects/{PROJECT}/deliveries", {"targets": [TARGET], "sets": [self._set(proved=True)]})

    def rename(self) -> None:
        """Rename by the house's rules."""
        if plan := self._get(f"/projects/{PROJECT}/renames"):
            self._post(f"/projects/{PROJECT}/renames", {"stamp": plan["stamp"]})

    def flatten(self) -> None:
        """Flatten one of the demo's variants into a set, under one of two names."""
        variants = self._get(f"/projects/{PROJECT}/variants") or []
        if variants:
            chosen = self.chance.choice(variants)["id"]
            edge, name = self.chance.choice((512, 1024)), self.chance.choice(("Flat", "Flatter"))
            self.ask(lambda site: site.form(f"/variants/{chosen}/flattenings", {"name": name, "edge": str(edge)}))

    def change_targets(self) -> None:
        """Take another target into the project for all its sets, or give it up again."""
        taken = {pin["name"] for pin in (self._get(f"/projects/{PROJECT}/targets") or {"targets": []})["targets"]}
        path = f"/projects/{PROJECT}/targets/{OTHER_TARGET}"
        if OTHER_TARGET in taken:
            self.ask(lambda site: site.ask("DELETE", path))
        else:
            self.ask(lambda site: site.ask("PUT", path, json.dumps({"for_all": True}).encode()))

    def work_on_many(self) -> None:
        """Build, prove or deliver all sets at once."""
        self._post(f"/projects/{PROJECT}/bulk", {"action": self.chance.choice(("build", "prove", "deliver"))})

    def take_document(self) -> None:
        """Take the project's own document in, as it was a moment ago."""
        document = self.ask(lambda site: site.fetch("GET", f"/projects/{PROJECT}/document"))
        if document:
            self.ask(lambda site: site.form(f"/projects/{PROJECT}/document", {}, ("project.json", document)))

    def look(self) -> None:
        """Open the pictures of a few files at once, which the server has its helpers decode."""
        lines = (self._get(f"/projects/{PROJECT}/maps?limit=100") or {"lines": []})["lines"]
        for line in self.chance.sample(lines, min(3, len(lines))):
            self.ask(lambda site, line=line: site.fetch("GET", f"/files/{line['id']}/picture?size=whole") and None)

    def _get(self, path: str) -> Any:
        return self.ask(lambda site: site.ask("GET", path))

    def _post(self, path: str, body: dict[str, Any]) -> None:
        self.ask(lambda site: site.ask("POST", path, json.dumps(body).encode()))

    def _set(self, proved: bool = False) -> int:
        sets = self._get(f"/projects/{PROJECT}/board")["sets"]
        ready = [texture_set for texture_set in sets if texture_set["proved"]] if proved else sets
        return int(self.chance.choice(ready or sets)["id"])


ACTS = (
    *(Person.build, Person.prove, Person.deliver, Person.rename, Person.flatten),
    *(Person.change_targets, Person.work_on_many, Person.take_document, Person.look),
)


def _png(rng: np.random.Generator, channels: int) -> bytes:
    shape = (EDGE, EDGE, 3) if channels == 3 else (EDGE, EDGE)
    out = io.BytesIO()
    Pillow.fromarray(rng.integers(0, 256, shape, dtype=np.uint8)).save(out, "PNG", compress_level=1)
    return out.getvalue()


@contextlib.contextmanager
def working(person: Person) -> Iterator[list[BaseException]]:
    """A person who uploads and works, in a thread, until it is over."""
    over, failed = threading.Event(), list[BaseException]()

    def run() -> None:
        try:
            while not over.is_set():
                person.upload()
                for _ in range(3):
                    person.work()
                # People look at what they did; the workers have something left to do all the while.
                over.wait(person.chance.uniform(0.2, 1.5))
        except BaseException as error:
            failed.append(error)

    thread = threading.Thread(target=run)
    thread.start()
    yield failed
    over.set()
    thread.join()


def main() -> int:
    """Kill, wait, check, report. Ends with 1 when anything is not as it must be."""
    parser = argparse.ArgumentParser(description=__doc__, formatter_class=argparse.RawDescriptionHelpFormatter)
    parser.add_argument("--kills", type=int, default=60)
    parser.add_argument("--seed", type=int, default=1)
    parser.add_argument("--full-disk", action="store_true")
    options = parser.parse_args()
    chance = random.Random(options.seed)
    folder = Path(tempfile.mkdtemp(prefix="fairtexel-kill-"))
    folder.chmod(0o755)
    disk = contextlib.ExitStack()
    if options.full_disk:
        disk.enter_context(small_disk(folder / "data", SMALL_DISK))
    installation = Installation(folder)
    try:
        person = Person(f"http://127.0.0.1:{installation.port}", random.Random(options.seed + 1))
        wrong = fill_up(person, installation, folder / "data") if options.full_disk else 0
        killed = Counter[str]()
        with working(person) as failed:
            while killed.total() < options.kills and not failed:
                time.sleep(chance.uniform(0.3, 4.0))
                if what := installation.kill(chance.choice(TARGETS_OF_KILLS), chance):
                    killed[what] += 1
                installation.look_after()
        print("ended by itself:", dict(installation.ended))
        print("killed:", ", ".join(f"{what} {count}×" for what, count in killed.items()))
        if failed:
            print("the person could not go on:", failed[0])
        began = time.monotonic()
        jobs = _wait_for_the_end(person, installation)
        print(f"all jobs ended {time.monotonic() - began:.0f} s after the last kill, of {SECONDS_TO_END} s")
        os.environ.update(installation.environment)
        wrong += _check(person, jobs)
        return 1 if wrong or failed else 0
    finally:
        installation.stop()
        disk.close()
        shutil.rmtree(folder, ignore_errors=True)


def _wait_for_the_end(person: Person, installation: Installation) -> list[dict[str, Any]]:
    until = time.monotonic() + SECONDS_TO_END
    while True:
        jobs: list[dict[str, Any]] = person.ask(lambda site: site.ask("GET", f"/projects/{PROJECT}/jobs"))
        if not any(job["state"] in ("queued", "running") for job in jobs) or time.monotonic() > until:
            return jobs
        installation.look_after()
        time.sleep(0.5)


def _check(person: Person, jobs: list[dict[str, Any]]) -> int:
    """Look at the database and the storage themselves. Gives how many things are wrong."""
    import django

    django.setup()
    from django.core.files.storage import default_storage

    from texelweb.deliveries.models import Delivery
    from texelweb.jobs.models import Job
    from texelweb.sets.models import Arrival, ArrivalItem, SourceFile
    from texelweb.storage.models import Blob
    from texelweb.upkeep.archive import damaged
    from texelweb.upkeep.tidy import tidy

    states = Counter(Job.objects.values_list("kind", "state"))
    print("jobs:", ", ".join(f"{kind} {state} {count}" for (kind, state), count in sorted(states.items())))
    for problem, count in Counter(Job.objects.filter(state="failed").values_list("problem", flat=True)).most_common(8):
        print(f"  {count}× {problem[:150]}")
    stuck = Job.objects.filter(state__in=("queued", "running")).count()
    # A byte that was acknowledged is among the files, or waits in an arrival that can be tried again.
    known = set(Blob.objects.values_list("sha256", flat=True))
    left = Arrival.objects.exclude(state=Arrival.State.DONE)
    kept = {path.rsplit("/", 1)[-1] for path in ArrivalItem.objects.filter(arrival__in=left).values_list("path", flat=True)}
    waiting = {name.partition(".")[0].partition("_")[0] for name in kept}
    lost = [name for digest, name in person.acknowledged.items() if digest not in known and name.partition("_")[0] not in waiting]
    for name in lost:
        whose = name.partition("_")[0]
        items = ArrivalItem.objects.filter(path__contains=whose).values_list("arrival_id", "path", "outcome", "arrival__state")
        print(f"lost {name}; of its arrival: {[*items]}")
        print(f"  its files: {[*SourceFile.objects.filter(path__contains=whose).values_list('path', 'blob_id')]}")
    broken = list(damaged())
    incomplete = [entry for entry in Delivery.objects.exclude(manifest_json=None) if not _is_whole(entry)]
    swept = tidy(alone=True)
    again = tidy(alone=True).total
    stored = sum(len(default_storage.listdir(f"blobs/{inner}")[1]) for inner in default_storage.listdir("blobs")[0])
    stray = stored - Blob.objects.count()
    print(
        f"acknowledged files: {len(person.acknowledged)}, lost {len(lost)}; arrivals that wait to be tried again: {left.count()}"
    )
    print(f"stored files: {stored}, damaged {len(broken)}, without a row {stray}; tidied {swept.counts}, a second time {again}")
    print(f"deliveries: {Delivery.objects.exclude(manifest_json=None).count()}, not whole {len(incomplete)}; stuck jobs: {stuck}")
    print("acts:", dict(person.done))
    print("refused:", dict(person.refused.most_common(12)))
    return stuck + len(lost) + len(broken) + len(incomplete) + stray + again


def _is_whole(delivery: Any) -> bool:
    from texelweb.deliveries.run import unpacked

    with unpacked(delivery) as folder:
        return all(sha256((folder / file.file).read_bytes()).hexdigest() == file.sha256 for file in delivery.manifest.files())


if __name__ == "__main__":
    sys.exit(main())
