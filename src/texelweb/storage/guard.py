"""The guarded look into untrusted files: decoding happens in a process of its own, with limits."""

from __future__ import annotations

import base64
import json
import os
import selectors
import signal
import subprocess
import sys
import time
from pathlib import Path
from types import TracebackType
from typing import Any

from texelcore.pixels.errors import UnreadableImage
from texelcore.surface.files import FileFacts

# Of processor time; and by the clock, for one that sleeps.
SECONDS_PER_FILE, MOST_SECONDS = 120, 1800
# Until a helper that says nothing more has ended.
SECONDS_TO_END = 5.0
# A helper may be ended by something else than its file. A kill says nothing of the file at all, be it by a person or by a system
# that is short of memory: the file is tried again for longer, after ever longer pauses (0.3 s, 0.6 s …).
TRIES, KILLED_TRIES, PAUSE = 2, 6, 0.3


class Guard:
    """A helper process that decodes files one by one; a file that takes it down costs only that file.

    Use as a context manager. Not for several threads at once.
    """

    def __init__(self) -> None:
        self._process: subprocess.Popen[str] | None = None

    def __enter__(self) -> Guard:
        return self

    def __exit__(self, kind: type[BaseException] | None, error: BaseException | None, trace: TracebackType | None) -> None:
        self._stop()

    def look(self, path: Path, shown_path: str, edge: int) -> tuple[FileFacts, dict[str, bytes]]:
        """What `facts_of` says of a file, and its small pictures by view, at most `edge` texels on an edge.

        Raises UnreadableImage, also when the helper takes too long, dies over the file twice (once it may have been something
        else that ended it), or is killed over it again and again.
        """
        answer = self._asked({"path": str(path), "shown": shown_path, "edge": edge}, ("facts", "small"))
        small = {view: base64.b64decode(body) for view, body in answer["small"].items()}
        return FileFacts.model_validate(answer["facts"]), small

    def panorama(self, path: Path, name: str) -> tuple[int, int, bytes]:
        """The width and height of a picture of everything around as it is kept, and its packed light. Raises as `look` does."""
        answer = self._asked({"path": str(path), "shown": name}, ("width", "height", "packed"))
        return int(answer["width"]), int(answer["height"]), base64.b64decode(answer["packed"])

    def _asked(self, request: dict[str, Any], keys: tuple[str, ...]) -> dict[str, Any]:
        name = request["shown"].rsplit("/", 1)[-1]
        died = killed = 0
        while True:
            try:
                answer = self._ask(self._running(), request)
                if "error" in answer:
                    raise UnreadableImage(name, answer["error"]["problem"], answer["error"]["way_out"])
                return {key: answer[key] for key in keys}
            except TimeoutError as error:
                self._stop()
                problem = f"took more than {SECONDS_PER_FILE} s of work to decode."
                raise UnreadableImage(name, problem, "Export it smaller, or open it in a painting program first.") from error
            except (BrokenPipeError, EOFError) as error:
                was_killed = self._was_killed()
                died, killed, failure = died + (not was_killed), killed + was_killed, error
            except (ValueError, KeyError) as error:
                died, failure = died + 1, error
            self._stop()
            if died == TRIES:
                problem = "ended the helper that decodes it, twice: it is damaged, or takes more memory than one picture may."
                raise UnreadableImage(name, problem, "Open it in a painting program and export it again.") from failure
            if killed == KILLED_TRIES:
                problem = f"could not be decoded: the helper that does it was killed {killed} times."
                raise UnreadableImage(name, problem, "The server may be short of memory: send the file again later.") from failure
            time.sleep(PAUSE * killed)

    def _was_killed(self) -> bool:
        """Whether the helper that has just ended was killed by somebody else."""
        try:
            return self._process is not None and self._process.wait(SECONDS_TO_END) == -signal.SIGKILL
        except subprocess.TimeoutExpired:
            return False

    def _ask(self, process: subprocess.Popen[str], request: dict[str, Any]) -> dict[str, Any]:
        if process.stdin is None or process.stdout is None:
            raise BrokenPipeError
        process.stdin.write(json.dumps(request) + "\n")
        process.stdin.flush()
        begun, had = time.monotonic(), cpu_seconds(process.pid)
        with selectors.DefaultSelector() as waiting:
            waiting.register(process.stdout, selectors.EVENT_READ)
            while not waiting.select(1.0):
                # A good file on a busy machine waits for its turn: what counts is the work that it takes.
                if cpu_seconds(process.pid) - had > SECONDS_PER_FILE or time.monotonic() - begun > MOST_SECONDS:
                    raise TimeoutError
        line = process.stdout.readline()
        if not line.endswith("\n"):
            raise EOFError
        answer: dict[str, Any] = json.loads(line)
        return answer

    def _running(self) -> subprocess.Popen[str]:
        if self._process is None or self._process.poll() is not None:
            self._process = subprocess.Popen(
                [sys.executable, "-m", "texelweb.storage.looker"],
                stdin=subprocess.PIPE,
                stdout=subprocess.PIPE,
                text=True,
                env={"PATH": os.environ.get("PATH", ""), "OPENBLAS_NUM_THREADS": "1"},
            )
        return self._process

    def _stop(self) -> None:
        if self._process is not None:
            self._process.kill()
            self._process.communicate()
            self._process = None


def cpu_seconds(pid: int) -> float:
    """How much processor time a process has had so far (proc(5): utime and stime, in clock ticks)."""
    try:
        fields = Path(f"/proc/{pid}/stat").read_text().rpartition(")")[2].split()
    except OSError:
        return 0.0
    return (int(fields[11]) + int(fields[12])) / os.sysconf("SC_CLK_TCK")
