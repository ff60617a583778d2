"""The plot of a strip: spans, plumb line and samples under the mouse."""

import pyqtgraph as pg
from PyQt6.QtCore import QPointF, QRectF, Qt
from PyQt6.QtGui import QColor, QContextMenuEvent, QKeyEvent, QMouseEvent, QPen
from PyQt6.QtWidgets import QLabel

from inertian.desktop.bench.bench_parts import StripInterface
from inertian.desktop.bench.gestures import Drag, Handle, NewSpan, handle_at
from inertian.desktop.bench.sample_exclusion import (
    nearest_sample,
    samples_inside,
    set_aside_samples,
    toggle_sample,
)
from inertian.desktop.bench.span_bands import SpanBands
from inertian.desktop.look import words
from inertian.desktop.look.number_format import format_tick
from inertian.desktop.look.theme import font
from inertian.desktop.look.tokens import AXIS_WIDTH, GRIP, SMALL, Theme
from inertian.desktop.state.document import Document
from inertian.physics.definitions.requests import Quantity

STILL = 4  # px that the mouse may move in a click
LEFT, CTRL, SHIFT = (
    Qt.MouseButton.LeftButton,
    Qt.KeyboardModifier.ControlModifier,
    Qt.KeyboardModifier.ShiftModifier,
)


