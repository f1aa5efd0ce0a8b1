"""A cache bounded in bytes, safe to use from many threads."""

from __future__ import annotations

import threading
from collections import OrderedDict
from collections.abc import Callable
from concurrent.futures import Future
from functools import cached_property
from typing import Any, TypeVar, cast

Result = TypeVar("Result")

MOST_PINNED = 64  # results that were learned of whole reels: those of the last settings that were tried


class ByteCache:
    """Least recently used results are dropped when the bytes run out.

    A result asked for by two threads at once is made only once; the second waits for the first.
    """

    def __init__(self, limit_bytes: int) -> None:
        if limit_bytes <= 0:
            raise ValueError(f"limit_bytes must be positive, not {limit_bytes}")
        self.limit_bytes = limit_bytes
        self._held: OrderedDict[str, tuple[Any, int]] = OrderedDict()
        self._making: dict[str, Future[Any]] = {}
        self._bytes = 0
        self._lock = threading.Lock()

    @cached_property
    def pinned(self) -> ByteCache:
        """For the few results that took a whole reel to make: bounded in their number, never dropped for pictures.

        Each is held with a size of 1.
        """
        return ByteCache(MOST_PINNED)

    @property
    def used_bytes(self) -> int:
        """Bytes held now; never above `limit_bytes`."""
        return self._bytes

    def __contains__(self, key: str) -> bool:
        with self._lock:
            return key in self._held

    def peek(self, key: str) -> Any | None:
        """The result under `key` if it is held, without making it."""
        with self._lock:
            return self._take(key)

    def put(self, key: str, value: Any, size: int) -> None:
        """Hold a result of `size` bytes (one larger than the whole cache is not held)."""
        with self._lock:
            self._store(key, value, size)

    def get(self, key: str, make: Callable[[], Result], size_of: Callable[[Result], int]) -> Result:
        """The result under `key`, made by `make()` if it is not held."""
        with self._lock:
            held = self._take(key)
            if held is not None:
                return cast("Result", held)
            pending = self._making.get(key)
            mine: Future[Any] | None = None
            if pending is None:
                mine = self._making[key] = Future()
        if pending is not None:
            return cast("Result", pending.result())
        assert mine is not None
        return self._make(key, mine, make, size_of)

    def _make(
        self, key: str, mine: Future[Any], make: Callable[[], Result], size_of: Callable[[Result], int]
    ) -> Result:
        try:
            value = make()
        except BaseException as fault:
            with self._lock:
                del self._making[key]
            mine.set_exception(fault)
            raise
        with self._lock:
            self._store(key, value, size_of(value))
            del self._making[key]
        mine.set_result(value)
        return value

    def clear(self) -> None:
        """Drop everything held."""
        with self._lock:
            self._held.clear()
            self._bytes = 0

    def _take(self, key: str) -> Any | None:
        entry = self._held.get(key)
        if entry is None:
            return None
        self._held.move_to_end(key)
        return entry[0]

    def _store(self, key: str, value: Any, size: int) -> None:
        if key in self._held:
            self._bytes -= self._held.pop(key)[1]
        if size > self.limit_bytes:
            return
        self._held[key] = (value, size)
        self._bytes += size
        while self._bytes > self.limit_bytes:
            _, (_, dropped) = self._held.popitem(last=False)
            self._bytes -= dropped
