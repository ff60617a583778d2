"""The span rail: a ruler of time on which the spans sit as named flags."""

import numpy as np
from PyQt6.QtCore import QEvent, QPointF, QRectF, QSize, Qt, pyqtSignal
from PyQt6.QtGui import QColor, QKeyEvent, QMouseEvent, QPainter, QPaintEvent, QPen
from PyQt6.QtWidgets import QLineEdit, QSizePolicy, QToolTip, QWidget

from inertian.desktop import words
from inertian.desktop.document import Document
from inertian.desktop.gestures import Drag, Handle, edge_time, handle_at, handles, moved
from inertian.desktop.numbers import shown_plain, tick
from inertian.desktop.theme import font
from inertian.desktop.tokens import AXIS_WIDTH, GRIP, RAIL_HEIGHT, SMALL, Theme
from inertian.motion.spans import SpanKind, Spans
from inertian.quantities.errors import InertianError
from inertian.quantities.facts import parse_fact
from inertian.quantities.units import unit_of

FLAG_TOP, FLAG_HEIGHT = 20, 20


def ruler_step(seconds: float, pixels: float, least: float = 64.0) -> float:
    """Return a round step of 1, 2 or 5 in s whose marks stand at least `least` px apart."""
    raw = seconds * least / max(pixels, 1.0)
    power = 10.0 ** np.floor(np.log10(raw))
    return float(next(power * m for m in (1, 2, 5, 10) if power * m >= raw * (1 - 1e-9)))


