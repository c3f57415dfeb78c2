"""Run the application on this machine: database, server and worker, until Ctrl-C. Called by ./start."""

from __future__ import annotations

import argparse
import fcntl
import http.client
import json
import os
import secrets
import shutil
import signal
import subprocess
import sys
import time
from pathlib import Path
from types import FrameType
from typing import Any

from postgres import Server, ServerError, ends_with_us, free_port

ROOT = Path(__file__).resolve().parents[1]
VAR = Path(os.environ.get("FAIRTEXEL_DATA", ROOT / "var"))
# There where this checkout began without the demo world.
EMPTY = VAR / "empty"
USUAL_PORT = 8400
DEPOT_PORT = 8401
# The demo depot's own, for a server that only this machine reaches.
DEPOT_KEY = "thistledown-depot"
PYTHON = sys.executable


class Stop(Exception):
    """Somebody pressed Ctrl-C, or asked by signal."""


def main() -> int:
    """Start everything, wait, stop everything in the reverse order."""
    options = _options()
    _close_to_others()
    lock = (VAR / "start.lock").open("a+")
    try:
        fcntl.flock(lock, fcntl.LOCK_EX | fcntl.LOCK_NB)
    except BlockingIOError:
        lock.seek(0)
        print(f"Fair Texel runs already from this folder: {lock.read().strip() or 'it is just starting'}", file=sys.stderr)
        return 1
    for number in (signal.SIGINT, signal.SIGTERM, signal.SIGHUP):
        signal.signal(number, _raise_stop)
    known = known_secrets()
    try:
        server = Server(VAR / "postgres", known["database"])
    except ServerError as error:
        print(error, file=sys.stderr)
        return 1
    children: dict[str, subprocess.Popen[bytes]] = {}
    try:
        _begin(options, server)
        server.start()
        environment = application_environment(server, known)
        environment["TMPDIR"] = _scratch()
        depot_port = free_port(DEPOT_PORT)
        environment["FAIRTEXEL_DEPOT_URL"] = f"http://127.0.0.1:{depot_port}"
        environment["FAIRTEXEL_DEPOT_KEY"] = DEPOT_KEY
        environment["FAIRTEXEL_SETUP_CODE"] = code = secrets.token_urlsafe(12)
        _prepare(environment, EMPTY.exists())
        port = free_port(options.port)
        address = f"http://127.0.0.1:{port}/"
        children["depot"] = _child(_depot(depot_port), environment, "depot")
        children["server"] = _child(_gunicorn(port), environment, "server")
        children["worker"] = _child(_worker(), environment, "worker")
        _wait_for(port, children["server"])
        lock.truncate(0)
        lock.write(address)
        lock.flush()
        _greet(address, port, code)
        _watch(children, environment, server)
    except Stop:
        print("\nStopping …", flush=True)
        return 0
    except ServerError as error:
        print(error, file=sys.stderr)
        return 1
    finally:
        for number in (signal.SIGINT, signal.SIGTERM, signal.SIGHUP):
            signal.signal(number, signal.SIG_IGN)
        _stop(children)
        server.stop()
        lock.truncate(0)
    return 1


def _begin(options: argparse.Namespace, server: Server) -> None:
    """Delete what is there, or begin without a demo world, as the options say. Raises ServerError where both cannot be."""
    if options.fresh:
        server.remove()
        for name in ("storage", "deliveries"):
            shutil.rmtree(VAR / name, ignore_errors=True)
        EMPTY.unlink(missing_ok=True)
    if options.empty and not EMPTY.exists():
        if server.exists:
            raise ServerError(f"{VAR} holds a demo world. ./start --fresh --empty deletes all of it and begins empty.")
        # Remembered, so that a later start does not put demo users into somebody's studio.
        EMPTY.touch()


def _close_to_others() -> None:
    """Secrets, logs and files are for their owner alone. Where root serves, the database's own user passes through."""
    VAR.mkdir(exist_ok=True)
    VAR.chmod(0o711 if os.geteuid() == 0 else 0o700)
    (VAR / "storage").mkdir(exist_ok=True)
    (VAR / "storage").chmod(0o700)
    for name in ("access", "security", "server", "worker", "depot"):
        log = VAR / f"{name}.log"
        log.touch()
        log.chmod(0o600)


def _scratch() -> str:
    """A folder for what is being worked on. Nothing else runs over these data: what killed processes left in it goes."""
    place = VAR / "scratch"
    shutil.rmtree(place, ignore_errors=True)
    place.mkdir(mode=0o700, exist_ok=True)
    return str(place)


def _options() -> argparse.Namespace:
    parser = argparse.ArgumentParser(prog="./start", description="Serve Fair Texel on this machine until Ctrl-C.")
    parser.add_argument("--fresh", action="store_true", help="delete all data of this checkout and begin anew")
    parser.add_argument("--empty", action="store_true", help="begin without the demo world: for a studio of one's own")
    parser.add_argument("--port", type=int, default=USUAL_PORT, help=f"port to serve on (usual: {USUAL_PORT})")
    return parser.parse_args()


def _raise_stop(number: int, frame: FrameType | None) -> None:
    raise Stop


