"""The notes of the second look: what is likely wrong with the trial in hand, the gravest first."""

from typing import TYPE_CHECKING

from PyQt6.QtCore import Qt, pyqtSignal
from PyQt6.QtWidgets import (
    QCheckBox,
    QDialog,
    QHBoxLayout,
    QLabel,
    QLineEdit,
    QPushButton,
    QToolButton,
    QVBoxLayout,
    QWidget,
)

from inertian.desktop.look import words
from inertian.desktop.look.folding import Fold
from inertian.desktop.look.labels import label, rule
from inertian.desktop.look.messages import sized_within
from inertian.desktop.look.number_format import rich
from inertian.desktop.state.document import Document
from inertian.desktop.state.second_looks import SecondLooks
from inertian.project.note_edits import dismissal_taken_back, note_dismissed
from inertian.project.project import Dismissal, Entry
from inertian.quantities.errors import InertianError

if TYPE_CHECKING:
    from inertian.analysis.second_look.notes import Note

SHOWN = 3  # notes that are open; more are folded


class NoteCard(QWidget):
    """One note: what it is about, the evidence, and what can be done."""

    def __init__(self, note: "Note", number: int) -> None:
        super().__init__()
        self.note = note
        title = label(words.NOTE_TITLES.get(note.code, note.code), "answer")
        title.setTextFormat(Qt.TextFormat.PlainText)
        self.text = label(rich(note.text))
        self.text.setTextFormat(Qt.TextFormat.RichText)
        for part in (title, self.text):
            part.setWordWrap(True)
        self.text.setTextInteractionFlags(Qt.TextInteractionFlag.TextSelectableByMouse)
        self.show_place = _quiet_button(words.NOTE_SHOW, words.NOTE_SHOW_TIP)
        self.dismiss = _quiet_button(words.NOTE_DISMISS, "")
        column = QVBoxLayout(self)
        column.setContentsMargins(0, 2, 0, 4)
        column.setSpacing(2)
        column.addWidget(title)
        column.addWidget(self.text)
        self.remedy: QPushButton | None = None
        if note.remedy is not None:
            self.remedy = QPushButton(note.remedy.text)
            self.remedy.setToolTip(note.remedy.text)
            self.remedy.setAccessibleName(f"{number}: {note.remedy.text}")
            column.addWidget(self.remedy, alignment=Qt.AlignmentFlag.AlignLeft)
        row = QHBoxLayout()
        row.setContentsMargins(0, 0, 0, 0)
        row.setSpacing(4)
        for button in (self.show_place, self.dismiss):
            row.addWidget(button)
        row.addStretch(1)
        column.addLayout(row)


def _quiet_button(text: str, tip: str) -> QToolButton:
    button = QToolButton()
    button.setText(text)
    button.setProperty("role", "small")
    button.setFocusPolicy(Qt.FocusPolicy.StrongFocus)
    if tip:
        button.setToolTip(tip)
    return button


class DismissDialog(QDialog):
    """Asks why a note is no mistake."""

    def __init__(self, parent: QWidget, note: "Note", several: bool) -> None:
        super().__init__(parent)
        title = words.NOTE_TITLES.get(note.code, note.code)
        self.setWindowTitle(words.DISMISS_TITLE.format(title=title))
        sized_within(self, 440, 280)
        said, text = label(rich(note.text), "soft"), label(words.DISMISS_TEXT)
        self.reason = QLineEdit()
        self.reason.setPlaceholderText(words.DISMISS_HINT)
        self.reason.setAccessibleName(words.DISMISS_TEXT)
        self.whole_series = QCheckBox(words.DISMISS_SERIES)
        self.whole_series.setVisible(several)
        go, stop = QPushButton(words.DISMISS_BUTTON), QPushButton(words.DISMISS_CANCEL)
        go.setDefault(True)
        go.clicked.connect(self.accept)
        stop.clicked.connect(self.reject)
        column = QVBoxLayout(self)
        column.setSpacing(10)
        for part in (said, text):
            part.setWordWrap(True)
            part.setTextFormat(Qt.TextFormat.RichText)
            column.addWidget(part)
        column.addWidget(self.reason)
        column.addWidget(self.whole_series)
        column.addStretch(1)
        row = QHBoxLayout()
        row.addStretch(1)
        for button in (stop, go):
            row.addWidget(button)
        column.addLayout(row)


