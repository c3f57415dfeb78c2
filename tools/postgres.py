"""A PostgreSQL server of our own: made in a folder, run on loopback, stopped with the process that started it."""

from __future__ import annotations

import hashlib
import os
import pwd
import shutil
import signal
import socket
import subprocess
import sys
import time
from dataclasses import dataclass, field
from pathlib import Path

import psycopg

USUAL_PORT = 5432
USER = DATABASE = "fairtexel"
SECONDS_TO_START = 60
INITDB_OPTIONS = ("-A", "scram-sha-256", "-E", "UTF8", "--locale=C.UTF-8", "--no-sync")


class ServerError(RuntimeError):
    """The database server could not be made or started."""


def ends_with_us(sent: signal.Signals, *command: str) -> list[str]:
    """A command that receives `sent` when the process dies that starts it, however that happens (setpriv is part of Debian)."""
    return ["setpriv", "--pdeathsig", sent.name, "--", *command]


def free_port(usual: int) -> int:
    """The usual port, or any free one when it is taken."""
    for port in (usual, 0):
        with socket.socket() as probe:
            probe.setsockopt(socket.SOL_SOCKET, socket.SO_REUSEADDR, 1)
            try:
                probe.bind(("127.0.0.1", port))
            except OSError:
                continue
            return int(probe.getsockname()[1])
    raise ServerError("No port is free on 127.0.0.1.")


