"""A person's mouse for the tests: presses, moves and releases, with the keys that are held."""

from PyQt6.QtCore import QEvent, QPointF, Qt
from PyQt6.QtGui import QMouseEvent
from PyQt6.QtWidgets import QApplication

LEFT, NONE = Qt.MouseButton.LeftButton, Qt.MouseButton.NoButton
FREE, CTRL = Qt.KeyboardModifier.NoModifier, Qt.KeyboardModifier.ControlModifier
SHIFT = Qt.KeyboardModifier.ShiftModifier


def mouse(widget, kind, x, y, buttons=LEFT, keys=FREE):
    """Send one mouse event, with the button held, as a person's drag does."""
    at = QPointF(x, y)
    button = NONE if kind is QEvent.Type.MouseMove else LEFT
    held = NONE if kind is QEvent.Type.MouseButtonRelease else buttons
    event = QMouseEvent(kind, at, QPointF(widget.mapToGlobal(at)), button, held, keys)
    QApplication.sendEvent(widget, event)


def press(widget, x, y, keys=FREE):
    mouse(widget, QEvent.Type.MouseButtonPress, x, y, keys=keys)


def move(widget, x, y, keys=FREE):
    mouse(widget, QEvent.Type.MouseMove, x, y, keys=keys)


def release(widget, x, y, keys=FREE):
    mouse(widget, QEvent.Type.MouseButtonRelease, x, y, keys=keys)


def drag(widget, start, stop, keys=FREE):
    """Press at one place, move in steps, and let go at another; places are pairs of px."""
    press(widget, *start, keys)
    for share in (0.3, 0.7, 1.0):
        move(widget, *(a + share * (b - a) for a, b in zip(start, stop, strict=True)), keys)
    release(widget, *stop, keys)


def click(widget, x, y, keys=FREE):
    press(widget, x, y, keys)
    release(widget, x, y, keys)


def strip_x(plot, time):
    """Where a time lies in a strip's viewport, in px."""
    return place(plot, time, 0.0)[0]


def place(plot, time, value):
    """Where a time and a value lie in a strip's viewport, in px."""
    scene = plot.getPlotItem().vb.mapViewToScene(QPointF(time, value))
    at = plot.mapFromScene(scene)
    return at.x(), at.y()
