"""A strip of names over several views, of which one is in front."""

from collections.abc import Sequence

from PyQt6.QtCore import Qt, pyqtSignal
from PyQt6.QtWidgets import QButtonGroup, QHBoxLayout, QStackedWidget, QToolButton, QWidget


class ViewStrip(QWidget):
    """The names of views; `chosen` carries that of the one that was clicked. `stack` holds the
    views, `row` the names, behind which more may stand.
    """

    chosen = pyqtSignal(str)

    def __init__(self, offered: Sequence[tuple[str, str, QWidget]]) -> None:
        super().__init__()
        self.setObjectName("viewStrip")
        self.row = QHBoxLayout(self)
        self.row.setContentsMargins(8, 6, 8, 0)
        self.row.setSpacing(6)
        self.stack = QStackedWidget()
        self.buttons: dict[str, QToolButton] = {}
        self._views = {name: view for name, _, view in offered}
        group = QButtonGroup(self)
        for name, tip, view in offered:
            button = QToolButton()
            button.setText(name)
            button.setToolTip(tip)
            button.setCheckable(True)
            button.setFocusPolicy(Qt.FocusPolicy.StrongFocus)
            button.clicked.connect(lambda _checked, name=name: self.chosen.emit(name))
            group.addButton(button)
            self.buttons[name] = button
            self.stack.addWidget(view)
            self.row.addWidget(button)
        self.show_view(offered[0][0])

    def show_view(self, name: str) -> QWidget:
        """Put a view in front, and return it."""
        view = self._views[name]
        self.buttons[name].setChecked(True)
        self.stack.setCurrentWidget(view)
        return view