@dataclass
class Server:
    """PostgreSQL over one data folder. It refuses to run as root, so root runs it as the user `postgres`."""

    folder: Path
    password: str
    options: tuple[str, ...] = ()
    port: int = 0
    _process: subprocess.Popen[bytes] | None = field(default=None, init=False)

    def __post_init__(self) -> None:
        self._user = pwd.getpwnam("postgres") if os.geteuid() == 0 else None
        self.folder = self._reachable(self.folder.resolve())

    def start(self) -> None:
        """Make the data folder when it is missing, start the server, wait until it answers, make the database.

        A folder that a killed server left is recovered by PostgreSQL itself. Raises ServerError.
        """
        if not self.exists:
            self._make()
        self._wait_for_predecessor()
        for usual in (USUAL_PORT, 0, 0):
            try:
                self._start(free_port(usual))
                return
            except ServerError as error:
                # Another server may have taken the port after it was found free.
                self.stop()
                failure = error
        raise failure

    def _start(self, port: int) -> None:
        self.port = port
        log = self._log()
        arguments = ["-D", str(self.folder), "-c", "listen_addresses=127.0.0.1", "-c", f"port={self.port}"]
        # No socket file: its path could be longer than the system allows, in a deep checkout.
        # Documents of some kilobytes are most of what is written; lz4 packs them in a third of the time.
        arguments += ["-c", "default_toast_compression=lz4"]
        arguments += ["-c", "unix_socket_directories=", *self.options]
        with log.open("ab") as out:
            self._process = subprocess.Popen(
                ends_with_us(signal.SIGINT, str(_programs() / "postgres"), *arguments),
                stdin=subprocess.DEVNULL,
                stdout=out,
                stderr=out,
                start_new_session=True,
                cwd="/",
                **self._as_user(),
            )
        self._wait_until_ready(log)

    def stop(self) -> None:
        """Stop the server, rolling open transactions back; it has written everything when this returns."""
        if self._process and self._process.poll() is None:
            self._process.send_signal(signal.SIGINT)
            self._process.wait()
        self._process = None

    @property
    def running(self) -> bool:
        """Whether the server process lives."""
        return self._process is not None and self._process.poll() is None

    def port_in_use(self) -> int:
        """The port on which another process runs this server. Raises ServerError when none does."""
        try:
            # PostgreSQL's own mark: the fourth line is the port.
            return int((self.folder / "postmaster.pid").read_text().splitlines()[3])
        except (OSError, IndexError, ValueError) as error:
            raise ServerError(f"No PostgreSQL server runs on {self.folder}.") from error

    def environment(self, database: str = DATABASE) -> dict[str, str]:
        """The settings with which the application finds this server."""
        return {
            "FAIRTEXEL_DB_NAME": database,
            "FAIRTEXEL_DB_USER": USER,
            "FAIRTEXEL_DB_PASSWORD": self.password,
            "FAIRTEXEL_DB_HOST": "127.0.0.1",
            "FAIRTEXEL_DB_PORT": str(self.port),
        }

    @property
    def exists(self) -> bool:
        """Whether the data folder was made."""
        return (self.folder / "PG_VERSION").is_file()

    def remove(self) -> None:
        """Delete the data folder."""
        shutil.rmtree(self.folder, ignore_errors=True)

    def _make(self) -> None:
        """initdb beside, then rename: a half-made folder is never taken for a whole one."""
        beside = self.folder.with_name(self.folder.name + ".new")
        shutil.rmtree(beside, ignore_errors=True)
        self.folder.parent.mkdir(parents=True, exist_ok=True)
        beside.mkdir(mode=0o700)
        secret = self.folder.with_name(self.folder.name + ".pw")
        secret.touch(mode=0o600)
        secret.write_text(self.password)
        if self._user:
            os.chown(beside, self._user.pw_uid, self._user.pw_gid)
            os.chown(secret, self._user.pw_uid, self._user.pw_gid)
        try:
            made = subprocess.run(
                [str(_programs() / "initdb"), "-D", str(beside), "-U", USER, f"--pwfile={secret}", *INITDB_OPTIONS],
                capture_output=True,
                text=True,
                cwd="/",
                **self._as_user(),
            )
        finally:
            secret.unlink()
        if made.returncode:
            raise ServerError(f"initdb failed: {made.stderr.strip()}")
        beside.rename(self.folder)

    def _wait_until_ready(self, log: Path) -> None:
        deadline = time.monotonic() + SECONDS_TO_START
        while time.monotonic() < deadline:
            if self._process is None or self._process.poll() is not None:
                raise ServerError(f"PostgreSQL stopped while starting; its last words are in {log}.")
            try:
                self._make_database()
                return
            except psycopg.OperationalError:
                time.sleep(0.1)
        raise ServerError(f"PostgreSQL did not answer within {SECONDS_TO_START} s; see {log}.")

    def _make_database(self) -> None:
        address = {"host": "127.0.0.1", "port": self.port, "user": USER, "password": self.password, "dbname": "postgres"}
        with psycopg.connect(**address, autocommit=True, connect_timeout=5) as connection:  # type: ignore[arg-type]
            known = connection.execute("SELECT 1 FROM pg_database WHERE datname = %s", (DATABASE,)).fetchone()
            if not known:
                connection.execute(f'CREATE DATABASE "{DATABASE}"')  # type: ignore[call-overload]

    def _wait_for_predecessor(self) -> None:
        """A server whose starter was just killed is still shutting down: wait for it, then ask it to go."""
        mark = self.folder / "postmaster.pid"
        for asked in (False, True):
            for _ in range(100):
                if not mark.exists():
                    return
                number = int(mark.read_text().split()[0])
                # One that was killed and not yet reaped still counts as running for its successor.
                if not _alive(number, self.folder) and not _waits_to_be_reaped(number):
                    return
                time.sleep(0.1)
            if not asked:
                stop = [str(_programs() / "pg_ctl"), "stop", "-D", str(self.folder), "-m", "fast", "-w"]
                subprocess.run(stop, capture_output=True, cwd="/", **self._as_user())
        raise ServerError(f"Another PostgreSQL server still runs on {self.folder}; stop it first.")

    def _log(self) -> Path:
        log = self.folder.with_name(self.folder.name + ".log")
        log.touch(mode=0o600)
        return log

    def _as_user(self) -> dict[str, object]:
        if not self._user:
            return {}
        return {"user": self._user.pw_uid, "group": self._user.pw_gid, "extra_groups": []}

    def _reachable(self, wanted: Path) -> Path:
        """The wanted folder, or one below /var/lib when the user `postgres` cannot get into the checkout."""
        if not self._user:
            return wanted
        parent = next(place for place in wanted.parents if place.exists())
        enters = subprocess.run(["test", "-x", str(parent)], cwd="/", **self._as_user())
        if enters.returncode == 0:
            return wanted
        if (wanted / "PG_VERSION").is_file():
            # Beginning anew elsewhere would look as if everything were lost.
            raise ServerError(
                f"The database in {wanted} is out of reach for the user postgres: let others enter its folders again."
            )
        code = hashlib.sha256(str(wanted).encode()).hexdigest()[:12]
        return Path("/var/lib/fairtexel") / code / wanted.name


def _programs() -> Path:
    found = sorted(Path("/usr/lib/postgresql").glob("*/bin"), key=lambda path: int(path.parent.name))
    if not found:
        raise ServerError("PostgreSQL is not installed: apt-get install postgresql")
    return found[-1]


def _waits_to_be_reaped(number: int) -> bool:
    """Whether a process has ended and its parent has not taken notice (proc(5): state Z)."""
    try:
        return Path(f"/proc/{number}/stat").read_text().rpartition(")")[2].split()[0] == "Z"
    except (OSError, IndexError):
        return False


def _alive(pid: int, folder: Path) -> bool:
    """Whether a process is a PostgreSQL server on this folder, and not a stranger that got its number."""
    try:
        return str(folder).encode() in Path(f"/proc/{pid}/cmdline").read_bytes()
    except (FileNotFoundError, ProcessLookupError, PermissionError):
        return False


if __name__ == "__main__":
    sys.exit("This is a module of tools/serve.py and of the tests.")
