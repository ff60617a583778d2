"""What is known of the open project and worked out in the background."""

from threading import Event

from PyQt6.QtCore import QObject

from inertian.desktop.state.document import Document
from inertian.desktop.state.worker import Worker


class BackgroundState(QObject):
    """Has a thread of its own; `_stopped` tells work that is under way to give up."""

    def __init__(self, document: Document) -> None:
        super().__init__()
        self._document, self._worker = document, Worker()
        self._stopped = Event()

    @staticmethod
    def _failed(error: BaseException) -> None:
        raise error

    def wait(self) -> None:
        """Wait until what was asked for before is done; for tests."""
        self._worker.wait()

    def leave(self) -> None:
        """Stop; the window closes."""
        self._stopped.set()
        self._worker.stop()
