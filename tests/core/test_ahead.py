"""Frames that workers make ahead: in order, never waited for in vain, whatever becomes of the workers."""

from __future__ import annotations

import threading
import time
from concurrent.futures import Future
from typing import Any

import pytest

from grevin import __version__
from grevin.core.errors import CancelledError, UnreadableFrameError, UsageError, WorkersDifferError
from grevin.core.job.crew import LocalWorkers, OrderCrew, _understood, chosen_workers, greet, make_stretch
from grevin.core.job.orders import Order
from grevin.core.progress import Progress
from grevin.core.render.ahead import AHEAD, STRETCH, TRIES, Ahead
from grevin.core.render.ready import ReadyFrames


class FakeCrew:
    """Notes what it is given; `answer` says what becomes of it."""

    size = 2
    alive = True

    def __init__(self, answer: Any = None) -> None:
        self.given: list[range] = []
        self.answer = answer
        self.kept: set[int] = set()

    def make(self, first: int, stop: int) -> Future[Any]:
        self.given.append(range(first, stop))
        future: Future[Any] = Future()
        if isinstance(self.answer, BaseException):
            future.set_exception(self.answer)
        elif self.answer is not None:
            self.kept.update(range(first, stop))
            future.set_result(self.answer)
        return future

    def lacks(self, number: int) -> bool:
        return number not in self.kept


def ahead_of(crew: FakeCrew, count: int = 500, progress: Progress | None = None) -> Ahead:
    return Ahead(crew, range(10, 10 + count), crew.lacks, progress or Progress())


def test_no_more_is_given_out_than_keeps_them_busy() -> None:
    crew = FakeCrew(0)
    ahead = ahead_of(crew)
    assert len(crew.given) == crew.size * AHEAD + 1
    for number in range(10, 510):
        ahead.wait_for(number)
        assert number not in range(crew.given[-1].stop, 510) or ahead.made(number)
    assert [number for stretch in crew.given for number in stretch] == list(range(10, 510))
    assert ahead.notes() == ()


def test_what_is_there_is_not_made_again() -> None:
    crew = FakeCrew(0)
    crew.kept = set(range(10, 10 + 3 * STRETCH))
    ahead = ahead_of(crew)
    ahead.wait_for(11)
    assert crew.given[0].start == 10 + 3 * STRETCH
    assert not ahead.made(11)


@pytest.mark.parametrize("answer", [3, "a frame", {"hostile": 1}])
def test_where_nothing_can_be_kept_the_workers_are_let_go(answer: Any) -> None:
    crew = FakeCrew(answer)
    ahead = ahead_of(crew)
    ahead.wait_for(10)
    given = len(crew.given)
    ahead.wait_for(400)
    assert len(crew.given) == given
    assert "no room" in ahead.notes()[0]


def test_workers_that_see_another_file_are_let_go_and_it_is_said() -> None:
    crew = FakeCrew(0)
    ahead = Ahead(crew, range(10, 510), lambda number: True, Progress())
    for number in range(10, 10 + STRETCH):
        ahead.wait_for(number)
    given = len(crew.given)
    ahead.wait_for(400)
    assert len(crew.given) == given
    assert not ahead.made(11)
    assert f"{STRETCH} frames had to be made again" in ahead.notes()[0]


def test_what_a_lost_worker_had_is_given_out_again_and_in_the_end_left_to_the_writer() -> None:
    crew = FakeCrew(RuntimeError("gone"))
    ahead = ahead_of(crew, STRETCH)
    ahead.wait_for(12)
    assert len(crew.given) == TRIES + 1
    assert "given out again" in ahead.notes()[0]


def test_a_frame_that_cannot_be_read_is_the_writers_to_tell() -> None:
    crew = FakeCrew(UnreadableFrameError("a.mkv", 12, "torn"))
    ahead = ahead_of(crew, STRETCH)
    ahead.wait_for(12)
    assert (len(crew.given), ahead.notes()) == (1, ())


def test_workers_of_another_version_end_the_run() -> None:
    ahead = ahead_of(FakeCrew(WorkersDifferError("Another version.", "Install the same.")))
    with pytest.raises(WorkersDifferError):
        ahead.wait_for(12)
    with pytest.raises(WorkersDifferError, match="Install the same version"):
        make_stretch("0.0.0", "{}", "nowhere", 1, 0, 1)


@pytest.mark.parametrize("how", ["cancelled", "lost", "closed"])
def test_nobody_waits_for_ever(how: str) -> None:
    crew, progress = FakeCrew(), Progress()
    ahead = ahead_of(crew, progress=progress)
    ended: list[str] = []

    def wait() -> None:
        try:
            ahead.wait_for(12)
            ended.append("alone")
        except CancelledError:
            ended.append("cancelled")

    waiting = threading.Thread(target=wait)
    waiting.start()
    time.sleep(0.05)
    if how == "cancelled":
        progress.cancel()
    elif how == "lost":
        crew.alive = False
    else:
        ahead.close()
    waiting.join(timeout=10)
    assert ended == ["cancelled" if how == "cancelled" else "alone"]
    assert ("The scheduler was lost" in "".join(ahead.notes())) == (how == "lost")


def test_workers_are_chosen_in_words(tmp_path) -> None:
    with chosen_workers(0, "") as none:
        assert none is None
    with pytest.raises(UsageError, match="either of this machine or of a cluster"), chosen_workers(2, "tcp://x:1"):
        pass
    with pytest.raises(UsageError, match="999 workers"):
        LocalWorkers(999)
    with pytest.raises(UsageError, match="No scheduler answers at nowhere"), chosen_workers(0, "nowhere"):
        pass


class Answering:
    """Workers that answer as they are told to."""

    size, threads, alive = 1, 1, True

    def __init__(self, *answers: Any) -> None:
        self.answers = answers

    def see(self, paths: list[Any]) -> None:
        for answer in self.answers:
            version, unseen = _understood("tcp://w", answer)
            assert version == __version__
            assert not unseen


@pytest.mark.parametrize("answer", [None, 5, ("1",), ("1", 2)])
def test_an_answer_that_is_none_is_refused(answer: Any, tmp_path) -> None:
    with pytest.raises(WorkersDifferError, match="no answer that can be understood"):
        OrderCrew(Answering(answer), Order(reel={"path": "a.mkv"}, output="b.mkv"), ReadyFrames(tmp_path))  # type: ignore[arg-type]


def test_a_worker_says_what_it_does_not_see(tmp_path) -> None:
    assert greet([str(tmp_path), "/no/such"]) == (__version__, ["/no/such"])