class NotesList(QWidget):
    """All notes on the trial in hand, and those that were dismissed; nothing where there is
    nothing.
    """

    wanted = pyqtSignal(object)  # a note whose place is to be shown
    spoken = pyqtSignal(str)

    def __init__(self, document: Document, looks: SecondLooks) -> None:
        super().__init__()
        self.setObjectName("notes")
        self._document, self._looks = document, looks
        self.cards: list[NoteCard] = []
        self._shown: tuple[object, ...] = ()
        self._column = QVBoxLayout(self)
        self._column.setContentsMargins(0, 0, 0, 8)
        self._column.setSpacing(4)
        for signal in (document.changed, document.selected, looks.changed):
            signal.connect(self.refresh)
        self.hide()

    def said(self) -> str:
        """Return all that is said, for whoever cannot see it."""
        shown = [part for part in self.findChildren(QLabel) if part.isVisibleTo(self)]
        return "\n".join(part.text() for part in shown)

    def refresh(self) -> None:
        """Show what is known of the trial in hand."""
        entry = self._document.entry
        notes = self._looks.notes.get(entry.trial.id, ()) if entry is not None else ()
        doubts = self._document.doubts.get(entry.trial.id, ()) if entry is not None else ()
        doubts = tuple(why for why in doubts if why not in [note.text for note in notes])
        dismissed = entry.dismissed if entry is not None else ()
        shown = (entry.trial.id if entry else "", notes, doubts, dismissed)
        if shown == self._shown:
            return
        self._shown = shown
        self._clear()
        self.setVisible(bool(notes or doubts or dismissed))
        if entry is None or not (notes or doubts or dismissed):
            return
        self._column.addWidget(label(words.SECOND_LOOK, "heading"))
        for why in doubts:
            said = label(rich(words.LOOK_AT.format(why=why)))
            said.setWordWrap(True)
            said.setTextFormat(Qt.TextFormat.RichText)
            self._column.addWidget(said)
        self._show_notes(entry, notes)
        if dismissed:
            self._show_dismissed(entry, dismissed)

    def _clear(self) -> None:
        self.cards = []
        while self._column.count():
            item = self._column.takeAt(0)
            widget = item.widget()
            if widget is not None:
                widget.hide()
                widget.deleteLater()

    def _show_notes(self, entry: Entry, notes: "tuple[Note, ...]") -> None:
        more: Fold | None = None
        for number, note in enumerate(notes, 1):
            card = NoteCard(note, number)
            card.show_place.clicked.connect(lambda _on, n=note: self.wanted.emit(n))
            card.dismiss.clicked.connect(lambda _on, n=note: self._dismiss(entry, n))
            if card.remedy is not None:
                card.remedy.clicked.connect(lambda _on, n=note: self._put_right(n))
            self.cards.append(card)
            if number > SHOWN and more is None:
                more = Fold(words.NOTES_MORE.format(count=len(notes) - SHOWN), False)
                self._column.addWidget(more)
            if more is not None:
                more.inner.addWidget(card)
            else:
                if number > 1:
                    self._column.addWidget(rule())
                self._column.addWidget(card)

    def _show_dismissed(self, entry: Entry, dismissed: tuple[Dismissal, ...]) -> None:
        self.dismissed = Fold(words.DISMISSED_TITLE.format(count=len(dismissed)), False)
        for one in dismissed:
            title = words.NOTE_TITLES.get(one.code, one.code)
            reason = one.reason or words.DISMISSED_NO_REASON
            said = label(words.DISMISSED_LINE.format(title=title, reason=reason), "small")
            said.setWordWrap(True)
            said.setTextFormat(Qt.TextFormat.PlainText)
            back = _quiet_button(words.DISMISSED_BACK, "")
            back.clicked.connect(lambda _on, d=one: self._take_back(entry, d))
            self.dismissed.inner.addWidget(said)
            self.dismissed.inner.addWidget(back)
        self._column.addWidget(self.dismissed)

    def _put_right(self, note: "Note") -> None:
        assert note.remedy is not None
        try:
            edit = note.remedy.edit(self._document.committed)
        except InertianError as error:
            self.spoken.emit(str(error))
            return
        self._document.do(edit)
        self.spoken.emit(words.REMEDY_DONE.format(edit=edit.name))

    def _dismiss(self, entry: Entry, note: "Note") -> None:
        project = self._document.committed
        series = [e.trial.id for e in project.entries_of(entry.series)]
        dialog = DismissDialog(self.window(), note, len(series) > 1)
        if not dialog.exec():
            return
        trials = series if dialog.whole_series.isChecked() else [entry.trial.id]
        reason = dialog.reason.text()
        self._document.do(note_dismissed(project, trials, note.code, note.subject, reason))

    def _take_back(self, entry: Entry, one: Dismissal) -> None:
        project = self._document.committed
        self._document.do(dismissal_taken_back(project, entry.trial.id, one.code, one.subject))
