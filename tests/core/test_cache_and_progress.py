from __future__ import annotations

import threading
import time
from concurrent.futures import ThreadPoolExecutor
from fractions import Fraction

import pytest

from grevin.core.cache import ByteCache
from grevin.core.errors import CancelledError, UsageError
from grevin.core.keys import content_key
from grevin.core.parallel import in_parallel
from grevin.core.progress import Progress, ProgressReport
from grevin.core.timebase.rates import parse_range, parse_rate


def test_the_cache_never_holds_more_than_its_bytes() -> None:
    cache = ByteCache(100)
    for number in range(20):
        cache.get(str(number), lambda: "x", lambda _: 30)
        assert cache.used_bytes <= 100
    assert "19" in cache
    assert "0" not in cache
    cache.put("large", "x", 101)
    assert "large" not in cache
    cache.clear()
    assert cache.used_bytes == 0
    with pytest.raises(ValueError, match="positive"):
        ByteCache(0)


def test_what_was_used_last_stays() -> None:
    cache = ByteCache(90)
    for key in "abc":
        cache.put(key, key, 30)
    assert cache.peek("a") == "a"
    cache.put("d", "d", 30)
    assert "a" in cache
    assert "b" not in cache


def test_a_result_wanted_twice_at_once_is_made_once() -> None:
    cache, made = ByteCache(1000), []

    def make() -> int:
        made.append(1)
        time.sleep(0.05)
        return 7

    with ThreadPoolExecutor(4) as pool:
        assert list(pool.map(lambda _: cache.get("k", make, lambda _: 8), range(4))) == [7] * 4
    assert len(made) == 1


def test_a_failure_reaches_everybody_and_is_not_kept() -> None:
    cache = ByteCache(1000)
    entered = threading.Event()

    def fail() -> int:
        entered.set()
        time.sleep(0.05)
        raise KeyError("no")

    with ThreadPoolExecutor(2) as pool:
        first = pool.submit(cache.get, "k", fail, lambda _: 8)
        entered.wait()
        second = pool.submit(cache.get, "k", fail, lambda _: 8)
        for waiting in (first, second):
            with pytest.raises(KeyError):
                waiting.result()
    assert cache.get("k", lambda: 1, lambda _: 8) == 1


def test_keys_tell_parts_apart() -> None:
    assert content_key("ab", "c") != content_key("a", "bc")
    assert content_key("a", 1) == content_key("a", "1")


def test_progress_reports_and_cancels() -> None:
    reports: list[ProgressReport] = []
    progress = Progress(reports.append)
    progress.begin(4, "Writing")
    progress.advance(2)
    assert (reports[-1].fraction, reports[-1].message) == (0.5, "Writing")
    assert reports[0].seconds_left is None
    assert reports[-1].seconds_left is not None
    progress.cancel()
    assert progress.cancelled
    with pytest.raises(CancelledError):
        progress.advance()


def test_parallel_work_keeps_its_order_and_its_bounds() -> None:
    running, most, lock = [0], [0], threading.Lock()

    def make(number: int) -> int:
        with lock:
            running[0] += 1
            most[0] = max(most[0], running[0])
        time.sleep(0.002 * (number % 3))
        with lock:
            running[0] -= 1
        return number * number

    assert list(in_parallel(make, range(40))) == [n * n for n in range(40)]
    started = in_parallel(make, range(10**9))
    assert [next(started) for _ in range(3)] == [0, 1, 4]
    started.close()


def test_rates_ranges_and_counters() -> None:
    assert parse_rate("29.97") == Fraction(30000, 1001)
    assert parse_rate("24000/1001") == Fraction(24000, 1001)
    assert parse_rate("16.67") == Fraction(1667, 100)
    for wrong in ("", "x", "0", "-3", "1/0", "5000"):
        with pytest.raises(UsageError, match="is not a frame rate"):
            parse_rate(wrong)
    assert parse_range(None, 9) == range(9)
    assert parse_range("2:5", 9) == range(2, 5)
    assert parse_range(":5", 9) == range(5)
    assert parse_range("5:", 9) == range(5, 9)
    for wrong in ("5", "5:5", "7:3", "0:10", "-1:3", "a:b"):
        with pytest.raises(UsageError, match="is not inside the reel's frames 0 to 8"):
            parse_range(wrong, 9)


def test_opencv_runs_on_one_thread_from_the_start() -> None:
    """The number belongs to the whole process: it is set in one place, before anything uses it."""
    import subprocess
    import sys

    words = "import grevin.core.motion.flow, cv2, sys; sys.exit(cv2.getNumThreads() != 1)"
    assert subprocess.run([sys.executable, "-c", words], check=False).returncode == 0
    import pathlib

    root = pathlib.Path(__file__).parent.parent.parent
    users = [p for p in [*root.glob("src/**/*.py"), *root.glob("bench/*.py")] if "setNumThreads(" in p.read_text()]
    assert [p.parent.name for p in users] == ["core"]
