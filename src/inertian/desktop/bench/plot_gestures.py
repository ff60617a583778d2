"""What the mouse does in a strip while its button is held: one object for each gesture."""

from abc import ABC, abstractmethod
from collections.abc import Callable
from dataclasses import dataclass

import pyqtgraph as pg
from PyQt6.QtCore import QPointF, QRectF
from PyQt6.QtWidgets import QLabel

from inertian.desktop.bench.bench_parts import StripInterface
from inertian.desktop.bench.gestures import DateDrag, Drag, NewSpan
from inertian.desktop.bench.sample_exclusion import (
    nearest_sample,
    samples_inside,
    set_aside_samples,
    toggle_sample,
)
from inertian.desktop.look import words
from inertian.desktop.state.document import Document


@dataclass(frozen=True)
class Pointer:
    """Where the mouse is: px in the strip, time and value there, and the size of a px in these.

    `still`: it has hardly moved since its button was pressed, so that letting go is a click.
    """

    position: QPointF
    place: QPointF
    per_pixel: tuple[float, float]
    still: bool

    @property
    def time(self) -> float:
        """The time under the mouse in s."""
        return float(self.place.x())


class PlotGesture(ABC):
    """A gesture between press and release."""

    @abstractmethod
    def move(self, to: Pointer) -> None:
        """Follow the mouse."""

    @abstractmethod
    def release(self, at: Pointer) -> None:
        """Let go: make the edit."""

    @abstractmethod
    def cancel(self) -> None:
        """Drop it; nothing happened."""


class MoveLine(PlotGesture):
    """The plumb line is held."""

    def __init__(self, strip: StripInterface) -> None:
        self._view = strip.bench.view
        self._begun = self._view.line

    def move(self, to: Pointer) -> None:
        """Take the line along."""
        self._view.move_line(to.time)

    def release(self, at: Pointer) -> None:
        """Leave the line where it is."""

    def cancel(self) -> None:
        """Put the line back."""
        if self._begun is not None:
            self._view.move_line(self._begun)


class MoveDate(PlotGesture):
    """A date of the accounts is held; numbers follow."""

    def __init__(self, document: Document, place: int) -> None:
        self._document, self._drag = document, DateDrag(document, place)

    def move(self, to: Pointer) -> None:
        """Show the accounts at the moved date."""
        if self._document.previewing or not to.still:
            self._drag.move(to.time)

    def release(self, at: Pointer) -> None:
        """Make the edit."""
        self._drag.finish()

    def cancel(self) -> None:
        """Put the date back."""
        self._drag.cancel()


class MoveSpanPart(PlotGesture):
    """An edge or a whole span is held; a mere click puts the plumb line there."""

    def __init__(self, document: Document, strip: StripInterface, drag: Drag) -> None:
        self._document, self._bench, self._drag = document, strip.bench, drag
        self._bench.rail.activate(drag.handle)
        self._bench.mark_live(drag.handle)

    def move(self, to: Pointer) -> None:
        """Show the edit; numbers follow."""
        if self._document.previewing or not to.still:
            self._drag.move(to.time)

    def release(self, at: Pointer) -> None:
        """Make the edit, or take it for a click."""
        if at.still and not self._document.previewing:
            self._drag.cancel()
            self._bench.view.move_line(at.time)
        else:
            self._drag.finish()
        self._bench.mark_live(None)

    def cancel(self) -> None:
        """Put the edge back."""
        self._drag.cancel()
        self._bench.mark_live(None)


class MarkSpan(PlotGesture):
    """A new span grows from where the button was pressed."""

    def __init__(self, document: Document, strip: StripInterface, time: float) -> None:
        self._document, self._bench = document, strip.bench
        self._new = NewSpan(document, time)

    def move(self, to: Pointer) -> None:
        """Show the span."""
        if self._document.previewing or not to.still:
            self._new.move(to.time)

    def release(self, at: Pointer) -> None:
        """Mark it, and ask for its name; a mere click puts the plumb line there."""
        if at.still and not self._document.previewing:
            self._new.cancel()
            self._bench.view.move_line(at.time)
        elif self._new.finish():
            self._bench.rail.type_name(self._new.name)
        self._bench.mark_live(None)

    def cancel(self) -> None:
        """Mark nothing."""
        self._new.cancel()
        self._bench.mark_live(None)


class SelectSamples(PlotGesture):
    """A rectangle, or a click, that sets samples aside."""

    def __init__(
        self, document: Document, strip: StripInterface, rubber: QLabel, corner: Pointer
    ) -> None:
        self._document, self._strip, self._rubber = document, strip, rubber
        self._corner = corner

    def move(self, to: Pointer) -> None:
        """Show the rectangle."""
        box = QRectF(self._corner.position, to.position).normalized()
        self._rubber.setGeometry(box.toRect())
        self._rubber.show()

    def release(self, at: Pointer) -> None:
        """Set aside what lies inside; a click takes one sample, or takes it back."""
        self._rubber.hide()
        traces, bench = self._strip.traces, self._strip.bench
        if at.still:
            hit = nearest_sample(traces, at.place.x(), at.place.y(), at.per_pixel)
            if hit is not None:
                self._document.do(toggle_sample(self._document, bench.view, *hit))
            return
        inside = samples_inside(traces, QRectF(self._corner.place, at.place).normalized())
        count = set_aside_samples(self._document, bench.view, inside)
        bench.say(words.SET_ASIDE.format(count=count, reason=bench.view.reason))

    def cancel(self) -> None:
        """Take the rectangle away."""
        self._rubber.hide()


class DragOrigin(PlotGesture):
    """The origin of the axes is put somewhere; `dropped` gets the axis and the value in SI."""

    def __init__(
        self,
        strip: StripInterface,
        line: pg.InfiniteLine,
        dropped: Callable[[str, float], None],
        at: Pointer,
    ) -> None:
        self._strip, self._line, self._dropped = strip, line, dropped
        self.move(at)

    def move(self, to: Pointer) -> None:
        """Take the line of the origin along."""
        self._line.setValue(float(to.place.y()))
        self._line.show()

    def release(self, at: Pointer) -> None:
        """Set the origin."""
        self._line.hide()
        shown = self._strip.shown
        self._dropped(shown.axis, float(at.place.y()) / self._strip.bench.view.factor(shown.unit))

    def cancel(self) -> None:
        """Leave the origin where it was."""
        self._line.hide()
