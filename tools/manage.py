"""Run a command of the application on this checkout's data, beside ./start or without it. Called by tools/manage."""

from __future__ import annotations

import fcntl
import subprocess
import sys

from postgres import Server, ServerError
from serve import PYTHON, VAR, application_environment, known_secrets

# What must have the data for itself.
ALONE = ("restore", "migrate", "flush")


def main(arguments: list[str]) -> int:
    """Use the database that runs, or start it for as long as the command takes. Gives the command's exit code."""
    if not (VAR / "secrets.json").is_file():
        print(f"Nothing was ever started over {VAR}: run ./start once.", file=sys.stderr)
        return 1
    server = Server(VAR / "postgres", known_secrets()["database"])
    with (VAR / "start.lock").open("a+") as lock:
        try:
            fcntl.flock(lock, fcntl.LOCK_EX | fcntl.LOCK_NB)
        except BlockingIOError:
            if arguments[:1] and arguments[0] in ALONE:
                print(f"{arguments[0]} needs the data for itself: stop ./start first.", file=sys.stderr)
                return 1
            server.port = server.port_in_use()
            return _run(server, arguments)
        try:
            server.start()
            return _run(server, arguments)
        except ServerError as error:
            print(error, file=sys.stderr)
            return 1
        finally:
            server.stop()


def _run(server: Server, arguments: list[str]) -> int:
    environment = application_environment(server, known_secrets())
    return subprocess.run([PYTHON, "-m", "texelweb", *arguments], env=environment, check=False).returncode


if __name__ == "__main__":
    sys.exit(main(sys.argv[1:]))
