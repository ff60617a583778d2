"""One strip of the bench: a quantity against time, with the bands of the spans falling through it."""

from dataclasses import dataclass

import numpy as np
import pyqtgraph as pg
from PyQt6.QtCore import QPointF, QRectF, Qt
from PyQt6.QtGui import QBrush, QColor, QKeyEvent, QMouseEvent, QPainter, QPen
from PyQt6.QtWidgets import QHBoxLayout, QLabel, QVBoxLayout, QWidget

from inertian.desktop import marks, words
from inertian.desktop.document import Document
from inertian.desktop.gestures import Drag, Handle, handle_at
from inertian.desktop.labels import BodyLabel
from inertian.desktop.numbers import tick
from inertian.desktop.theme import font
from inertian.desktop.tokens import AXIS_WIDTH, SMALL, STRIP_LEAST, Theme
from inertian.motion.spans import SpanKind, Spans
from inertian.quantities.estimates import Array

LEGEND_WIDTH = 140  # px, of a body above a plot
MOST_DOTS = 20_000  # of a trace that are drawn; more lie on one another and take seconds to paint
DENSE = 300  # points; above it pens stay 1 px and markers small


@dataclass(frozen=True, eq=False)
class Trace:
    """What a strip draws for one body: samples with optional u, and fitted pieces."""

    body: str
    place: int
    t: Array
    y: Array
    u: Array | None
    pieces: tuple[tuple[Array, Array], ...]
    walls: tuple[float, ...] = ()

    @property
    def key(self) -> tuple[str, int, int]:
        """What the drawing of a trace depends on beside its numbers."""
        return self.body, self.place, self.t.size


class Bands(pg.GraphicsObject):
    """The tinted, hatched bands of the spans, as high as the view."""

    def __init__(self, theme: Theme) -> None:
        super().__init__()
        self._theme = theme
        self._spans: Spans = Spans()
        self._live: Handle | None = None
        self.setZValue(-20)

    def show_spans(self, spans: Spans, live: Handle | None) -> None:
        """Show these spans, with one edge marked as taken."""
        self._spans, self._live = spans, live
        self.prepareGeometryChange()
        self.update()

    def boundingRect(self) -> QRectF:
        """Qt: the whole view."""
        box = self.getViewBox()
        return box.viewRect() if box is not None else QRectF()

    def viewRangeChanged(self) -> None:
        """Follow the view."""
        self.prepareGeometryChange()
        self.update()

    def viewTransformChanged(self) -> None:
        """Follow the view."""
        self.prepareGeometryChange()
        self.update()

    def paint(self, painter: QPainter, *_: object) -> None:
        """Qt: paint tints, hatches and edges in device pixels, so that hatches never stretch."""
        view = self.boundingRect()
        to_device = painter.transform()
        painter.save()
        painter.resetTransform()
        top = to_device.map(QPointF(view.left(), view.bottom()))
        bottom = to_device.map(QPointF(view.right(), view.top()))
        high, low = min(top.y(), bottom.y()), max(top.y(), bottom.y())
        for span in self._spans:
            left, right = (to_device.map(QPointF(t, view.top())).x() for t in (span.start, span.stop))
            box = QRectF(max(left, top.x()), high, min(right, bottom.x()) - max(left, top.x()), low - high)
            if box.width() <= 0:
                continue
            contact = span.kind is SpanKind.CONTACT
            tint = QColor(self._theme.contact_tint if contact else self._theme.free_tint)
            tint.setAlpha(46 if contact else 20)
            painter.fillRect(box, tint)
            tint.setAlpha(110 if contact else 44)
            pattern = Qt.BrushStyle.DiagCrossPattern if contact else Qt.BrushStyle.BDiagPattern
            painter.fillRect(box, QBrush(tint, pattern))
            for part, x in (("start", left), ("stop", right)):
                live = Handle(span.name, part) == self._live
                painter.setPen(QPen(QColor(self._theme.brass if live else self._theme.edge), 2 if live else 1))
                painter.drawLine(QPointF(x, high), QPointF(x, low))
        painter.restore()