class StripPlot(pg.PlotWidget):
    """The plot of a strip.

    A click puts the plumb line there; a drag moves what it takes: the line, an edge, a span, else
    the view. With Ctrl a click or a rectangle sets samples aside, with Shift a drag marks a new
    span.
    """

    def __init__(self, document: Document, theme: Theme, strip: StripInterface) -> None:
        super().__init__(background=theme.sheet)
        self._document, self._strip, self._bench, self._view = (
            document,
            strip,
            strip.bench,
            strip.bench.view,
        )
        self._drag: Drag | NewSpan | None = None
        self._line_held = False
        self._pressed: QPointF | None = None
        self._corner: QPointF | None = None
        self.bands = SpanBands(theme)
        self.addItem(self.bands, ignoreBounds=True)
        item = self.getPlotItem()
        item.hideButtons()
        item.setMenuEnabled(False)
        item.layout.setContentsMargins(0, 6, 8, 0)
        item.setMouseEnabled(x=True, y=False)
        item.vb.disableAutoRange()  # strips fit their height to what is seen, before it is painted
        self.setFocusPolicy(Qt.FocusPolicy.ClickFocus)
        self.setFrameShape(self.Shape.NoFrame)
        left, bottom = item.getAxis("left"), item.getAxis("bottom")
        left.setWidth(AXIS_WIDTH)
        self._theme = theme
        self.line = pg.InfiniteLine(angle=90)
        self.line.setZValue(8)
        self.line.hide()
        self.addItem(self.line, ignoreBounds=True)
        self.origin = pg.InfiniteLine(angle=0)
        self.origin.hide()
        self.addItem(self.origin, ignoreBounds=True)
        self._pins: list[pg.InfiniteLine] = []
        self.flag = QLabel(self)
        self.flag.setObjectName("plumbFlag")
        self.flag.setAttribute(Qt.WidgetAttribute.WA_TransparentForMouseEvents)
        self.flag.hide()
        self._rubber = QLabel(self)
        self._rubber.setObjectName("rubber")
        self._rubber.setAttribute(Qt.WidgetAttribute.WA_TransparentForMouseEvents)
        self._rubber.hide()
        self.restyle()
        left.tickStrings = lambda values, _scale, step: [format_tick(v, step) for v in values]
        bottom.setStyle(showValues=False)
        bottom.setHeight(4)
        item.vb.sigXRangeChanged.connect(lambda _box, span: self._strip.follow_view(tuple(span)))

    def restyle(self) -> None:
        """Wear the theme as it is now."""
        self.setBackground(self._theme.sheet)
        self.line.setPen(pg.mkPen(self._theme.brass, width=1))
        self.origin.setPen(pg.mkPen(self._theme.brass, width=1, style=Qt.PenStyle.DashLine))
        for pin in self._pins:
            pin.setPen(pg.mkPen(self._theme.soft_ink, width=1, style=Qt.PenStyle.DashLine))
        for name in ("left", "bottom"):
            axis = self.getPlotItem().getAxis(name)
            axis.setPen(QPen(QColor(self._theme.rule)))
            axis.setTextPen(QColor(self._theme.soft_ink))
            axis.setStyle(tickFont=font(SMALL), tickLength=-4, autoExpandTextSpace=False)
            axis.enableAutoSIPrefix(False)

    def show_level(self, value: float) -> None:
        """Draw a thin line at one value: what residuals scatter about."""
        level = pg.InfiniteLine(value, angle=0, pen=pg.mkPen(self._theme.edge, width=1))
        level.setZValue(-5)
        self.addItem(level, ignoreBounds=True)

    # -- plumb line --------------------------------------------------------------------------------

    def show_line(self, time: float | None, pins: list[float], text: str) -> None:
        """Show plumb line and pins, and what is read at the line, as rich text."""
        while len(self._pins) > len(pins):
            self.removeItem(self._pins.pop())
        while len(self._pins) < len(pins):
            pin = pg.InfiniteLine(
                angle=90, pen=pg.mkPen(self._theme.soft_ink, width=1, style=Qt.PenStyle.DashLine)
            )
            self.addItem(pin, ignoreBounds=True)
            self._pins.append(pin)
        for pin, at in zip(self._pins, pins, strict=True):
            pin.setValue(at)
        self.line.setVisible(time is not None)
        self.flag.setVisible(time is not None and bool(text))
        if time is None:
            return
        self.line.setValue(time)
        self.flag.setText(text)
        self.flag.adjustSize()
        self.place_flag()

    def place_flag(self) -> None:
        """Put what is read beside the line, on the side with more room."""
        if not self.flag.isVisible():
            return
        area = self.getPlotItem().vb.sceneBoundingRect()
        x = self.mapFromScene(
            self.getPlotItem().vb.mapViewToScene(QPointF(self.line.value(), 0.0))
        ).x()
        right = x + 6 + self.flag.width() <= area.right()
        self.flag.move(
            int(x + 6 if right else max(x - 6 - self.flag.width(), area.left())),
            int(area.top()) + 2,
        )

    # -- mouse -------------------------------------------------------------------------------------

    def _place(self, position: QPointF) -> QPointF:
        return self.getPlotItem().vb.mapSceneToView(self.mapToScene(position.toPoint()))

    def _per_pixel(self) -> tuple[float, float]:
        width, height = self.getPlotItem().vb.viewPixelSize()
        return float(width), float(height)

    def _in_view(self, event: QMouseEvent) -> bool:
        return (
            self.getPlotItem()
            .vb.sceneBoundingRect()
            .contains(self.mapToScene(event.position().toPoint()))
        )

    def _handle(self, event: QMouseEvent) -> tuple[Handle | None, float]:
        time, entry = float(self._place(event.position()).x()), self._document.entry
        inside_view = self._in_view(event)
        return (
            handle_at(entry.spans, time, self._per_pixel()[0]) if entry and inside_view else None
        ), time

    def _on_line(self, time: float) -> bool:
        line = self._view.line
        return line is not None and abs(time - line) <= 0.5 * GRIP * self._per_pixel()[0]

    def mousePressEvent(self, event: QMouseEvent) -> None:
        """Qt: take the line, an edge or a span, begin a rectangle or a span, or begin to move
        along.
        """
        handle, time = self._handle(event)
        self._strip.take()
        if event.button() is not LEFT or not self._in_view(event):
            super().mousePressEvent(event)
            return
        self.setFocus()
        self._pressed = event.position()
        if self._drags_origin():
            self._show_origin(event)
        elif event.modifiers() & CTRL or self._view.setting_aside:
            self._corner = event.position()
        elif event.modifiers() & SHIFT:
            self._drag = NewSpan(self._document, time)
        elif self._on_line(time) and not (handle and handle.part != "body"):
            self._line_held = True
        elif handle:
            self._drag = Drag(self._document, handle, time)
            self._bench.rail.activate(handle)
            self._bench.mark_live(handle)
        else:
            super().mousePressEvent(event)
            return
        event.accept()

    def mouseMoveEvent(self, event: QMouseEvent) -> None:
        """Qt: move what is held, or show what could be taken."""
        handle, time = self._handle(event)
        if self._pressed is not None and self._drags_origin():
            self._show_origin(event)
        elif self._corner is not None:
            self._stretch_rubber(event.position())
        elif self._line_held:
            self._view.move_line(time)
        elif self._drag:
            if not self._still(event):
                self._drag.move(time)
        else:
            if not event.buttons():
                edge = handle if handle and handle.part != "body" else None
                self._bench.mark_live(edge)
                taken = edge or self._on_line(time)
                cross = self._view.setting_aside or event.modifiers() & CTRL
                shape = Qt.CursorShape.SplitHCursor if taken else Qt.CursorShape.ArrowCursor
                self.viewport().setCursor(Qt.CursorShape.CrossCursor if cross else shape)
            super().mouseMoveEvent(event)
            return
        event.accept()

    def _drags_origin(self) -> bool:
        shown = self._strip.shown
        return (
            self._view.dragging_origin is not None
            and shown.quantity is Quantity.POSITION
            and shown.axis in "xy"
        )

    def _show_origin(self, event: QMouseEvent) -> None:
        self.origin.setValue(float(self._place(event.position()).y()))
        self.origin.show()

    def _still(self, event: QMouseEvent) -> bool:
        """Whether the mouse has hardly moved since it was pressed: then it is a click."""
        if self._pressed is None or self._document.previewing:
            return False
        return (event.position() - self._pressed).manhattanLength() < STILL

    def _stretch_rubber(self, to: QPointF) -> None:
        box = QRectF(self._corner, to).normalized()
        self._rubber.setGeometry(box.toRect())
        self._rubber.show()

    def mouseReleaseEvent(self, event: QMouseEvent) -> None:
        """Qt: let go, and make the edit; a click puts the plumb line there."""
        _handle, time = self._handle(event)
        click = (
            self._pressed is not None
            and (event.position() - self._pressed).manhattanLength() < STILL
        )
        held, drag = self._line_held, self._drag
        self._pressed, self._line_held, self._drag = None, False, None
        if self._drags_origin() and event.button() is LEFT:
            self.origin.hide()
            shown = self._strip.shown
            value = float(self._place(event.position()).y()) / self._view.factor(shown.unit)
            self._view.dragging_origin(shown.axis, value)
        elif self._corner is not None:
            self._end_rubber(event.position(), click)
        elif drag is not None:
            if click and not self._document.previewing:
                drag.cancel()
                self._view.move_line(time)
            elif isinstance(drag, NewSpan):
                if drag.finish():
                    self._bench.rail.type_name(drag.name)
            else:
                drag.finish()
            self._bench.mark_live(None)
        elif not held:
            super().mouseReleaseEvent(event)
            if click and event.button() is LEFT:
                self._view.move_line(time)
            return
        event.accept()

    def _end_rubber(self, to: QPointF, click: bool) -> None:
        corner, self._corner = self._corner, None
        self._rubber.hide()
        traces, place = self._strip.traces, self._place(to)
        if click:
            hit = nearest_sample(traces, place.x(), place.y(), self._per_pixel())
            if hit is not None:
                self._document.do(toggle_sample(self._document, self._view, *hit))
            return
        count = set_aside_samples(
            self._document,
            self._view,
            samples_inside(traces, QRectF(self._place(corner), place).normalized()),
        )
        self._bench.say(words.SET_ASIDE.format(count=count, reason=self._view.reason))

    def contextMenuEvent(self, event: QContextMenuEvent) -> None:
        """Qt: what can be done with this strip, or with the span under the pointer."""
        entry = self._document.entry
        time = float(self._place(QPointF(event.pos())).x())
        handle = handle_at(entry.spans, time, self._per_pixel()[0]) if entry else None
        self._bench.strip_menu(self._strip, handle).exec(event.globalPos())

    def keyPressEvent(self, event: QKeyEvent) -> None:
        """Qt: Esc drops a drag; other keys are those of the rail."""
        if event.key() == Qt.Key.Key_Escape and (self._drag or self._corner is not None):
            if self._drag:
                self._drag.cancel()
            self._drag = self._corner = None
            self._rubber.hide()
            self._bench.mark_live(None)
            event.accept()
            return
        self._bench.rail.keyPressEvent(event)

    def resizeEvent(self, event: object) -> None:
        """Qt: what is read stays beside the line."""
        super().resizeEvent(event)
        if hasattr(self, "flag"):
            self.place_flag()
