"""One decode serves all who ask for a picture at the same time, and a budget bounds what is worked on at once."""

from __future__ import annotations

from concurrent.futures import ThreadPoolExecutor
from threading import Barrier, Event, Lock

import numpy as np
import pytest

from texelcore.pixels.errors import UnreadableImage
from texelcore.pixels.image import Image
from texelweb.refusals import Refused
from texelweb.storage.decoded import Budget, Shelf

ASKING = 8


def picture(edge: int = 8) -> Image:
    return Image.of(np.zeros((edge, edge, 1), np.uint8))


def test_one_decode_serves_all_who_ask_at_the_same_time() -> None:
    shelf, ready, made = Shelf(1 << 20), Barrier(ASKING), []

    def decode() -> Image:
        made.append(1)
        return picture()

    def ask(_: int) -> Image:
        ready.wait()
        return shelf.get("a", decode)

    with ThreadPoolExecutor(ASKING) as pool:
        found = list(pool.map(ask, range(ASKING)))
    assert len(made) == 1 and all(image is found[0] for image in found)


def test_what_fails_fails_for_all_and_is_tried_again_by_the_next() -> None:
    shelf = Shelf(1 << 20)

    def fail() -> Image:
        raise UnreadableImage("a.png", "is damaged.", "Export it again.")

    with pytest.raises(UnreadableImage):
        shelf.get("a", fail)
    assert shelf.get("a", picture).width == 8


def test_the_last_ones_are_kept_within_their_bytes() -> None:
    shelf, made = Shelf(3 * 64), []

    def decode() -> Image:
        made.append(1)
        return picture()

    for key in "abcdabcd":
        shelf.get(key, decode)
    assert len(made) == 8, "four do not fit"
    for key in "bcdbcd":
        shelf.get(key, decode)
    assert len(made) == 8, "the last three do"
    assert shelf.bytes_of("a") is None and shelf.bytes_of("b") == 64


def test_a_budget_is_never_passed_but_by_one_alone() -> None:
    budget, lock, most, taken = Budget(10), Lock(), 0, 0
    # All of them want to be in at once, and are let out one by one.
    full, out = Event(), Event()

    def work(wanted: int) -> None:
        nonlocal most, taken
        with budget.take(wanted):
            with lock:
                taken += wanted
                most = max(most, taken)
                if taken + 4 > 10:
                    full.set()
            out.wait(30)
            with lock:
                taken -= wanted

    with ThreadPoolExecutor(ASKING) as pool:
        done = [pool.submit(work, 4) for _ in range(ASKING)]
        assert full.wait(30)
        out.set()
        for future in done:
            future.result(30)
    assert most == 8
    with budget.take(99):
        pass


def test_a_wait_has_an_end_that_is_said() -> None:
    budget = Budget(10, seconds=0.01)
    with budget.take(8), pytest.raises(Refused) as busy, budget.take(4):
        pass
    assert busy.value.status == 503 and "memory" in busy.value.body["problem"]
    with budget.take(4):
        pass
