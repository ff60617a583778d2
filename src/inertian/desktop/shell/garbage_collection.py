"""Cyclic garbage is collected on the interface thread only.

Python may run its collector on any thread that allocates; if that is the worker, it would destroy
widgets there, and Qt would crash.
"""

import gc

from PyQt6.QtCore import QObject, QTimer

PAUSE_MS = 1000


class GarbageCollector(QObject):
    """Takes over from Python's automatic collection."""

    def __init__(self, parent: QObject) -> None:
        super().__init__(parent)
        gc.disable()
        self._timer = QTimer(self)
        self._timer.setInterval(PAUSE_MS)
        self._timer.timeout.connect(self._collect)
        self._timer.start()

    def _collect(self) -> None:
        """Collect the oldest generation that is due, as Python would."""
        for generation in (2, 1, 0):
            if gc.get_count()[generation] > gc.get_threshold()[generation] > 0:
                gc.collect(generation)
                return
