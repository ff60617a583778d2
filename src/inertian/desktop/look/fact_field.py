"""Facts edited in place: a field for value, ± and unit, and what the ± means."""

from collections.abc import Callable

from PyQt6.QtCore import Qt, pyqtSignal
from PyQt6.QtGui import QKeyEvent
from PyQt6.QtWidgets import QLabel, QLineEdit, QVBoxLayout, QWidget

from inertian.desktop.look import words
from inertian.desktop.look.labels import DropDown
from inertian.desktop.look.theme import decimal_mark
from inertian.desktop.look.tokens import Theme
from inertian.quantities.errors import InertianError
from inertian.quantities.facts import Fact, Meaning

LABEL_WIDTH = 230  # px
MEANINGS = (Meaning.LIMITS, Meaning.LAST_DIGIT, Meaning.STANDARD, Meaning.EXPANDED)


class FactField(QWidget):
    """Shows one fact and reads what is typed: "19.1 ± 0.1 kg", "19,1 kg", "19100 g".

    `edited` carries the new fact, None if it was cleared. Text that cannot be understood
    stays, with the reason under it.
    """

    edited = pyqtSignal(object)

    def __init__(
        self, theme: Theme, label: str, hint: str, read: Callable[[str, Meaning], Fact]
    ) -> None:
        super().__init__()
        self._read = read
        self._fact: Fact | None = None
        self.show_meaning = True
        self.write: Callable[[Fact], str] = str  # how a fact is shown in the field
        self.may_be_empty = False  # then clearing the field takes the fact out
        self.label = QLabel(label)
        self.label.setText(
            self.label.fontMetrics().elidedText(label, Qt.TextElideMode.ElideMiddle, LABEL_WIDTH)
        )
        self.label.setToolTip(label)
        self.label.setTextFormat(Qt.TextFormat.PlainText)  # names come from files
        self.line = _Line(self)
        self.line.setPlaceholderText(hint)
        self.line.setAccessibleName(label)
        self.line.editingFinished.connect(self._take)
        self.meaning = DropDown(theme)
        self.meaning.setProperty("role", "quiet")
        self.meaning.setAccessibleName(f"{label}: ±")
        for meaning in MEANINGS:
            self.meaning.addItem(words.MEANING[meaning], meaning)
        self.meaning.activated.connect(self._take_meaning)
        self.trouble = QLabel()
        self.trouble.setProperty("role", "alarm")
        self.trouble.setWordWrap(True)
        self.trouble.setTextFormat(Qt.TextFormat.PlainText)
        self.trouble.hide()
        column = QVBoxLayout(self)
        column.setContentsMargins(0, 0, 0, 0)
        column.setSpacing(2)
        for widget in (self.label, self.line, self.meaning, self.trouble):
            column.addWidget(widget)

    def show_fact(self, fact: Fact | None) -> None:
        """Show a fact, unless the person is typing over it."""
        if fact == self._fact and (fact is not None or self.line.isModified()):
            return
        self._fact = fact
        self.reset()

    def reset(self) -> None:
        """Show the fact as it is, and forget what was typed."""
        fact = self._fact
        self.line.setText(self.write(fact).replace(".", decimal_mark()) if fact else "")
        self.line.setModified(False)
        self._complain("")
        self.meaning.setVisible(self.show_meaning and fact is not None and fact.plus_minus > 0)
        if fact is not None:
            place = MEANINGS.index(fact.meaning) if fact.meaning in MEANINGS else 0
            self.meaning.setCurrentIndex(place)

    def _complain(self, why: str) -> None:
        self.trouble.setText(why)
        self.trouble.setVisible(bool(why))
        self.line.setProperty("wrong", "true" if why else "false")
        self.line.style().polish(self.line)

    def _take(self) -> None:
        if not self.line.isModified():
            return
        if self.may_be_empty and not self.line.text().strip():
            self._fact = None
            self.reset()
            self.edited.emit(None)
            return
        said = self._fact.meaning if self._fact else Meaning.LIMITS
        meaning = said if said in MEANINGS and said is not Meaning.LAST_DIGIT else Meaning.LIMITS
        try:
            fact = self._read(self.line.text(), meaning)
        except InertianError as error:
            self._complain(str(error))
            return
        self._fact = fact
        self.reset()
        self.edited.emit(fact)

    def _take_meaning(self) -> None:
        meaning = self.meaning.currentData()
        if self._fact is not None and meaning is not self._fact.meaning:
            fact = Fact(self._fact.typed, self._fact.plus_minus, meaning, self._fact.unit)
            self._fact = fact
            self.reset()
            self.edited.emit(fact)


class _Line(QLineEdit):
    """A line edit in which Esc brings back what was there."""

    def __init__(self, field: FactField) -> None:
        super().__init__()
        self._field = field

    def keyPressEvent(self, event: QKeyEvent) -> None:
        """Qt: Esc drops what was typed."""
        if event.key() == Qt.Key.Key_Escape:
            self._field.reset()
        else:
            super().keyPressEvent(event)
