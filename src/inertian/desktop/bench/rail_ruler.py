"""The ruler of time with the flags of the spans on it, as they are painted."""

import numpy as np
from PyQt6.QtCore import QPointF, QRectF, QSize, Qt
from PyQt6.QtGui import QColor, QPainter, QPaintEvent, QPen, QPolygonF
from PyQt6.QtWidgets import QSizePolicy, QWidget

from inertian.desktop.bench.gestures import DateDrag, Drag, Handle, NewSpan
from inertian.desktop.look import words
from inertian.desktop.look.number_format import format_tick
from inertian.desktop.look.span_tints import tint_of
from inertian.desktop.look.theme import font
from inertian.desktop.look.tokens import AXIS_WIDTH, GRIP, RAIL_HEIGHT, SMALL, Theme
from inertian.desktop.state.document import Document
from inertian.desktop.state.view_state import ViewState
from inertian.motion.spans.spans import Span, Spans

FLAG_TOP, FLAG_HEIGHT, LANE, RIGHT = 20, 20, 22, 8
DATE_HALF = 4.5  # px, half the width of the mark of a date
LINE = Handle("", "line")  # the plumb line, where keys move it


def ruler_step(seconds: float, pixels: float, least: float = 64.0) -> float:
    """Return a round step of 1, 2 or 5 in s whose marks stand at least `least` px apart."""
    raw = seconds * least / max(pixels, 1.0)
    power = 10.0 ** np.floor(np.log10(raw))
    return float(next(power * m for m in (1, 2, 5, 10) if power * m >= raw * (1 - 1e-9)))


def finer(step: float) -> float:
    """Return the next smaller round step of 1, 2 or 5."""
    power = 10.0 ** np.floor(np.log10(step) + 1e-9)
    smaller = {5: 2.0, 2: 1.0, 1: 0.5}
    return float(smaller[round(step / power)] * power)


def lanes_of(spans: Spans) -> dict[str, int]:
    """Return in which lane the flag of each span stands, so that none covers another; touching is
    not covering.
    """
    ends: list[float] = []
    lanes: dict[str, int] = {}
    for span in sorted(spans, key=lambda s: (s.start, -s.length)):
        tiny = 1e-9 * max(abs(span.start), 1.0)
        lane = next((k for k, end in enumerate(ends) if end <= span.start + tiny), len(ends))
        if lane == len(ends):
            ends.append(span.stop)
        ends[lane] = span.stop
        lanes[span.name] = lane
    return lanes


