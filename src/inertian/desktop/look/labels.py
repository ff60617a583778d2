"""Small parts that all panes share: labels, rules, bodies with their markers, and choices."""

from collections.abc import Callable

from PyQt6.QtCore import QEvent, QPointF, QSize, Qt
from PyQt6.QtGui import QColor, QKeyEvent, QPainter, QPaintEvent, QPen, QPolygonF, QWheelEvent
from PyQt6.QtWidgets import (
    QComboBox,
    QFrame,
    QLabel,
    QLayout,
    QStyle,
    QStyleOptionToolButton,
    QStylePainter,
    QToolButton,
    QVBoxLayout,
    QWidget,
)

from inertian.desktop.look import markers
from inertian.desktop.look.tokens import Theme


def label(text: str, role: str = "") -> QLabel:
    """Return a label in one of the roles of the style sheet."""
    made = QLabel(text)
    if role:
        made.setProperty("role", role)
    return made


def tight_column(part: QWidget) -> QVBoxLayout:
    """Return a column in a part, without margins and gaps."""
    column = QVBoxLayout(part)
    column.setContentsMargins(0, 0, 0, 0)
    column.setSpacing(0)
    return column


class ExplainedLabel(QLabel):
    """A label whose tooltip is worked out when it is asked for: hundreds change with one edit."""

    def __init__(self) -> None:
        super().__init__()
        self.explain: Callable[[], str] | None = None

    def toolTip(self) -> str:
        """Qt: the explanation as it is now."""
        return self.explain() if self.explain is not None else ""

    def event(self, event: QEvent) -> bool:
        """Qt: explain when the pointer rests."""
        if event.type() == QEvent.Type.ToolTip:
            self.setToolTip(self.toolTip())
        return super().event(event)


def rule() -> QFrame:
    """Return a thin rule between sections."""
    line = QFrame()
    line.setProperty("role", "rule")
    return line


class BodyLabel(QLabel):
    """A body's name behind its marker."""

    def __init__(self, theme: Theme, place: int, text: str) -> None:
        super().__init__(text)
        self.setTextFormat(Qt.TextFormat.PlainText)  # names come from files
        self._theme, self._place = theme, place
        self.setContentsMargins(16, 0, 0, 0)

    def shorten(self, width: int) -> None:
        """Keep the name inside a width in px; the tooltip has it whole."""
        self.setToolTip(self.text())
        self.setText(
            self.fontMetrics().elidedText(self.text(), Qt.TextElideMode.ElideMiddle, width - 16)
        )

    def paintEvent(self, event: QPaintEvent) -> None:
        """Qt: paint the marker in front of the name."""
        super().paintEvent(event)
        painter = QPainter(self)
        markers.paint_marker(
            painter, self._theme, self._place, QPointF(6, self.height() / 2 + 0.5), 9
        )


class DropDown(QComboBox):
    """A drop-down list with a thin arrow; the wheel scrolls the pane, it does not change the
    choice.
    """

    def __init__(self, theme: Theme) -> None:
        super().__init__()
        self._theme = theme
        self.setFocusPolicy(Qt.FocusPolicy.StrongFocus)

    def paintEvent(self, event: QPaintEvent) -> None:
        """Qt: paint the arrow."""
        super().paintEvent(event)
        painter = QPainter(self)
        _paint_caret(painter, self._theme, self.width() - 13.0, self.height() / 2)

    def wheelEvent(self, event: QWheelEvent) -> None:
        """Qt: leave the wheel to the pane."""
        event.ignore()


class MenuButton(QToolButton):
    """A button without a frame that opens a menu: a small caret says so; it takes the focus."""

    CARET = 8  # px, for which there is no room otherwise

    def __init__(self, theme: Theme, role: str) -> None:
        super().__init__()
        self._theme = theme
        self.setProperty("role", role)
        self.setToolButtonStyle(Qt.ToolButtonStyle.ToolButtonTextOnly)
        self.setFocusPolicy(Qt.FocusPolicy.StrongFocus)
        self.setCursor(Qt.CursorShape.PointingHandCursor)

    def sizeHint(self) -> QSize:
        """Qt: room for the caret."""
        return super().sizeHint() + QSize(self.CARET, 0)

    def paintEvent(self, event: QPaintEvent) -> None:
        """Qt: the text at the left, the caret behind it."""
        option = QStyleOptionToolButton()
        self.initStyleOption(option)
        painter = QStylePainter(self)
        text, option.text = option.text, ""
        painter.drawComplexControl(QStyle.ComplexControl.CC_ToolButton, option)
        painter.setPen(option.palette.buttonText().color())
        painter.drawText(
            self.rect().adjusted(4, 0, 0, 0),
            Qt.AlignmentFlag.AlignVCenter | Qt.AlignmentFlag.AlignLeft,
            text,
        )
        end = 4 + option.fontMetrics.horizontalAdvance(text)
        _paint_caret(painter, self._theme, end + 10.0, self.height() / 2 + 0.5)

    def keyPressEvent(self, event: QKeyEvent) -> None:
        """Qt: the keys that open a list open this one too."""
        if event.key() in (Qt.Key.Key_Return, Qt.Key.Key_Enter, Qt.Key.Key_Down):
            self.click()
        else:
            super().keyPressEvent(event)


def _paint_caret(painter: QPainter, theme: Theme, x: float, y: float) -> None:
    painter.setRenderHint(QPainter.RenderHint.Antialiasing)
    painter.setPen(QPen(QColor(theme.soft_ink), 1.4))
    painter.drawPolyline(
        QPolygonF([QPointF(x - 4, y - 2), QPointF(x, y + 2), QPointF(x + 4, y - 2)])
    )


def empty_layout(layout: QLayout) -> None:
    """Take everything out of a layout; its widgets go."""
    while layout.count():
        item = layout.takeAt(0)
        if item.layout() is not None:
            empty_layout(item.layout())
        if item.widget() is not None:
            item.widget().hide()
            item.widget().deleteLater()
