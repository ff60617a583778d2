"""The ready-made quantities of the trial in hand, by subject: to be shown, or taken over and
changed.
"""

from functools import partial

from PyQt6.QtCore import Qt, pyqtSignal
from PyQt6.QtWidgets import QHBoxLayout, QPushButton, QVBoxLayout, QWidget

from inertian.desktop.look import words
from inertian.desktop.look.folding import Fold
from inertian.desktop.look.labels import empty_layout, label
from inertian.desktop.look.typeset import typeset
from inertian.physics.definitions.derived_quantities import DerivedQuantity


class ReadyMadeList(Fold):
    """Emits `show_wanted` or `change_wanted` with a quantity."""

    show_wanted = pyqtSignal(object)
    change_wanted = pyqtSignal(object)

    def __init__(self) -> None:
        super().__init__(words.READY_MADE_HEADING, False)
        self.buttons: dict[tuple[str, str], QPushButton] = {}
        self._shown: tuple[str, ...] = ()
        self._column = QVBoxLayout()
        self._column.setSpacing(2)
        self.inner.addLayout(self._column)

    def show_quantities(self, offered: list[DerivedQuantity]) -> None:
        """Show those that the trial in hand has everything for."""
        symbols = tuple(one.symbol for one in offered)
        if symbols == self._shown:
            return
        self._shown = symbols
        empty_layout(self._column)
        self.buttons = {}
        groups: dict[str, list[DerivedQuantity]] = {}
        for one in offered:
            groups.setdefault(words.group_of_formula(one.symbol), []).append(one)
        for title in words.QUANTITY_GROUPS:
            if title in groups:
                self._column.addWidget(label(title, "soft"))
                for one in groups[title]:
                    self._column.addWidget(self._row(one))

    def _row(self, one: DerivedQuantity) -> QWidget:
        made = QWidget()
        column = QVBoxLayout(made)
        column.setContentsMargins(0, 0, 0, 4)
        column.setSpacing(0)
        name = label(one.name)
        name.setWordWrap(True)
        formula = label(f"{typeset(one.symbol)} = {typeset(one.text)}", "small")
        formula.setTextFormat(Qt.TextFormat.RichText)
        formula.setWordWrap(True)
        row = QHBoxLayout()
        for text, tip, signal in (
            (words.SHOW, words.SHOW_TIP, self.show_wanted),
            (words.TAKE_OVER, words.TAKE_OVER_TIP, self.change_wanted),
        ):
            button = QPushButton(text)
            button.setProperty("role", "quiet")
            button.setToolTip(tip)
            button.setAccessibleName(f"{text}: {one.name}")
            button.clicked.connect(partial(signal.emit, one))
            self.buttons[one.symbol, text] = button
            row.addWidget(button)
        row.addStretch(1)
        for part in (name, formula):
            column.addWidget(part)
        column.addLayout(row)
        return made