class RailRuler(QWidget):
    """Paints ruler, flags and the head of the plumb line; knows where a time lies."""

    def __init__(self, document: Document, theme: Theme, view: ViewState) -> None:
        super().__init__()
        self.document, self.theme, self.view = document, theme, view
        self._lanes: dict[str, int] = {}
        self._range = (0.0, 1.0)
        self._right = RIGHT
        self.active: Handle | None = None
        self.hovered: Handle | None = None
        self._drag: Drag | DateDrag | NewSpan | None = None
        self.setFixedHeight(RAIL_HEIGHT)
        self.setSizePolicy(QSizePolicy.Policy.Expanding, QSizePolicy.Policy.Fixed)

    def sizeHint(self) -> QSize:
        """Qt: the rail is as high as its token."""
        return QSize(400, RAIL_HEIGHT)

    def show_range(self, start: float, stop: float) -> None:
        """Show the time from start to stop, in s, above the strips' plots."""
        if stop > start and (start, stop) != self._range:
            self._range = (start, stop)
            self.update()

    def keep_clear(self, right: int) -> None:
        """Leave some px free at the right, over what the strips do not reach."""
        self._right = RIGHT + right
        self.update()

    def x_of(self, time: float) -> float:
        """Return where a time lies, in px."""
        start, stop = self._range
        return AXIS_WIDTH + (time - start) / (stop - start) * self._plot_width()

    def time_of(self, x: float) -> float:
        """Return the time at a place, in s."""
        start, stop = self._range
        return start + (x - AXIS_WIDTH) / self._plot_width() * (stop - start)

    def _plot_width(self) -> float:
        return max(self.width() - AXIS_WIDTH - self._right, 1)

    def _spans(self) -> Spans:
        entry = self.document.entry
        return entry.spans if entry else Spans()

    def refresh(self) -> None:
        """Show the spans as they are now; those that overlap stand in lanes under one another."""
        self._lanes = lanes_of(self._spans())
        count = max(self._lanes.values(), default=0) + 1
        if self.height() != RAIL_HEIGHT + LANE * (count - 1):
            self.setFixedHeight(RAIL_HEIGHT + LANE * (count - 1))
        self.update()

    def _zero(self) -> float:
        entry = self.document.entry
        return entry.frame.time_zero if entry else 0.0

    def _in_lane(self, y: float) -> Spans:
        """The spans whose flags stand at a height."""
        lane = int(max(y - FLAG_TOP, 0) // LANE)
        return Spans(s for s in self._spans() if self._lanes.get(s.name, 0) == lane)

    def _per_pixel(self) -> float:
        return (self._range[1] - self._range[0]) / self._plot_width()

    def paintEvent(self, event: QPaintEvent | None) -> None:
        """Qt: paint ruler and flags."""
        painter = QPainter(self)
        painter.fillRect(self.rect(), QColor(self.theme.sheet))
        painter.setFont(font(SMALL))
        self._paint_ruler(painter)
        painter.setClipRect(
            QRectF(AXIS_WIDTH - GRIP, 0, self._plot_width() + 2 * GRIP, self.height())
        )
        for span in sorted(self._spans(), key=lambda s: s.kind.event):
            self._paint_flag(painter, span, self.x_of(span.start), self.x_of(span.stop))
        self._paint_dates(painter)
        self._paint_line(painter)
        painter.setClipping(False)
        if self.hasFocus():
            painter.setPen(QPen(QColor(self.theme.brass), 1, Qt.PenStyle.DotLine))
            painter.drawRect(self.rect().adjusted(0, 0, -1, -1))

    def _paint_ruler(self, painter: QPainter) -> None:
        start, stop = self._range
        step = ruler_step(stop - start, self._plot_width())
        painter.setPen(QColor(self.theme.soft_ink))
        painter.drawText(
            QRectF(0, 0, AXIS_WIDTH - 6, 16), Qt.AlignmentFlag.AlignRight, words.TIME_AXIS
        )
        zero = self._zero()
        for k in range(
            int(np.ceil((start - zero) / step - 1e-9)),
            int(np.floor((stop - zero) / step + 1e-9)) + 1,
        ):
            x = self.x_of(k * step + zero)
            painter.setPen(QColor(self.theme.rule))
            painter.drawLine(QPointF(x, 14), QPointF(x, 18))
            painter.setPen(QColor(self.theme.soft_ink))
            box = QRectF(x - 30, 0, 60, 14)
            hidden = self.view.line is not None and abs(self.x_of(self.view.line) - x) < 16
            if box.left() > AXIS_WIDTH - 20 and box.right() < self.width() + 18 and not hidden:
                painter.drawText(box, Qt.AlignmentFlag.AlignCenter, format_tick(k * step, step))
        painter.setPen(QColor(self.theme.rule))
        painter.drawLine(QPointF(AXIS_WIDTH, 18), QPointF(self.width() - self._right, 18))

    def _paint_dates(self, painter: QPainter) -> None:
        """A trial's own dates, as marks that can be moved."""
        entry = self.document.entry
        painter.setRenderHint(QPainter.RenderHint.Antialiasing)
        painter.setPen(Qt.PenStyle.NoPen)
        painter.setBrush(QColor(self.theme.ink))
        for date in entry.dates if entry else ():
            x = self.x_of(date.t)
            corners = ((x - DATE_HALF, 11.0), (x + DATE_HALF, 11.0), (x, 19.0))
            painter.drawPolygon(QPolygonF([QPointF(*corner) for corner in corners]))
        painter.setRenderHint(QPainter.RenderHint.Antialiasing, False)
        painter.setBrush(Qt.BrushStyle.NoBrush)

    def _paint_flag(self, painter: QPainter, span: Span, left: float, right: float) -> None:
        name, kind = span.name, span.kind
        tint, above = tint_of(self.theme, kind), FLAG_TOP + LANE * self._lanes.get(name, 0)
        tint.setAlpha(90)
        low, high = max(left, AXIS_WIDTH), min(right, AXIS_WIDTH + self._plot_width())
        flag = QRectF(low, above, max(high - low, 0.0), FLAG_HEIGHT)
        painter.fillRect(flag, tint)
        parts = [(Handle(name, part), x) for part, x in (("start", left), ("stop", right))]
        for handle, x in parts:
            painter.setPen(
                QPen(QColor(self.theme.brass if self._live(handle) else self.theme.ink), 1)
            )
            painter.drawLine(QPointF(x, above), QPointF(x, self.height()))
        painter.setPen(QColor(self.theme.ink))
        width = painter.fontMetrics().horizontalAdvance(name) + 12
        if width + GRIP < flag.width():
            painter.drawText(flag, Qt.AlignmentFlag.AlignCenter, name)
        elif (
            kind.event and high > low
        ):  # too narrow: the name stands on a tab that is wider than the flag
            tab = QRectF(0.5 * (low + high) - 0.5 * width, above + 3, width, FLAG_HEIGHT - 6)
            painter.fillRect(tab, QColor(self.theme.sheet))
            painter.fillRect(tab, tint)
            painter.drawText(tab, Qt.AlignmentFlag.AlignCenter, name)
        elif flag.width() > 3 * GRIP:
            fitting = painter.fontMetrics().elidedText(
                name, Qt.TextElideMode.ElideRight, int(flag.width() - GRIP)
            )
            painter.drawText(flag, Qt.AlignmentFlag.AlignCenter, fitting)
        if self._live(Handle(name, "body")):
            painter.fillRect(
                QRectF(flag.left(), flag.bottom() - 1, flag.width(), 3), QColor(self.theme.brass)
            )
        for handle, x in parts:
            if self._live(handle):
                painter.fillRect(
                    QRectF(x - GRIP / 2, above + 4, GRIP, FLAG_HEIGHT - 8), QColor(self.theme.brass)
                )

    def _paint_line(self, painter: QPainter) -> None:
        """The head of the plumb line on the ruler, and where a span was begun with a key."""
        for time, filled in ((self.view.line, True), (self.view.begun, False)):
            if time is None or not self._range[0] <= time <= self._range[1]:
                continue
            x, brass = self.x_of(time), QColor(self.theme.brass)
            painter.setPen(QPen(brass, 2 if self.active == LINE else 1))
            painter.drawLine(QPointF(x, 12), QPointF(x, self.height()))
            painter.setBrush(brass if filled else Qt.BrushStyle.NoBrush)
            painter.setRenderHint(QPainter.RenderHint.Antialiasing)
            painter.drawPolygon(QPolygonF([QPointF(x - 5, 7), QPointF(x + 5, 7), QPointF(x, 17)]))
            painter.setRenderHint(QPainter.RenderHint.Antialiasing, False)
        painter.setBrush(Qt.BrushStyle.NoBrush)

    def _live(self, handle: Handle) -> bool:
        """Whether an edge is under the pointer, chosen with keys, or held."""
        return handle in (self.active, self.hovered) or (
            isinstance(self._drag, Drag) and self._drag.handle == handle
        )
