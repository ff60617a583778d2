"""The span rail: a ruler of time on which the spans sit as named flags, moved with mouse and
keys.
"""

from collections.abc import Callable

import numpy as np
from PyQt6.QtCore import QEvent, QPoint, Qt, pyqtSignal
from PyQt6.QtGui import QContextMenuEvent, QFocusEvent, QHelpEvent, QKeyEvent, QMouseEvent
from PyQt6.QtWidgets import QLineEdit, QToolTip

from inertian.desktop.bench.gestures import (
    DateDrag,
    Drag,
    Handle,
    NewSpan,
    date_at,
    edge_time,
    handle_at,
    handle_moved,
    handles,
)
from inertian.desktop.bench.rail_ruler import DATE_HALF, FLAG_TOP, LINE, RailRuler
from inertian.desktop.look import words
from inertian.desktop.look.number_format import format_number
from inertian.desktop.look.theme import decimal_mark
from inertian.desktop.look.tokens import Theme
from inertian.desktop.state.document import Document
from inertian.desktop.state.view_state import ViewState
from inertian.motion.spans.spans import SpanError
from inertian.project.marking_edits import span_added, span_renamed
from inertian.quantities.errors import InertianError
from inertian.quantities.facts import parse_fact
from inertian.quantities.units import unit_of


