"""Timers: something done a little later, once, however often it is asked for meanwhile."""

from collections.abc import Callable

from PyQt6.QtCore import QObject, QTimer


def once_after(parent: QObject, pause_ms: int, slot: Callable[[], object]) -> QTimer:
    """Return a timer that calls `slot` once, so long after it was last started."""
    timer = QTimer(parent)
    timer.setSingleShot(True)
    timer.setInterval(pause_ms)
    timer.timeout.connect(slot)
    return timer