class Plot(pg.PlotWidget):
    """The plot of a strip; pressing on a span takes it, elsewhere dragging moves along in time."""

    def __init__(self, document: Document, theme: Theme, bench: "object") -> None:
        super().__init__(background=theme.sheet)
        self._document, self._bench = document, bench
        self._drag: Drag | None = None
        self.bands = Bands(theme)
        self.addItem(self.bands, ignoreBounds=True)
        item = self.getPlotItem()
        item.hideButtons()
        item.setMenuEnabled(False)
        item.layout.setContentsMargins(0, 6, 8, 0)
        item.setMouseEnabled(x=True, y=False)
        item.vb.setAutoVisible(y=True)
        self.setFocusPolicy(Qt.FocusPolicy.ClickFocus)
        self.setFrameShape(self.Shape.NoFrame)
        left, bottom = item.getAxis("left"), item.getAxis("bottom")
        left.setWidth(AXIS_WIDTH)
        self._theme = theme
        self.restyle()
        left.tickStrings = lambda values, _scale, step: [tick(v, step) for v in values]
        bottom.setStyle(showValues=False)
        bottom.setHeight(4)

    def restyle(self) -> None:
        """Wear the theme as it is now."""
        self.setBackground(self._theme.sheet)
        for name in ("left", "bottom"):
            axis = self.getPlotItem().getAxis(name)
            axis.setPen(QPen(QColor(self._theme.rule)))
            axis.setTextPen(QColor(self._theme.soft_ink))
            axis.setStyle(tickFont=font(SMALL), tickLength=-4, autoExpandTextSpace=False)
            axis.enableAutoSIPrefix(False)

    def _time_and_scale(self, event: QMouseEvent) -> tuple[float, float]:
        box = self.getPlotItem().vb
        time = box.mapSceneToView(self.mapToScene(event.position().toPoint())).x()
        return float(time), float(box.viewPixelSize()[0])

    def _handle(self, event: QMouseEvent) -> tuple[Handle | None, float]:
        time, per_pixel = self._time_and_scale(event)
        entry = self._document.entry
        inside = self.getPlotItem().vb.sceneBoundingRect().contains(self.mapToScene(event.position().toPoint()))
        return (handle_at(entry.spans, time, per_pixel) if entry and inside else None), time

    def mousePressEvent(self, event: QMouseEvent) -> None:
        """Qt: take an edge or a span, or begin to move along."""
        handle, time = self._handle(event)
        if event.button() is Qt.MouseButton.LeftButton and handle and not event.modifiers():
            self.setFocus()
            self._drag = Drag(self._document, handle, time)
            self._bench.rail.activate(handle)
            self._bench.mark_live(handle)
            event.accept()
            return
        super().mousePressEvent(event)

    def mouseMoveEvent(self, event: QMouseEvent) -> None:
        """Qt: move what is held, or show what could be taken."""
        handle, time = self._handle(event)
        if self._drag:
            self._drag.move(time)
            event.accept()
            return
        if not event.buttons():
            edge = handle if handle and handle.part != "body" else None
            self._bench.mark_live(edge)
            self.viewport().setCursor(Qt.CursorShape.SplitHCursor if edge else Qt.CursorShape.ArrowCursor)
        super().mouseMoveEvent(event)

    def mouseReleaseEvent(self, event: QMouseEvent) -> None:
        """Qt: let go, and make the edit."""
        if self._drag:
            drag, self._drag = self._drag, None
            drag.finish()
            self._bench.mark_live(None)
            event.accept()
            return
        super().mouseReleaseEvent(event)

    def keyPressEvent(self, event: QKeyEvent) -> None:
        """Qt: Esc drops a drag; other keys move spans."""
        if event.key() == Qt.Key.Key_Escape and self._drag:
            self._drag.cancel()
            self._drag = None
            self._bench.mark_live(None)
            event.accept()
            return
        self._bench.rail.keyPressEvent(event)  # the keys of the rail work in strips too


