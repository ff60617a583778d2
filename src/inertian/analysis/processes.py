"""Work shared by several processes: the same function over many items, answers in their order."""

import multiprocessing
from collections.abc import Callable, Iterator, Sequence
from concurrent.futures import Future, ProcessPoolExecutor
from typing import Any, TypeVar

CHUNK = 8  # items that a process takes at a time
AHEAD = 4  # chunks per process that wait, so that memory stays flat

Item = TypeVar("Item")
Answer = TypeVar("Answer")

_shared: Any = None  # of a worker process: what all its items have in common


def _begin(shared: Any) -> None:
    global _shared
    _shared = shared


def _work(function: Callable[[Any, Any], Any], items: Sequence[Any]) -> list[Any]:
    return [function(_shared, item) for item in items]


class Processes:
    """So many processes that know something in common; 1 does all work here. A context manager."""

    def __init__(self, jobs: int, shared: Any) -> None:
        self._shared = shared
        self._pool = (
            ProcessPoolExecutor(
                jobs, multiprocessing.get_context("spawn"), initializer=_begin, initargs=(shared,)
            )
            if jobs > 1
            else None
        )
        self._jobs = jobs

    def __enter__(self) -> "Processes":
        """Return itself."""
        return self

    def __exit__(self, *_error: object) -> None:
        """Stop; what was not begun is not done."""
        if self._pool is not None:
            self._pool.shutdown(wait=True, cancel_futures=True)

    def each(
        self, function: Callable[[Any, Item], Answer], items: Sequence[Item]
    ) -> Iterator[Answer]:
        """Yield function(shared, item) for each item, in their order."""
        if self._pool is None:
            for item in items:
                yield function(self._shared, item)
            return
        chunks = [items[k : k + CHUNK] for k in range(0, len(items), CHUNK)]
        waiting: list[Future[list[Answer]]] = []
        for chunk in chunks:
            waiting.append(self._pool.submit(_work, function, chunk))
            if len(waiting) > AHEAD * self._jobs:
                yield from waiting.pop(0).result()
        for future in waiting:
            yield from future.result()
