"""Body markers as painter paths: colour and shape together tell bodies apart."""

from PyQt6.QtCore import QPointF, QRectF, Qt
from PyQt6.QtGui import QColor, QPainter, QPainterPath, QPen, QPolygonF

from inertian.desktop.look.tokens import MARKERS, Theme


def _polygon(*points: tuple[float, float]) -> QPainterPath:
    path = QPainterPath()
    path.addPolygon(QPolygonF([QPointF(x, y) for x, y in points]))
    path.closeSubpath()
    return path


def _round() -> QPainterPath:
    path = QPainterPath()
    path.addEllipse(QRectF(-0.5, -0.5, 1.0, 1.0))
    return path


def _cross() -> QPainterPath:
    a, b = 0.17, 0.52
    return _polygon(
        (-a, -b),
        (a, -b),
        (a, -a),
        (b, -a),
        (b, a),
        (a, a),
        (a, b),
        (-a, b),
        (-a, a),
        (-b, a),
        (-b, -a),
        (-a, -a),
    )


_PATHS = {
    "round": _round,
    "diamond": lambda: _polygon((0, -0.62), (0.62, 0), (0, 0.62), (-0.62, 0)),
    "triangle": lambda: _polygon((0, -0.6), (0.58, 0.45), (-0.58, 0.45)),
    "square": lambda: _polygon((-0.46, -0.46), (0.46, -0.46), (0.46, 0.46), (-0.46, 0.46)),
    "down-triangle": lambda: _polygon((0, 0.6), (0.58, -0.45), (-0.58, -0.45)),
    "cross": _cross,
}


ALL_TOGETHER = -1  # in place of a body's place: the sum of all, which has the ink's colour


def marker_path(place: int) -> QPainterPath:
    """Return the shape of the body at this place in its trial, one unit wide about the origin."""
    if place == ALL_TOGETHER:
        return _polygon((-0.6, -0.16), (0.6, -0.16), (0.6, 0.16), (-0.6, 0.16))
    return _PATHS[MARKERS[place % len(MARKERS)]]()


def colour(theme: Theme, place: int) -> QColor:
    """Return the colour of the body at this place in its trial."""
    if place == ALL_TOGETHER:
        return QColor(theme.ink)
    return QColor(theme.bodies[place % len(theme.bodies)])


def paint_marker(painter: QPainter, theme: Theme, place: int, centre: QPointF, size: float) -> None:
    """Paint one marker, `size` px wide."""
    painter.save()
    painter.setRenderHint(QPainter.RenderHint.Antialiasing)
    painter.translate(centre)
    painter.scale(size, size)
    painter.setPen(QPen(Qt.PenStyle.NoPen))
    painter.setBrush(colour(theme, place))
    painter.drawPath(marker_path(place))
    painter.restore()
