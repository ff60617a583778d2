"""A section that folds: a heading with a small caret, and what lies below it."""

from PyQt6.QtCore import Qt, pyqtSignal
from PyQt6.QtWidgets import QToolButton, QVBoxLayout, QWidget

OPEN, FOLDED = "▾", "▸"


class Fold(QWidget):
    """Shows or hides its `inner` column; `turned` says that it did."""

    turned = pyqtSignal(bool)

    def __init__(self, title: str, is_open: bool) -> None:
        super().__init__()
        self._title = title
        self.head = QToolButton()
        self.head.setProperty("role", "fold")
        self.head.setCheckable(True)
        self.head.setFocusPolicy(Qt.FocusPolicy.StrongFocus)
        self.head.setCursor(Qt.CursorShape.PointingHandCursor)
        self.head.toggled.connect(self._turn)
        self._body = QWidget()
        self.inner = QVBoxLayout(self._body)
        self.inner.setContentsMargins(0, 0, 0, 0)
        self.inner.setSpacing(4)
        column = QVBoxLayout(self)
        column.setContentsMargins(0, 0, 0, 0)
        column.setSpacing(4)
        column.addWidget(self.head, alignment=Qt.AlignmentFlag.AlignLeft)
        column.addWidget(self._body)
        self.head.setChecked(is_open)
        self._turn(is_open)

    def _turn(self, is_open: bool) -> None:
        self.head.setText(f"{OPEN if is_open else FOLDED} {self._title}")
        self.head.setAccessibleName(self._title)
        self._body.setVisible(is_open)
        self.turned.emit(is_open)
