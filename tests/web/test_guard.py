"""The guarded look: a file that takes its reader down costs that file alone."""

from __future__ import annotations

import resource
import sys
from collections.abc import Callable
from pathlib import Path

import pytest

from texelcore.pixels.errors import UnreadableImage
from texelweb.storage import guard as guarding
from texelweb.storage import looker
from texelweb.storage.guard import Guard

Maker = Callable[..., Path]


@pytest.fixture(autouse=True)
def one_helper() -> None:
    """Each test here has a helper of its own."""


def helper(monkeypatch: pytest.MonkeyPatch, code: str, times: int = 1) -> None:
    """Put another program in the helper's place, so many times; the next start is the real one again."""
    real, used = guarding.subprocess.Popen, []

    def start(command: list[str], **options: object) -> object:
        chosen = command if len(used) >= times else [sys.executable, "-c", code]
        used.append(chosen)
        return real(chosen, **options)  # type: ignore[call-overload]

    monkeypatch.setattr(guarding.subprocess, "Popen", start)


def test_good_files_pass_and_bad_ones_are_named(picture: Maker, tmp_path: Path) -> None:
    good, bad = picture("good.png"), tmp_path / "stored under a hash"
    bad.write_text("words")
    with Guard() as guard:
        assert guard.look(good, "set/good.png", 96)[0].width == 16
        with pytest.raises(UnreadableImage) as refused:
            guard.look(bad, "set/bad.png", 96)
        assert refused.value.subject == "bad.png"
        assert guard.look(good, "again.png", 96)[0].path == "again.png"


@pytest.mark.parametrize(
    "code",
    ["import os; os.kill(os.getpid(), 11)", "print('no JSON')", "print('{\"facts\": {}}')", "import sys; sys.stdin.readline()"],
    ids=["crashes", "babbles", "lies", "ends"],
)
def test_a_helper_that_fails_costs_one_file(picture: Maker, monkeypatch: pytest.MonkeyPatch, code: str) -> None:
    path = picture("good.png")
    helper(monkeypatch, code, times=2)
    with Guard() as guard:
        with pytest.raises(UnreadableImage, match="ended the helper that decodes it, twice"):
            guard.look(path, "hostile.png", 96)
        assert guard.look(path, "good.png", 96)[0].height == 16


def test_a_helper_that_is_killed_refuses_no_good_file(picture: Maker, monkeypatch: pytest.MonkeyPatch) -> None:
    """A kill says nothing of the file: it is tried again for longer, and not called damaged in the end."""
    path = picture("good.png")
    monkeypatch.setattr(guarding, "PAUSE", 0.0)
    for times in (guarding.KILLED_TRIES - 1, guarding.KILLED_TRIES):
        with monkeypatch.context() as patched, Guard() as guard:
            helper(patched, "import os; os.kill(os.getpid(), 9)", times)
            if times < guarding.KILLED_TRIES:
                assert guard.look(path, "good.png", 96)[0].height == 16
                continue
            with pytest.raises(UnreadableImage, match="was killed 6 times") as refused:
                guard.look(path, "good.png", 96)
            assert "send the file again" in refused.value.way_out


def test_a_helper_that_hangs_is_ended(picture: Maker, monkeypatch: pytest.MonkeyPatch) -> None:
    path = picture("good.png")
    for code, name in (("while True: pass", "SECONDS_PER_FILE"), ("import signal; signal.pause()", "MOST_SECONDS")):
        # What works for too long, and what sleeps; a wait for the processor is neither.
        helper(monkeypatch, code)
        with monkeypatch.context() as short:
            short.setattr(guarding, name, 0.2)
            with Guard() as guard, pytest.raises(UnreadableImage, match="to decode"):
                guard.look(path, "slow.png", 96)


def test_the_helper_cannot_write_files_nor_take_all_memory(monkeypatch: pytest.MonkeyPatch) -> None:
    set_to: dict[int, tuple[int, int]] = {}
    monkeypatch.setattr(resource, "setrlimit", lambda which, limits: set_to.update({which: limits}))
    looker.limit()
    assert set_to[resource.RLIMIT_FSIZE] == (0, 0)
    assert 0 < set_to[resource.RLIMIT_AS][0] <= 6 * 1024**3
