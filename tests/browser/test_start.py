"""The start command, run whole: it comes up, refuses a second self, survives kill −9 with its data, and stops cleanly."""

from __future__ import annotations

import contextlib
import fcntl
import json
import os
import shutil
import signal
import socket
import subprocess
import sys
import tempfile
import urllib.request
from collections.abc import Iterator
from pathlib import Path

import psycopg
import pytest

# tests/database.py has put the folder of tools on the path.
from postgres import Server, ServerError, free_port

from tests import once

ROOT = Path(__file__).resolve().parents[2]


class Running:
    """One run of tools/serve.py over a data folder, as ./start would make it."""

    def __init__(self, data: Path, *arguments: str) -> None:
        # What the test run's own server is told must not reach this one.
        environment = {key: value for key, value in os.environ.items() if not key.startswith("FAIRTEXEL_")}
        environment |= {"FAIRTEXEL_DATA": str(data), "FAIRTEXEL_DEMO_SIZE": "32", "PYTHONUNBUFFERED": "1"}
        command = [sys.executable, str(ROOT / "tools" / "serve.py"), "--port", str(free_port(0)), *arguments]
        self.process = subprocess.Popen(command, env=environment, stdout=subprocess.PIPE, stderr=subprocess.STDOUT, text=True)
        self.said = ""

    def address(self) -> str:
        """Wait for the greeting and give the address in it."""
        assert self.process.stdout
        for line in self.process.stdout:
            self.said += line
            if "Fair Texel is at" in line:
                return line.split()[-1]
        raise AssertionError(self.said)

    def stop(self, sent: signal.Signals) -> int:
        self.process.send_signal(sent)
        return self.process.wait(timeout=60)


def manage(data: Path, *arguments: str) -> tuple[int, str]:
    """Run a command on a data folder, as tools/manage does; its exit code and what it said."""
    environment = {key: value for key, value in os.environ.items() if not key.startswith("FAIRTEXEL_")}
    command = [sys.executable, str(ROOT / "tools" / "manage.py"), *arguments]
    done = subprocess.run(command, env=environment | {"FAIRTEXEL_DATA": str(data)}, capture_output=True, text=True, check=False)
    return done.returncode, done.stdout + done.stderr


@pytest.fixture
def data() -> Iterator[Path]:
    """A folder that others may enter: PostgreSQL runs as another user when root starts it."""
    place = Path(tempfile.mkdtemp(prefix="fairtexel-start-"))
    place.chmod(0o755)
    yield place
    shutil.rmtree(place, ignore_errors=True)


@pytest.fixture(scope="session")
def filled() -> tuple[Path, str]:
    """A data folder with the demo in it, of an application that was begun and stopped; and what it said."""
    place = once.shared() / "begun"
    heard = once.shared() / "begun.txt"

    def begin() -> None:
        place.mkdir()
        place.chmod(0o755)
        running = Running(place)
        running.address()
        assert running.stop(signal.SIGINT) == 0
        heard.write_text(running.said)

    once.made("begun", begin)
    return place, heard.read_text()


@pytest.fixture
def begun(filled: tuple[Path, str], data: Path) -> str:
    """The data folder is that of an application that was begun and stopped; gives what that said."""
    place, heard = filled
    # With its owners: PostgreSQL takes no folder of anybody else's.
    once.copied(place, data)
    return heard


def answers(address: str) -> bool:
    try:
        with urllib.request.urlopen(f"{address}api/session", timeout=10) as answer:
            return json.loads(answer.read())["user"] is None
    except OSError:
        return False


def users_in(data: Path) -> int:
    """How many users the database of the application that runs over `data` holds."""
    # The fourth line of this file is the server's port.
    port = int((data / "postgres" / "postmaster.pid").read_text().splitlines()[3])
    password = json.loads((data / "secrets.json").read_text())["database"]
    with psycopg.connect(host="127.0.0.1", port=port, user="fairtexel", password=password, dbname="fairtexel") as connection:
        row = connection.execute("SELECT count(*) FROM auth_user").fetchone()
    return int(row[0]) if row else 0