class DrawnTrace:
    """The items that draw one trace: dots, their band of ± u, and the fitted pieces."""

    def __init__(self, plot: Plot, theme: Theme, trace: Trace) -> None:
        self.key = trace.key
        self._plot = plot
        self._tone, self._ink = marks.colour(theme, trace.place), QColor(theme.ink)
        self._shown: Trace | None = None
        size = (6 if trace.u is None else 5) if trace.t.size <= DENSE else 3
        symbol = marks.marker(trace.place)
        self._dots = pg.ScatterPlotItem(symbol=symbol, size=size, pen=None, brush=pg.mkBrush(self._tone), pxMode=True)
        self._dots.setZValue(2)
        plot.addItem(self._dots)
        self._bands: list[tuple[pg.PlotCurveItem, pg.PlotCurveItem, pg.FillBetweenItem]] = []
        self._pieces: list[pg.PlotCurveItem] = []

    def follow(self, trace: Trace) -> None:
        """Show the trace as it is now."""
        old, self._shown = self._shown, trace
        good = np.isfinite(trace.y)
        if old is None or trace.y is not old.y or trace.t is not old.t:
            rows = np.flatnonzero(good)
            rows = rows[:: max(1, rows.size // MOST_DOTS)]
            self._dots.setData(x=trace.t[rows], y=trace.y[rows])
        if trace.u is not None:
            self._show_band(trace)
        while len(self._pieces) > len(trace.pieces):
            self._plot.removeItem(self._pieces.pop())
        while len(self._pieces) < len(trace.pieces):
            line = pg.PlotCurveItem(pen=pg.mkPen(self._ink, width=1), antialias=True)
            line.setZValue(4)
            self._plot.addItem(line)
            self._pieces.append(line)
        for line, (piece_t, piece_y) in zip(self._pieces, trace.pieces, strict=True):
            line.setData(x=piece_t, y=piece_y)

    def _show_band(self, trace: Trace) -> None:
        """A band of ± u on either side, broken where there is no estimate, and at walls."""
        gone = np.flatnonzero(~np.isfinite(trace.y))
        breaks = np.unique(np.concatenate([gone, np.searchsorted(trace.t, trace.walls)]))
        runs = [rows[np.isfinite(trace.y[rows])] for rows in np.split(np.arange(len(trace.y)), breaks)]
        runs = [rows for rows in runs if rows.size > 1]
        if len(runs) != len(self._bands):
            self._take_off(*(item for band in self._bands for item in band))
            shade = QColor(self._tone)
            shade.setAlpha(64)
            self._bands = []
            for _ in runs:
                up, down = pg.PlotCurveItem(pen=pg.mkPen(shade)), pg.PlotCurveItem(pen=pg.mkPen(shade))
                fill = pg.FillBetweenItem(up, down, brush=shade)
                for item in (up, down, fill):
                    self._plot.addItem(item)
                self._bands.append((up, down, fill))
        for rows, (up, down, _fill) in zip(runs, self._bands, strict=True):
            rows = rows[:: max(1, rows.size // MOST_DOTS)]
            up.setData(x=trace.t[rows], y=trace.y[rows] + trace.u[rows])
            down.setData(x=trace.t[rows], y=trace.y[rows] - trace.u[rows])

    def _take_off(self, *items: object) -> None:
        for item in items:
            self._plot.removeItem(item)

    def remove(self) -> None:
        """Take all items off the plot."""
        self._take_off(self._dots, *self._pieces, *(item for band in self._bands for item in band))


class Strip(QWidget):
    """A titled plot of one quantity for all bodies of the trial in hand."""

    def __init__(self, document: Document, theme: Theme, bench: object, title: str, unit: str) -> None:
        super().__init__()
        self._theme = theme
        self.plot = Plot(document, theme, bench)
        self.setMinimumHeight(STRIP_LEAST)
        self.title = QLabel(title)
        self.title.setFont(font(weight=font().Weight.DemiBold))
        self.unit = QLabel(words.STRIP_UNIT.format(unit=unit))
        self.unit.setProperty("role", "soft")
        self.legend = QHBoxLayout()
        self.legend.setSpacing(16)
        head = QHBoxLayout()
        head.setContentsMargins(AXIS_WIDTH, 4, 12, 0)
        head.setSpacing(8)
        for part in (self.title, self.unit):
            head.addWidget(part)
        head.addStretch(1)
        head.addLayout(self.legend)
        column = QVBoxLayout(self)
        column.setContentsMargins(0, 0, 0, 0)
        column.setSpacing(0)
        column.addLayout(head)
        column.addWidget(self.plot, 1)
        self._drawn: list[DrawnTrace] = []

    def draw(self, traces: list[Trace]) -> None:
        """Draw these traces; what has not changed since the last time is left as it is."""
        if [t.key for t in traces] != [d.key for d in self._drawn]:
            self.clear()
            self._drawn = [DrawnTrace(self.plot, self._theme, trace) for trace in traces]
            self._draw_legend(traces)
        for drawn, trace in zip(self._drawn, traces, strict=True):
            drawn.follow(trace)

    def clear(self) -> None:
        """Take everything off the plot."""
        for drawn in self._drawn:
            drawn.remove()
        self._drawn = []

    def _draw_legend(self, traces: list[Trace]) -> None:
        while self.legend.count():
            self.legend.takeAt(0).widget().deleteLater()
        for trace in traces:
            name = BodyLabel(self._theme, trace.place, trace.body)
            name.shorten(LEGEND_WIDTH)
            self.legend.addWidget(name)