def application_environment(server: Server, known: dict[str, str]) -> dict[str, str]:
    """What the application's own processes need to know."""
    own = {"FAIRTEXEL_DATA": str(VAR), "FAIRTEXEL_SECRET_KEY": known["django"], "DJANGO_SETTINGS_MODULE": "texelweb.settings"}
    return os.environ | server.environment() | own


def known_secrets() -> dict[str, str]:
    """This checkout's own secrets, made once."""
    place = VAR / "secrets.json"
    if not place.is_file():
        place.touch(mode=0o600)
        place.write_text(json.dumps({"django": secrets.token_urlsafe(48), "database": secrets.token_urlsafe(24)}))
    return dict(json.loads(place.read_text()))


def _prepare(environment: dict[str, str], empty: bool) -> None:
    command = [PYTHON, "-m", "texelweb", "prepare", "--empty" if empty else "--lived"]
    result = subprocess.Popen(command, env=environment, start_new_session=True)
    try:
        if result.wait():
            raise ServerError("The database could not be prepared; the message above says why.")
    except Stop:
        result.terminate()
        result.wait()
        raise


def _gunicorn(port: int) -> list[str]:
    # What is imported before its workers are made is shared by them. Browsers use a connection again for as long as a person
    # reads: one that is closed as a change is sent on it is an error that nobody understands.
    bind = ["--bind", f"127.0.0.1:{port}", "--workers", "2", "--threads", "6", "--timeout", "300"]
    bind += ["--preload", "--keep-alive", "75"]
    logs = ["--log-level", "warning", "--access-logfile", str(VAR / "access.log")]
    return [PYTHON, "-m", "gunicorn", "texelweb.wsgi", *bind, "--graceful-timeout", "5", *logs]


def _depot(port: int) -> list[str]:
    # One process: what it is told to do wrong is remembered in it.
    bind = ["--bind", f"127.0.0.1:{port}", "--workers", "1", "--threads", "4", "--timeout", "300"]
    return [PYTHON, "-m", "gunicorn", "texeldepot.server:app()", *bind, "--graceful-timeout", "2", "--log-level", "warning"]


def _worker() -> list[str]:
    # Pages go before jobs, where both share a machine.
    return ["nice", "-n", "5", PYTHON, "-m", "texelweb", "work", "--concurrency", "2"]


def _child(command: list[str], environment: dict[str, str], name: str) -> subprocess.Popen[bytes]:
    """A child in a session of its own, so that Ctrl-C reaches only us, and that dies when we do."""
    with (VAR / f"{name}.log").open("ab") as log:
        return subprocess.Popen(
            ends_with_us(signal.SIGTERM, *command),
            env=environment,
            stdin=subprocess.DEVNULL,
            stdout=log,
            stderr=log,
            start_new_session=True,
        )


def _wait_for(port: int, child: subprocess.Popen[bytes]) -> None:
    for _ in range(300):
        if child.poll() is not None:
            raise ServerError(f"The server stopped while starting; see {VAR / 'server.log'}.")
        try:
            connection = http.client.HTTPConnection("127.0.0.1", port, timeout=5)
            connection.request("GET", "/api/session")
            if connection.getresponse().status == 200:
                return
        except OSError:
            pass
        time.sleep(0.1)
    raise ServerError(f"The server did not answer within 30 s; see {VAR / 'server.log'}.")


def _greet(address: str, port: int, code: str) -> None:
    if _asked(port, "/api/setup")["empty"]:
        print(f"\n  Fair Texel is at {address}set-up#{code}")
        print("  Nobody has an account yet: open that address and make the first. It works until this server stops.\n")
    elif EMPTY.exists():
        print(f"\n  Fair Texel is at {address}\n")
    else:
        print(f"\n  Fair Texel is at {address}\n")
        print("  Demo users: lead, artist, guest. Password for each: thistledown")
    print(f"  The depot's key: {DEPOT_KEY}")
    print("  Ctrl-C stops everything.\n", flush=True)


def _asked(port: int, path: str) -> dict[str, Any]:
    connection = http.client.HTTPConnection("127.0.0.1", port, timeout=30)
    connection.request("GET", path)
    return dict(json.loads(connection.getresponse().read()))


def _watch(children: dict[str, subprocess.Popen[bytes]], environment: dict[str, str], server: Server) -> None:
    """Wait for Ctrl-C. A worker that dies is started again; without server or database there is nothing to serve."""
    while True:
        time.sleep(0.5)
        if children["server"].poll() is not None or not server.running:
            raise ServerError(f"The server or its database stopped; see the logs in {VAR}.")
        if children["depot"].poll() is not None:
            print("The depot stopped; starting it again.", file=sys.stderr)
            port = int(environment["FAIRTEXEL_DEPOT_URL"].rpartition(":")[2])
            children["depot"] = _child(_depot(port), environment, "depot")
        if children["worker"].poll() is not None:
            print("The worker died; starting it again.", file=sys.stderr)
            children["worker"] = _child(_worker(), environment, "worker")


def _stop(children: dict[str, subprocess.Popen[bytes]]) -> None:
    for child in children.values():
        if child.poll() is None:
            child.terminate()
    for child in children.values():
        try:
            child.wait(timeout=8)
        except subprocess.TimeoutExpired:
            child.kill()
            child.wait()


if __name__ == "__main__":
    sys.exit(main())