def test_it_starts_survives_a_kill_and_stops_everything(begun: str, data: Path) -> None:
    first = Running(data)
    address = first.address()
    assert answers(address)
    assert users_in(data) == 3
    assert (data / "secrets.json").stat().st_mode & 0o077 == 0

    second = Running(data)
    assert second.process.wait(timeout=60) == 1
    assert second.process.stdout and f"runs already from this folder: {address}" in second.process.stdout.read()

    # Beside a running application it is backed up, and not restored over.
    code, said = manage(data, "back_up", str(data / "backup"))
    assert code == 0 and "The database is dumped." in said, said
    code, said = manage(data, "restore", str(data / "backup"), "--replace")
    assert code == 1 and "stop ./start first" in said

    assert first.stop(signal.SIGKILL) == -signal.SIGKILL
    # What a killed process was working on is nobody's.
    left = data / "scratch" / "fairtexel-left"
    left.mkdir()
    again = Running(data)
    address = again.address()
    assert answers(address) and users_in(data) == 3 and not left.exists()
    # The demo was loaded once, not again.
    assert "Painting" in begun and "Painting" not in first.said + again.said

    assert again.stop(signal.SIGINT) == 0
    assert not answers(address)
    assert not (data / "postgres" / "postmaster.pid").exists()

    # Alone, it is restored over what is there only when that is said.
    code, said = manage(data, "restore", str(data / "backup"))
    assert code == 1 and "holds an installation already" in said
    code, said = manage(data, "restore", str(data / "backup"), "--replace")
    assert code == 0 and "Every stored file is what its row says." in said, said
    assert not (data / "postgres" / "postmaster.pid").exists()


def test_two_checks_in_one_folder_say_so() -> None:
    lock = ROOT / "var" / "check.lock"
    lock.parent.mkdir(exist_ok=True)
    with lock.open("a") as held:
        # The check that this test is part of may hold it.
        with contextlib.suppress(BlockingIOError):
            fcntl.flock(held, fcntl.LOCK_EX | fcntl.LOCK_NB)
        second = subprocess.run([ROOT / "check"], capture_output=True, text=True, check=False)
    assert second.returncode == 1 and "A check runs already in this folder" in second.stderr


def test_a_command_over_nothing_says_so(data: Path) -> None:
    code, said = manage(data / "nowhere", "tidy")
    assert code == 1 and "run ./start once" in said


@pytest.mark.skipif(os.geteuid() != 0, reason="only root starts PostgreSQL as another user")
def test_a_database_out_of_reach_is_said_and_not_begun_anew(data: Path) -> None:
    data.chmod(0o700)
    fresh = Server(data / "postgres", "secret")
    # Where nothing is yet, it is put where it can be reached.
    assert fresh.folder != data / "postgres"
    (data / "postgres").mkdir()
    (data / "postgres" / "PG_VERSION").write_text("15")
    with pytest.raises(ServerError, match="out of reach"):
        Server(data / "postgres", "secret")


def test_the_database_takes_another_port_when_the_usual_one_is_taken(data: Path) -> None:
    with socket.socket() as holder:
        holder.setsockopt(socket.SOL_SOCKET, socket.SO_REUSEADDR, 1)
        holder.bind(("127.0.0.1", 0))
        holder.listen()
        taken = holder.getsockname()[1]
        assert free_port(taken) != taken
    server = Server(data / "postgres", "secret")
    server.start()
    try:
        with psycopg.connect(host="127.0.0.1", port=server.port, user="fairtexel", password="secret", dbname="fairtexel"):
            pass
        # Loopback is open to every user of the machine: without the password nobody gets in.
        with pytest.raises(psycopg.OperationalError):
            psycopg.connect(host="127.0.0.1", port=server.port, user="fairtexel", password="guess", dbname="fairtexel")
    finally:
        server.stop()
        server.remove()
    assert not server.folder.exists()
