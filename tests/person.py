"""A person at the bench, for the tests: looks at what is shown, types where the focus is, drags."""

from PyQt6.QtCore import Qt
from PyQt6.QtWidgets import QApplication, QLineEdit

from pointing import click, drag, strip_x

NO_KEY = Qt.KeyboardModifier.NoModifier


def entry(window):
    """The trial in hand, as the project has it."""
    return window.document.entry


def plot(window, quantity="position", axis="x", residuals=False):
    """The strip of a quantity."""
    return window.bench.strip(quantity, axis, residuals).plot


class Person:
    """Does what a person does, and knows nothing that a person could not see."""

    def __init__(self, window, qtbot):
        self.window, self._qtbot = window, qtbot

    @property
    def spans(self):
        """The spans of the trial in hand, by name."""
        return {span.name: span for span in entry(self.window).spans}

    @property
    def told(self):
        """What the status line says."""
        return self.window.note_label.text()

    def press(self, name, modifier=NO_KEY):
        """Press a key with the rail in focus."""
        self.window.bench.rail.setFocus()
        self._qtbot.keyClick(self.window.bench.rail, getattr(Qt.Key, f"Key_{name}"), modifier)

    def write(self, text, confirm=True):
        """Write into the field that has the focus, in place of what stands there."""
        field = QApplication.focusWidget()
        assert isinstance(field, QLineEdit), f"nothing to write into: {field}"
        field.selectAll()
        self._qtbot.keyClicks(field, text)
        if confirm:
            self._qtbot.keyClick(field, Qt.Key.Key_Return)

    def confirm(self):
        """Take what stands in the field that has the focus."""
        self._qtbot.keyClick(QApplication.focusWidget(), Qt.Key.Key_Return)

    def drag_end(self, span, edge, samples, keys=NO_KEY):
        """Drag the start or the stop of a span by so many samples, on the rail."""
        rail, trial = self.window.bench.rail, entry(self.window).trial
        time = getattr(self.spans[span], edge)
        # The height of the lane that the flag of the span stands in, found as a person finds it:
        # the line of an edge runs through the whole rail
        y = rail.height() // 2
        drag(rail, (rail.x_of(time), y), (rail.x_of(time + samples * trial.step()), y), keys)

    def click_at(self, time, y=80, quantity="position", axis="x"):
        """Click in a strip at a time: the plumb line stands there."""
        strip = plot(self.window, quantity, axis)
        click(strip.viewport(), strip_x(strip, time), y)