class SpanRail(QWidget):
    """Shows and moves the spans of the trial in hand; `active` is the edge that keys move."""

    active_changed = pyqtSignal()

    def __init__(self, document: Document, theme: Theme) -> None:
        super().__init__()
        self.document, self.theme = document, theme
        self._range = (0.0, 1.0)
        self._right = 8
        self.active: Handle | None = None
        self.hovered: Handle | None = None
        self._drag: Drag | None = None
        self._field: QLineEdit | None = None
        self.setFixedHeight(RAIL_HEIGHT)
        self.setSizePolicy(QSizePolicy.Policy.Expanding, QSizePolicy.Policy.Fixed)
        self.setFocusPolicy(Qt.FocusPolicy.StrongFocus)
        self.setMouseTracking(True)
        self.setAccessibleName("Span rail")
        self.setAccessibleDescription(words.RAIL_HELP)
        self.setStatusTip(words.RAIL_HELP)
        document.selected.connect(self._forget_active)

    def sizeHint(self) -> QSize:
        """Qt: the rail is as high as its token."""
        return QSize(400, RAIL_HEIGHT)

    def show_range(self, start: float, stop: float) -> None:
        """Show the time from start to stop, in s, above the strips' plots."""
        if stop > start and (start, stop) != self._range:
            self._range = (start, stop)
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

    def _forget_active(self) -> None:
        self.active = self.hovered = self._drag = None
        self.update()

    def _per_pixel(self) -> float:
        return (self._range[1] - self._range[0]) / self._plot_width()

    # -- painting -------------------------------------------------------------------------------------------------

    def paintEvent(self, event: QPaintEvent | None) -> None:
        """Qt: paint ruler and flags."""
        painter = QPainter(self)
        painter.fillRect(self.rect(), QColor(self.theme.sheet))
        painter.setFont(font(SMALL))
        self._paint_ruler(painter)
        painter.setClipRect(QRectF(AXIS_WIDTH - GRIP, 0, self._plot_width() + 2 * GRIP, self.height()))
        for span in sorted(self._spans(), key=lambda s: s.kind is SpanKind.CONTACT):
            self._paint_flag(painter, span.name, span.kind, self.x_of(span.start), self.x_of(span.stop))
        painter.setClipping(False)
        if self.hasFocus():
            painter.setPen(QPen(QColor(self.theme.brass), 1, Qt.PenStyle.DotLine))
            painter.drawRect(self.rect().adjusted(0, 0, -1, -1))

    def _paint_ruler(self, painter: QPainter) -> None:
        start, stop = self._range
        step = ruler_step(stop - start, self._plot_width())
        painter.setPen(QColor(self.theme.soft_ink))
        painter.drawText(QRectF(0, 0, AXIS_WIDTH - 6, 16), Qt.AlignmentFlag.AlignRight, words.TIME_AXIS)
        for k in range(int(np.ceil(start / step - 1e-9)), int(np.floor(stop / step + 1e-9)) + 1):
            x = self.x_of(k * step)
            painter.setPen(QColor(self.theme.rule))
            painter.drawLine(QPointF(x, 14), QPointF(x, 18))
            painter.setPen(QColor(self.theme.soft_ink))
            box = QRectF(x - 30, 0, 60, 14)
            if box.left() > AXIS_WIDTH - 20 and box.right() < self.width() + 18:
                painter.drawText(box, Qt.AlignmentFlag.AlignCenter, tick(k * step, step))
        painter.setPen(QColor(self.theme.rule))
        painter.drawLine(QPointF(AXIS_WIDTH, 18), QPointF(self.width() - self._right, 18))

    def _paint_flag(self, painter: QPainter, name: str, kind: SpanKind, left: float, right: float) -> None:
        tint = QColor(self.theme.contact_tint if kind is SpanKind.CONTACT else self.theme.free_tint)
        tint.setAlpha(90)
        low, high = max(left, AXIS_WIDTH), min(right, AXIS_WIDTH + self._plot_width())
        flag = QRectF(low, FLAG_TOP, max(high - low, 0.0), FLAG_HEIGHT)
        painter.fillRect(flag, tint)
        parts = [(Handle(name, part), x) for part, x in (("start", left), ("stop", right))]
        for handle, x in parts:
            painter.setPen(QPen(QColor(self.theme.brass if self._live(handle) else self.theme.ink), 1))
            painter.drawLine(QPointF(x, FLAG_TOP), QPointF(x, self.height()))
        painter.setPen(QColor(self.theme.ink))
        width = painter.fontMetrics().horizontalAdvance(name) + 12
        if width + GRIP < flag.width():
            painter.drawText(flag, Qt.AlignmentFlag.AlignCenter, name)
        elif kind is SpanKind.CONTACT:  # too narrow: the name stands on a tab that is wider than the flag
            tab = QRectF(0.5 * (low + high) - 0.5 * width, FLAG_TOP + 3, width, FLAG_HEIGHT - 6)
            painter.fillRect(tab, QColor(self.theme.sheet))
            painter.fillRect(tab, tint)
            painter.drawText(tab, Qt.AlignmentFlag.AlignCenter, name)
        if self._live(Handle(name, "body")):
            painter.fillRect(QRectF(flag.left(), self.height() - 5, flag.width(), 3), QColor(self.theme.brass))
        for handle, x in parts:
            if self._live(handle):
                painter.fillRect(QRectF(x - GRIP / 2, FLAG_TOP + 4, GRIP, FLAG_HEIGHT - 8), QColor(self.theme.brass))

    def _live(self, handle: Handle) -> bool:
        """Whether an edge is under the pointer, chosen with keys, or held."""
        return handle in (self.active, self.hovered) or (self._drag is not None and self._drag.handle == handle)

    # -- mouse ----------------------------------------------------------------------------------------------------

    def mousePressEvent(self, event: QMouseEvent | None) -> None:
        """Qt: take an edge or a span."""
        time = self.time_of(event.position().x())
        handle = handle_at(self._spans(), time, self._per_pixel())
        if event.button() is Qt.MouseButton.LeftButton and handle:
            self._drag = Drag(self.document, handle, time)
            self.activate(handle)

    def mouseMoveEvent(self, event: QMouseEvent | None) -> None:
        """Qt: move what is held, or show what could be taken."""
        time = self.time_of(event.position().x())
        if self._drag:
            self._drag.move(time)
            return
        self.hovered = handle_at(self._spans(), time, self._per_pixel())
        shape = Qt.CursorShape.ArrowCursor
        if self.hovered:
            body = self.hovered.part == "body"
            shape = Qt.CursorShape.OpenHandCursor if body else Qt.CursorShape.SplitHCursor
        self.setCursor(shape)
        self.update()

    def mouseReleaseEvent(self, event: QMouseEvent | None) -> None:
        """Qt: let go, and make the edit."""
        if self._drag:
            drag, self._drag = self._drag, None
            drag.finish()
            self.update()

    def leaveEvent(self, event: QEvent | None) -> None:
        """Qt: nothing is under the pointer any more."""
        self.hovered = None
        self.update()

    def event(self, event: QEvent | None) -> bool:
        """Qt: say in a tooltip what a span holds."""
        if event.type() == QEvent.Type.ToolTip and self.document.entry:
            handle = handle_at(self._spans(), self.time_of(event.pos().x()), self._per_pixel())
            if handle:
                span = self._spans().named(handle.span)
                rows = span.rows(self.document.entry.trial.t)
                start, stop = shown_plain(span.start, 5), shown_plain(span.stop, 5)
                text = words.SPAN_TIP.format(name=span.name, start=start, stop=stop, count=rows.stop - rows.start)
                QToolTip.showText(event.globalPos(), text, self)
                return True
        return super().event(event)

    # -- keys -----------------------------------------------------------------------------------------------------

    def keyPressEvent(self, event: QKeyEvent | None) -> None:
        """Qt: choose an edge, move it, type its time, or drop a drag."""
        key, order = event.key(), handles(self._spans())
        if key == Qt.Key.Key_Escape and self._drag:
            self._drag.cancel()
            self._drag = None
        elif key in (Qt.Key.Key_Up, Qt.Key.Key_Down) and order:
            step = 1 if key == Qt.Key.Key_Down else -1
            place = order.index(self.active) + step if self.active in order else (0 if step > 0 else -1)
            self.activate(order[place % len(order)])
        elif key in (Qt.Key.Key_Left, Qt.Key.Key_Right) and self.active:
            many = 10 if event.modifiers() & Qt.KeyboardModifier.ShiftModifier else 1
            self._nudge(many if key == Qt.Key.Key_Right else -many)
        elif key in (Qt.Key.Key_Return, Qt.Key.Key_Enter) and self.active:
            self._type_time()
        else:
            super().keyPressEvent(event)
            return
        self.update()

    def focusInEvent(self, event: QEvent | None) -> None:
        """Qt: the keys work on an edge at once."""
        if self.active is None and handles(self._spans()):
            self.activate(handles(self._spans())[0])
        super().focusInEvent(event)

    def activate(self, handle: Handle | None) -> None:
        """Choose the edge or span that keys move."""
        self.active = handle
        self.active_changed.emit()
        self.update()

    def _nudge(self, samples: int) -> None:
        """Move the active edge, or span, by whole samples: to the sample that many further on."""
        entry = self.document.entry
        t, now = entry.trial.t, edge_time(entry.spans, self.active)
        row = int(np.searchsorted(t, now + 1e-12 if samples > 0 else now - 1e-12))
        row = row + samples - 1 if samples > 0 else row + samples
        time = float(t[min(max(row, 0), len(t) - 1)])
        self.document.do(moved(self.document.settled, entry.trial.id, self.active, time))

    def _type_time(self) -> None:
        time = edge_time(self._spans(), self.active)
        field = QLineEdit(f"{time:.4f}".rstrip("0").replace(".", shown_plain(0.5)[1]), self)
        field.setToolTip(words.EDGE_TIME)
        field.setAccessibleName(words.EDGE_TIME)
        field.setFixedWidth(90)
        field.move(int(min(max(self.x_of(time) - 45, 0), self.width() - 90)), 8)
        field.returnPressed.connect(self._take_typed)
        field.editingFinished.connect(self._close_field)
        self._field = field
        field.show()
        field.selectAll()
        field.setFocus()

    def _take_typed(self) -> None:
        entry, seconds = self.document.entry, unit_of("time", "s")
        try:
            time = parse_fact(self._field.text(), "time", seconds).si
        except InertianError as error:
            QToolTip.showText(self._field.mapToGlobal(self._field.rect().bottomLeft()), str(error), self._field)
            return
        self.document.do(moved(self.document.settled, entry.trial.id, self.active, time))

    def _close_field(self) -> None:
        field, self._field = self._field, None
        if field is not None:
            field.deleteLater()
            self.setFocus()