class SpanRail(RailRuler):
    """Shows and moves the spans of the trial in hand; `active` is the edge that keys move."""

    active_changed = pyqtSignal()
    menu_wanted = pyqtSignal(str, QPoint)
    troubled = pyqtSignal(str)

    def __init__(self, document: Document, theme: Theme, view: ViewState) -> None:
        super().__init__(document, theme, view)
        self._line_held = False
        self._field: QLineEdit | None = None
        self.setFocusPolicy(Qt.FocusPolicy.StrongFocus)
        self.setMouseTracking(True)
        self.setAccessibleName("Span rail")
        self.setAccessibleDescription(words.RAIL_HELP)
        self.setStatusTip(words.RAIL_HELP)
        document.selected.connect(self._forget_active)

    def _forget_active(self) -> None:
        self.active = self.hovered = self._drag = None
        self.update()

    def span_in_hand(self) -> str:
        """Return the name of the span that keys work on: that of the active edge, else the span
        before the contact.
        """
        spans = self._spans()
        if self.active and any(s.name == self.active.span for s in spans):
            return self.active.span
        first = spans.before or (spans[0] if spans else None)
        return first.name if first else ""

    # -- mouse -------------------------------------------------------------------------------------

    def mousePressEvent(self, event: QMouseEvent | None) -> None:
        """Qt: take the plumb line, an edge or a span, or begin a new span where there is none."""
        if event.button() is not Qt.MouseButton.LeftButton:
            return
        x, y = event.position().x(), event.position().y()
        time, handle = (
            self.time_of(x),
            handle_at(self._in_lane(y), self.time_of(x), self._per_pixel()),
        )
        fresh = bool(event.modifiers() & Qt.KeyboardModifier.ShiftModifier)
        date = self._date_under(time) if y < FLAG_TOP - 2 and not fresh else None
        if date is not None:
            self._drag = DateDrag(self.document, date)
        elif y < FLAG_TOP - 2 and not fresh:
            self._line_held = True
            self.view.move_line(time)
            self.activate(LINE)
        elif handle and not fresh:
            self._drag = Drag(self.document, handle, time)
            self.activate(handle)
        elif self.document.entry is not None:
            self._drag = NewSpan(self.document, time)

    def mouseMoveEvent(self, event: QMouseEvent | None) -> None:
        """Qt: move what is held, or show what could be taken."""
        time = self.time_of(event.position().x())
        if self._line_held:
            self.view.move_line(time)
            return
        if self._drag:
            self._drag.move(time)
            return
        ruler = event.position().y() < FLAG_TOP - 2
        self.hovered = (
            None
            if ruler
            else handle_at(self._in_lane(event.position().y()), time, self._per_pixel())
        )
        shape = Qt.CursorShape.ArrowCursor
        if ruler and self._date_under(time) is not None:
            shape = Qt.CursorShape.SplitHCursor
        elif self.hovered:
            body = self.hovered.part == "body"
            shape = Qt.CursorShape.OpenHandCursor if body else Qt.CursorShape.SplitHCursor
        self.setCursor(shape)
        self.update()

    def _date_under(self, time: float) -> int | None:
        """The place of the date of the accounts whose mark lies at a time, or None."""
        entry = self.document.entry
        return date_at(entry.dates if entry else (), time, DATE_HALF * self._per_pixel())

    def mouseReleaseEvent(self, event: QMouseEvent | None) -> None:
        """Qt: let go, and make the edit; a new span asks for its name."""
        self._line_held = False
        if self._drag:
            drag, self._drag = self._drag, None
            if isinstance(drag, NewSpan):
                if drag.finish():
                    self.type_name(drag.name)
            else:
                drag.finish()
            self.update()

    def mouseDoubleClickEvent(self, event: QMouseEvent | None) -> None:
        """Qt: a double click on a flag asks for its name."""
        handle = handle_at(
            self._in_lane(event.position().y()),
            self.time_of(event.position().x()),
            self._per_pixel(),
        )
        if handle:
            self.type_name(handle.span)

    def contextMenuEvent(self, event: QContextMenuEvent | None) -> None:
        """Qt: what can be done with the span under the pointer."""
        handle = handle_at(
            self._in_lane(event.pos().y()), self.time_of(event.pos().x()), self._per_pixel()
        )
        if handle:
            self.activate(Handle(handle.span, "body"))
            self.menu_wanted.emit(handle.span, event.globalPos())

    def leaveEvent(self, event: QEvent | None) -> None:
        """Qt: nothing is under the pointer any more."""
        self.hovered = None
        self.update()

    def event(self, event: QEvent | None) -> bool:
        """Qt: say in a tooltip what a span holds."""
        if (
            isinstance(event, QHelpEvent)
            and event.type() == QEvent.Type.ToolTip
            and self.document.entry
        ):
            time = self.time_of(event.pos().x())
            date = self._date_under(time) if event.pos().y() < FLAG_TOP - 2 else None
            if date is not None:
                name = self.document.entry.dates[date].name
                QToolTip.showText(event.globalPos(), words.DATE_TIP.format(name=name), self)
                return True
            handle = handle_at(self._spans(), time, self._per_pixel())
            if handle:
                span = self._spans().named(handle.span)
                rows = span.rows(self.document.entry.trial.t)
                zero = self._zero()
                start, stop = (
                    format_number(span.start - zero, 5),
                    format_number(span.stop - zero, 5),
                )
                kind = words.SPAN_KINDS[span.kind]
                many = rows.stop - rows.start
                text = words.SPAN_TIP.format(
                    name=span.name, kind=kind, start=start, stop=stop, count=many
                )
                text += "\n" + words.SPAN_WHY.format(why=span.why) if span.why else ""
                QToolTip.showText(event.globalPos(), text, self)
                return True
        return super().event(event)

    # -- keys --------------------------------------------------------------------------------------

    def keyPressEvent(self, event: QKeyEvent | None) -> None:
        """Qt: choose an edge, move it, type its time, or drop a drag."""
        key, order = event.key(), handles(self._spans())
        if key == Qt.Key.Key_Escape and self._drag:
            self._drag.cancel()
            self._drag = None
        elif key == Qt.Key.Key_Escape:
            self.view.begun = None
            self.view.move_line(None)
            if self.view.setting_aside:
                self.view.setting_aside = False
                self.view.turned.emit()
        elif key in (Qt.Key.Key_Up, Qt.Key.Key_Down) and order:
            step = 1 if key == Qt.Key.Key_Down else -1
            place = (
                order.index(self.active) + step if self.active in order else (0 if step > 0 else -1)
            )
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

    def focusInEvent(self, event: QFocusEvent) -> None:
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
        """Move the active edge, span, or the plumb line, by whole samples: to the sample that many
        further on.
        """
        entry = self.document.entry
        t = entry.trial.t
        now = self.view.line if self.active == LINE else edge_time(entry.spans, self.active)
        if now is None:
            return
        row = int(np.searchsorted(t, now + 1e-12 if samples > 0 else now - 1e-12))
        row = row + samples - 1 if samples > 0 else row + samples
        time = float(t[min(max(row, 0), len(t) - 1)])
        if self.active == LINE:
            self.view.move_line(time)
        else:
            self.document.do(
                handle_moved(self.document.committed, entry.trial.id, self.active, time)
            )

    def take_line(self) -> None:
        """Let keys move the plumb line; it comes to the middle of what is seen if there is none."""
        entry = self.document.entry
        if entry is None:
            return
        if self.view.line is None:
            t = entry.trial.t
            self.view.move_line(float(t[np.argmin(np.abs(t - 0.5 * sum(self._range)))]))
        self.activate(LINE)
        self.setFocus()

    # -- typing ------------------------------------------------------------------------------------

    def _type_time(self) -> None:
        time = self.view.line if self.active == LINE else edge_time(self._spans(), self.active)
        if time is not None:
            text = f"{time - self._zero():.4f}".rstrip("0").replace(".", decimal_mark())
            self._open_field(text, words.EDGE_TIME, time, 90, self._take_time)

    def type_name(self, name: str) -> None:
        """Ask for the name of a span, in place."""
        if any(s.name == name for s in self._spans()):
            span = self._spans().named(name)
            self.activate(Handle(name, "body"))
            self._open_field(
                name, words.SPAN_NAME, 0.5 * (span.start + span.stop), 130, self._take_name
            )

    def type_span(self) -> None:
        """Ask for start and stop of a new span."""
        self._open_field("", words.SPAN_TIMES, 0.5 * sum(self._range), 230, self._take_span)

    def _open_field(
        self, text: str, hint: str, time: float, width: int, take: Callable[[str], None]
    ) -> None:
        self._close_field()
        field = QLineEdit(text, self)
        field.setToolTip(hint)
        field.setPlaceholderText(hint)
        field.setAccessibleName(hint)
        field.setFixedWidth(width)
        field.move(int(min(max(self.x_of(time) - width / 2, 0), self.width() - width)), 8)
        field.returnPressed.connect(lambda: self._take_typed(take))
        field.editingFinished.connect(self._close_field)
        self._field = field
        field.show()
        field.selectAll()
        field.setFocus()

    def _take_typed(self, take: Callable[[str], None]) -> None:
        field = self._field
        try:
            take(field.text())
        except InertianError as error:
            self.troubled.emit(str(error))
            QToolTip.showText(field.mapToGlobal(field.rect().bottomLeft()), str(error), field)

    def _take_time(self, text: str) -> None:
        entry = self.document.entry
        time = parse_fact(text, "time", unit_of("time", "s")).si + self._zero()
        if self.active == LINE:
            self.view.move_line(time)
        else:
            self.document.do(
                handle_moved(self.document.committed, entry.trial.id, self.active, time)
            )

    def _take_name(self, text: str) -> None:
        entry, old = self.document.entry, self.active.span
        edit = span_renamed(self.document.committed, entry.trial.id, old, text)
        self.active = Handle(text.strip(), "body")
        self.document.do(edit)
        self.activate(self.active)

    def _take_span(self, text: str) -> None:
        parts = text.replace("…", " ").replace("–", " ").replace(";", " ").split()
        seconds, zero = unit_of("time", "s"), self._zero()
        if len(parts) != 2:
            raise SpanError(text or "…", words.SPAN_TIMES_WRONG)
        start, stop = (parse_fact(part, "time", seconds).si + zero for part in parts)
        edit = span_added(self.document.committed, self.document.entry.trial.id, start, stop)
        old = {s.name for s in self._spans()}
        self.document.do(edit)
        new = next((s.name for s in self._spans() if s.name not in old), None)
        if new:
            self.activate(Handle(new, "body"))

    def _close_field(self) -> None:
        field, self._field = self._field, None
        if field is not None:
            field.deleteLater()
            self.setFocus()
