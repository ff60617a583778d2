"""The bench: strips under one another on one time axis, and the span rail over them."""

import numpy as np
from PyQt6.QtCore import Qt
from PyQt6.QtWidgets import QHBoxLayout, QLabel, QPushButton, QScrollArea, QVBoxLayout, QWidget

from inertian.desktop import words
from inertian.desktop.document import Document
from inertian.desktop.gestures import Handle
from inertian.desktop.rail import SpanRail
from inertian.desktop.strip import Strip, Trace
from inertian.desktop.tokens import Theme
from inertian.project.evaluation import SeriesResult
from inertian.project.project import Entry

SENSOR = "sensor"  # a quantity measured in its own right: force, acceleration, velocity
PIECE_POINTS = 60  # of a drawn fit: smooth to the eye at any zoom


class BenchStage(QWidget):
    """Shows the trial in hand and lets its spans be marked; numbers follow while an edge moves."""

    def __init__(self, document: Document, theme: Theme) -> None:
        super().__init__()
        self._document, self._theme = document, theme
        self._shown: tuple[object, ...] = ()
        self._strips: dict[tuple[str, str], Strip] = {}
        self._live: Handle | None = None
        self.rail = SpanRail(document, theme)
        self.rail.active_changed.connect(lambda: self.mark_live(self.rail.active))
        self._column = QVBoxLayout()
        self._column.setContentsMargins(0, 0, 0, 4)
        self._column.setSpacing(4)
        body = QWidget()
        body.setLayout(self._column)
        body.setObjectName("ledgerBody")
        self._scroll = QScrollArea()
        self._scroll.setWidgetResizable(True)
        self._scroll.setHorizontalScrollBarPolicy(Qt.ScrollBarPolicy.ScrollBarAlwaysOff)
        self._scroll.setWidget(body)
        self._ask = _Ask(words.NO_SPANS, words.NO_SPANS_BUTTON)
        column = QVBoxLayout(self)
        column.setContentsMargins(0, 0, 0, 0)
        column.setSpacing(0)
        column.addWidget(self.rail)
        column.addWidget(self._ask)
        column.addWidget(self._scroll, 1)
        self.mark_spans = self._ask.button.clicked
        document.changed.connect(self.refresh)
        document.selected.connect(self.refresh)
        document.previewed.connect(self.refresh)

    def strip(self, quantity: str, axis: str) -> Strip:
        """Return the strip of "position" or "velocity" along one axis. Raises KeyError."""
        return self._strips[quantity, axis]

    def mark_live(self, handle: Handle | None) -> None:
        """Show one edge as taken, in every strip and on the rail."""
        if handle != self._live:
            self._live = handle
            self.rail.hovered = handle
            self.rail.update()
            self._show_bands()

    def refresh(self) -> None:
        """Show the trial in hand as it is now."""
        entry = self._document.entry
        if entry is None or not self.isVisible():
            return
        trial = entry.trial
        sensors = sum(len(b.sensors) for b in trial.bodies)
        shown = (trial.id, trial.axes, sensors, trial.t[0], trial.t[-1])
        if self._shown != shown:
            self._lay_out(entry)
            self._shown = shown
            self.show_all()
        self._ask.setVisible(not entry.spans)
        series = self._document.evaluator.series(self._document.project, entry.series)
        for (quantity, axis), strip in self._strips.items():
            traces = {"position": _positions, "velocity": _velocities, SENSOR: _sensors}[quantity]
            strip.draw(traces(self._document, entry, axis, series))
        self._show_bands()
        self.rail.update()

    def showEvent(self, event: object) -> None:
        """Qt: show what changed while another stage was in front."""
        super().showEvent(event)
        self.refresh()

    def _lay_out(self, entry: Entry) -> None:
        wanted = [("position", a) for a in entry.trial.axes] + [("velocity", a) for a in entry.trial.axes]
        wanted += [(SENSOR, axis) for axis in dict.fromkeys(c.axis for b in entry.trial.bodies for c in b.sensors)]
        if wanted != list(self._strips):
            for strip in self._strips.values():
                self._column.removeWidget(strip)
                strip.deleteLater()
            self._strips = {}
            for quantity, axis in wanted:
                strip = Strip(self._document, self._theme, self, *_heading(quantity, axis))
                self._strips[quantity, axis] = strip
                self._column.addWidget(strip, 1)
            first = self._strips[wanted[0]]
            for strip in list(self._strips.values())[1:]:
                strip.plot.setXLink(first.plot)
            first.plot.getPlotItem().vb.sigXRangeChanged.connect(lambda _box, span: self.rail.show_range(*span))

    def _show_bands(self) -> None:
        entry = self._document.entry
        if entry is not None:
            for strip in self._strips.values():
                strip.plot.bands.show_spans(entry.spans, self._live)

    def restyle(self) -> None:
        """Wear the theme as it is now."""
        for strip in self._strips.values():
            strip.plot.restyle()
            strip.clear()
        self.refresh()

    def show_all(self) -> None:
        """Show the whole trial."""
        entry = self._document.entry
        if entry is not None and self._strips:
            self._show_times(float(entry.trial.t[0]), float(entry.trial.t[-1]), 0.02)

    def show_contact(self) -> None:
        """Show the contact and a little of what surrounds it."""
        entry = self._document.entry
        if entry is not None and entry.spans.contact and self._strips:
            self._show_times(entry.spans.contact.start, entry.spans.contact.stop, 2.0)

    def _show_times(self, start: float, stop: float, padding: float) -> None:
        first = next(iter(self._strips.values())).plot.getPlotItem().vb
        first.setXRange(start, stop, padding=padding)
        for strip in self._strips.values():
            strip.plot.getPlotItem().vb.enableAutoRange(y=True)
        self.rail.show_range(*first.viewRange()[0])


