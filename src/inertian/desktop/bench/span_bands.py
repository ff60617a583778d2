"""The tinted, hatched bands of the spans, as they fall through a strip."""

import pyqtgraph as pg
from PyQt6.QtCore import QPointF, QRectF, Qt
from PyQt6.QtGui import QBrush, QColor, QPainter, QPen

from inertian.desktop.bench.gestures import Handle
from inertian.desktop.look.span_tints import PATTERNS, tint_of
from inertian.desktop.look.tokens import Theme
from inertian.motion.spans.spans import Spans


class SpanBands(pg.GraphicsObject):
    """The bands of all spans, as high as the view."""

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
            left, right = (
                to_device.map(QPointF(t, view.top())).x() for t in (span.start, span.stop)
            )
            box = QRectF(
                max(left, top.x()), high, min(right, bottom.x()) - max(left, top.x()), low - high
            )
            if box.width() <= 0:
                continue
            live_here = self._live is not None and self._live.span == span.name
            if span.kind.moment and not live_here:
                painter.setPen(QPen(QColor(self._theme.edge), 1, Qt.PenStyle.DotLine))
                middle = 0.5 * (left + right)
                painter.drawLine(QPointF(middle, high), QPointF(middle, low))
                continue
            tint, event = tint_of(self._theme, span.kind), span.kind.event
            tint.setAlpha(46 if event else 20)
            painter.fillRect(box, tint)
            tint.setAlpha(110 if event else 44)
            painter.fillRect(box, QBrush(tint, PATTERNS.get(span.kind, Qt.BrushStyle.BDiagPattern)))
            for part, x in (("start", left), ("stop", right)):
                live = Handle(span.name, part) == self._live
                painter.setPen(
                    QPen(QColor(self._theme.brass if live else self._theme.edge), 2 if live else 1)
                )
                painter.drawLine(QPointF(x, high), QPointF(x, low))
        painter.restore()
