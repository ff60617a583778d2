"""The plot of a strip: spans, plumb line and samples under the mouse."""

from collections.abc import Sequence

import pyqtgraph as pg
from PyQt6.QtCore import QPointF, QRectF, Qt
from PyQt6.QtGui import QColor, QContextMenuEvent, QKeyEvent, QMouseEvent, QPen, QResizeEvent
from PyQt6.QtWidgets import QLabel

from inertian.desktop.bench.bench_parts import StripInterface
from inertian.desktop.bench.free_places import freest
from inertian.desktop.bench.gestures import Drag, Handle, date_at, handle_at
from inertian.desktop.bench.plot_gestures import (
    DragOrigin,
    MarkSpan,
    MoveDate,
    MoveLine,
    MoveSpanPart,
    PlotGesture,
    Pointer,
    SelectSamples,
)
from inertian.desktop.bench.span_bands import SpanBands
from inertian.desktop.bench.traces import Points
from inertian.desktop.look.number_format import format_tick
from inertian.desktop.look.theme import font
from inertian.desktop.look.tokens import AXIS_WIDTH, GRIP, SMALL, Theme
from inertian.desktop.state.document import Document
from inertian.physics.accounts.statements import Date
from inertian.physics.definitions.requests import Quantity

CURVES_OF_BODY = 3  # the prediction of a model, and the edges of its band
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
        self._gesture: PlotGesture | None = None
        self._pressed: QPointF | None = None
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
        self._dates: list[pg.InfiniteLine] = []
        self._curves: list[pg.PlotCurveItem] = []
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
        for date in self._dates:
            date.setPen(pg.mkPen(self._theme.ink, width=1, style=Qt.PenStyle.DotLine))
            date.label.setColor(self._theme.soft_ink)
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

    def show_curves(self, curves: Sequence[Points]) -> None:
        """Draw curves over the samples, in the unit that is shown: what a model predicts, and the
        edges of its band.
        """
        while len(self._curves) > len(curves):
            self.removeItem(self._curves.pop())
        while len(self._curves) < len(curves):
            made = pg.PlotCurveItem(antialias=True, connect="finite")
            made.setZValue(6)
            self.addItem(made, ignoreBounds=True)
            self._curves.append(made)
        for place, (item, (t, y)) in enumerate(zip(self._curves, curves, strict=True)):
            band = place % CURVES_OF_BODY > 0
            style = Qt.PenStyle.DotLine if band else Qt.PenStyle.DashLine
            item.setPen(pg.mkPen(self._theme.ink, width=1, style=style))
            item.setData(t, y)

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

    def show_dates(self, dates: Sequence[Date]) -> None:
        """Show a trial's own dates, at which it is accounted for, with their names."""
        while len(self._dates) > len(dates):
            self.removeItem(self._dates.pop())
        while len(self._dates) < len(dates):
            opts = {"position": 0.08, "color": self._theme.soft_ink, "anchors": [(0, 0), (0, 0)]}
            made = pg.InfiniteLine(angle=90, label=" ", labelOpts=opts)
            made.setPen(pg.mkPen(self._theme.ink, width=1, style=Qt.PenStyle.DotLine))
            made.label.setFont(font(SMALL))
            self.addItem(made, ignoreBounds=True)
            self._dates.append(made)
        for line, date in zip(self._dates, dates, strict=True):
            line.setValue(date.t)
            line.label.setFormat(date.name)

    def _on_date(self, time: float) -> int | None:
        """The place of the date that lies under a time, or None."""
        entry = self._document.entry
        return date_at(entry.dates if entry else (), time, 0.5 * GRIP * self._per_pixel()[0])

    def place_flag(self) -> None:
        """Put what is read beside the line, where it covers least of what is drawn."""
        if not self.flag.isVisible():
            return
        box = self.getPlotItem().vb
        area = QRectF(box.sceneBoundingRect())
        x = self.mapFromScene(box.mapViewToScene(QPointF(self.line.value(), 0.0))).x()
        width, height = self.flag.width(), self.flag.height()
        sides = [x + 6, x - 6 - width] if x + 6 + width <= area.right() else [x - 6 - width, x + 6]
        heights = (area.top() + 2, area.bottom() - height - 2, area.center().y() - height / 2)
        places = [
            QRectF(left, top, width, height)
            for top in heights
            for left in sides
            if area.left() <= left and left + width <= area.right()
        ] or [QRectF(max(area.left(), area.right() - width), area.top() + 2, width, height)]
        (left, right), (low, high) = box.viewRange()
        view = QRectF(left, low, right - left, high - low)
        traces = [(trace.t, trace.y) for trace in self._strip.traces]
        place = freest(places, traces, view, area)
        self.flag.move(int(place.left()), int(place.top()))

    # -- mouse -------------------------------------------------------------------------------------

    def _place(self, position: QPointF) -> QPointF:
        scene = self.mapToScene(position.toPoint())
        return QPointF(self.getPlotItem().vb.mapSceneToView(scene))

    def _per_pixel(self) -> tuple[float, float]:
        width, height = self.getPlotItem().vb.viewPixelSize()
        return float(width), float(height)

    def _in_view(self, event: QMouseEvent) -> bool:
        area: QRectF = self.getPlotItem().vb.sceneBoundingRect()
        return area.contains(self.mapToScene(event.position().toPoint()))

    def _handle(self, event: QMouseEvent) -> tuple[Handle | None, float]:
        time, entry = float(self._place(event.position()).x()), self._document.entry
        inside_view = self._in_view(event)
        return (
            handle_at(entry.spans, time, self._per_pixel()[0]) if entry and inside_view else None
        ), time

    def _on_line(self, time: float) -> bool:
        line = self._view.line
        return line is not None and abs(time - line) <= 0.5 * GRIP * self._per_pixel()[0]

    def _pointer(self, event: QMouseEvent) -> Pointer:
        moved = event.position() - (self._pressed or event.position())
        still = self._pressed is not None and moved.manhattanLength() < STILL
        return Pointer(event.position(), self._place(event.position()), self._per_pixel(), still)

    def mousePressEvent(self, event: QMouseEvent) -> None:
        """Qt: begin the gesture of what lies under the mouse and of the keys that are held."""
        handle, _time = self._handle(event)
        self._strip.take()
        if event.button() is not LEFT or not self._in_view(event):
            super().mousePressEvent(event)
            return
        self.setFocus()
        self._pressed = event.position()
        self._gesture = self._begun(event, handle)
        if self._gesture is None:
            super().mousePressEvent(event)
        else:
            event.accept()

    def _begun(self, event: QMouseEvent, handle: Handle | None) -> PlotGesture | None:
        """The gesture that a press begins; None moves the view along."""
        at, strip, view = self._pointer(event), self._strip, self._view
        if view.dragging_origin is not None and self._shows_places():
            return DragOrigin(strip, self.origin, view.dragging_origin, at)
        if event.modifiers() & CTRL or view.setting_aside:
            return SelectSamples(self._document, strip, self._rubber, at)
        if event.modifiers() & SHIFT:
            return MarkSpan(self._document, strip, at.time)
        date = self._on_date(at.time)
        if date is not None:
            return MoveDate(self._document, date)
        if self._on_line(at.time) and not (handle and handle.part != "body"):
            return MoveLine(strip)
        if handle:
            drag = Drag(self._document, handle, at.time)
            return MoveSpanPart(self._document, strip, drag)
        return None

    def _shows_places(self) -> bool:
        shown = self._strip.shown
        return shown.quantity is Quantity.POSITION and shown.axis in "xy"

    def mouseMoveEvent(self, event: QMouseEvent) -> None:
        """Qt: go on with the gesture, or show what could be taken."""
        if self._gesture is not None:
            self._gesture.move(self._pointer(event))
            event.accept()
            return
        if not event.buttons():
            self._show_what_can_be_taken(event)
        super().mouseMoveEvent(event)

    def _show_what_can_be_taken(self, event: QMouseEvent) -> None:
        handle, time = self._handle(event)
        edge = handle if handle and handle.part != "body" else None
        self._bench.mark_live(edge)
        taken = edge or self._on_line(time) or self._on_date(time) is not None
        cross = self._view.setting_aside or event.modifiers() & CTRL
        shape = Qt.CursorShape.SplitHCursor if taken else Qt.CursorShape.ArrowCursor
        self.viewport().setCursor(Qt.CursorShape.CrossCursor if cross else shape)

    def mouseReleaseEvent(self, event: QMouseEvent) -> None:
        """Qt: let go, and make the edit; a click puts the plumb line there."""
        at, gesture = self._pointer(event), self._gesture
        self._pressed, self._gesture = None, None
        if gesture is not None:
            gesture.release(at)
            event.accept()
            return
        super().mouseReleaseEvent(event)
        if at.still and event.button() is LEFT:
            self._view.move_line(at.time)

    def contextMenuEvent(self, event: QContextMenuEvent) -> None:
        """Qt: what can be done with this strip, or with the span under the pointer."""
        entry = self._document.entry
        time = float(self._place(QPointF(event.pos())).x())
        handle = handle_at(entry.spans, time, self._per_pixel()[0]) if entry else None
        self._bench.strip_menu(self._strip, handle).exec(event.globalPos())

    def keyPressEvent(self, event: QKeyEvent) -> None:
        """Qt: Esc drops a gesture; other keys are those of the rail."""
        if event.key() == Qt.Key.Key_Escape and self._gesture is not None:
            self._gesture.cancel()
            self._gesture = None
            event.accept()
            return
        self._bench.rail.keyPressEvent(event)

    def resizeEvent(self, event: QResizeEvent) -> None:
        """Qt: what is read stays beside the line."""
        super().resizeEvent(event)
        if hasattr(self, "flag"):
            self.place_flag()