def _pieces(
    series: SeriesResult, trial: str, body: str, axis: str, velocity: bool
) -> tuple[tuple[np.ndarray, ...], ...]:
    pieces = []
    for fit in series.fits(trial):
        if fit.body != body or axis not in fit.fits:
            continue
        a = series.glide.values.get(body, 0.0) if fit.moving else 0.0
        t = np.linspace(fit.span.start, fit.span.stop, PIECE_POINTS)
        pieces.append((t, fit.velocity_at(axis, t, a) if velocity else fit.curve(axis, t, a)))
    return tuple(pieces)


def _positions(document: Document, entry: Entry, axis: str, series: SeriesResult) -> list[Trace]:
    trial, traces = entry.trial, []
    for place, body in enumerate(trial.bodies):
        if axis in body.axes:
            pieces = _pieces(series, trial.id, body.name, axis, velocity=False)
            traces.append(Trace(body.name, place, trial.t, body.channel(axis).si, None, pieces))
    return traces


def _heading(quantity: str, axis: str) -> tuple[str, str]:
    """The title of a strip and its unit."""
    if quantity == SENSOR:
        return words.SENSOR_TITLES[axis]
    return (
        (words.POSITION.format(axis=axis), "m") if quantity == "position" else (words.VELOCITY.format(axis=axis), "m/s")
    )


def _sensors(_document: Document, entry: Entry, axis: str, _series: SeriesResult) -> list[Trace]:
    trial = entry.trial
    return [
        Trace(body.name, place, trial.t, channel.si, None, ())
        for place, body in enumerate(trial.bodies)
        for channel in body.sensors
        if channel.axis == axis
    ]


def _velocities(document: Document, entry: Entry, axis: str, series: SeriesResult) -> list[Trace]:
    trial, traces = entry.trial, []
    for place, body in enumerate(trial.bodies):
        if axis in body.axes:
            local = document.evaluator.velocity(trial, body.name, axis, entry.spans.walls())
            u = local.u(series.noise.reading, series.noise.stamp)
            pieces = _pieces(series, trial.id, body.name, axis, velocity=True)
            traces.append(Trace(body.name, place, trial.t, local.v, u, pieces, entry.spans.walls()))
    return traces


class _Ask(QWidget):
    """One sentence on what to do next, and the button that does it."""

    def __init__(self, text: str, button: str) -> None:
        super().__init__()
        row = QHBoxLayout(self)
        row.setContentsMargins(16, 8, 16, 8)
        row.setSpacing(16)
        row.addWidget(QLabel(text))
        self.button = QPushButton(button)
        row.addWidget(self.button)
        row.addStretch(1)
        self.setVisible(False)
