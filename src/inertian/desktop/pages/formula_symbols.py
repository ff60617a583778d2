"""What a formula may be made of, each to be put in with a click."""

from PyQt6.QtCore import Qt, pyqtSignal
from PyQt6.QtWidgets import QGridLayout, QToolButton, QVBoxLayout, QWidget

from inertian.desktop.look import words
from inertian.desktop.look.labels import label
from inertian.desktop.look.typeset import typeset_plain

IN_A_ROW = 7


class FormulaSymbols(QWidget):
    """Emits `wanted` with the text to insert; functions come with their opening bracket."""

    wanted = pyqtSignal(str)

    def __init__(self) -> None:
        super().__init__()
        self.buttons: dict[str, QToolButton] = {}
        column = QVBoxLayout(self)
        column.setContentsMargins(0, 0, 0, 0)
        column.setSpacing(2)
        for title, symbols in words.SYMBOL_GROUPS.items():
            column.addWidget(label(title, "small"))
            grid = QGridLayout()
            grid.setSpacing(2)
            for place, (text, meaning) in enumerate(symbols.items()):
                button = QToolButton()
                button.setProperty("role", "symbol")
                button.setText(typeset_plain(text.rstrip("(")))
                button.setToolTip(meaning)
                button.setAccessibleName(meaning)
                button.setFocusPolicy(Qt.FocusPolicy.TabFocus)
                button.clicked.connect(lambda _checked, text=text: self.wanted.emit(text))
                grid.addWidget(button, place // IN_A_ROW, place % IN_A_ROW)
                self.buttons[text] = button
            grid.setColumnStretch(IN_A_ROW, 1)
            column.addLayout(grid)
        more = label(words.VOCABULARY, "small")
        more.setWordWrap(True)
        column.addWidget(more)
