"""Work off the interface thread: one worker, the newest request of a kind wins, answers come back
by signal.
"""

from collections.abc import Callable
from concurrent.futures import Future, ThreadPoolExecutor
from functools import partial
from typing import Any

from PyQt6.QtCore import QObject, Qt, pyqtSignal


class Worker(QObject):
    """Runs functions on one background thread and hands their results to the interface thread."""

    _done = pyqtSignal(object, object, object, int)

    def __init__(self) -> None:
        super().__init__()
        self._pool = ThreadPoolExecutor(1, thread_name_prefix="inertian")
        self._newest: dict[str, int] = {}
        self._open = True
        # Always queued, so that `then` never runs inside `run`; Qt's stubs do not know the argument
        queued = Qt.ConnectionType.QueuedConnection
        self._done.connect(self._deliver, queued)  # type: ignore[call-arg]

    def run(
        self,
        kind: str,
        work: Callable[[], Any],
        then: Callable[[Any], None],
        failed: Callable[[BaseException], None],
    ) -> None:
        """Do `work`, then call `then` with its result or `failed` with its error, on the interface
        thread.

        An answer is dropped if a newer request of the same kind was made meanwhile.
        """
        if not self._open:
            return
        job = self._newest[kind] = self._newest.get(kind, 0) + 1
        future = self._pool.submit(lambda: work() if self._newest[kind] == job else None)
        future.add_done_callback(partial(self._finished, kind, job, then, failed))

    def _finished(self, kind: str, job: int, then: Any, failed: Any, future: "Future[Any]") -> None:
        if self._open:
            self._done.emit(future, (then, failed), kind, job)

    def _deliver(self, future: "Future[Any]", answers: Any, kind: str, job: int) -> None:
        if not self._open or self._newest.get(kind) != job or future.cancelled():
            return
        then, failed = answers
        error = future.exception()
        if error is None:
            then(future.result())
        else:
            failed(error)

    def wait(self) -> None:
        """Wait until what was asked for before is done."""
        if self._open:
            self._pool.submit(lambda: None).result()

    def stop(self) -> None:
        """Finish what is running and take no more answers."""
        self._open = False
        self._pool.shutdown(wait=True, cancel_futures=True)
