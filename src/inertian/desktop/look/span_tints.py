"""The tint and the hatch of each kind of span."""

from PyQt6.QtCore import Qt
from PyQt6.QtGui import QColor

from inertian.desktop.look.tokens import Theme
from inertian.motion.spans.spans import SpanKind

PATTERNS = {
    SpanKind.CONTACT: Qt.BrushStyle.DiagCrossPattern,
    SpanKind.BOUNCE: Qt.BrushStyle.DiagCrossPattern,
    SpanKind.END_STOP: Qt.BrushStyle.DiagCrossPattern,
    SpanKind.INTERACTION: Qt.BrushStyle.FDiagPattern,
    SpanKind.PUSH: Qt.BrushStyle.FDiagPattern,
    SpanKind.TURN: Qt.BrushStyle.VerPattern,
    SpanKind.MIDDLE: Qt.BrushStyle.VerPattern,
    SpanKind.REST: Qt.BrushStyle.HorPattern,
}


def tint_of(theme: Theme, kind: SpanKind) -> QColor:
    """Return the tint of a kind of span: one for what changes a velocity, one for what leaves it
    steady.
    """
    return QColor(theme.contact_tint if kind.event else theme.free_tint)
