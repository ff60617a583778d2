"""Joining two recordings to one trial: clock offset, direction, and a preview that shows whether it
fits.
"""

from PyQt6.QtCore import Qt
from PyQt6.QtWidgets import (
    QCheckBox,
    QDialog,
    QDialogButtonBox,
    QHBoxLayout,
    QLineEdit,
    QPushButton,
    QVBoxLayout,
    QWidget,
)

from inertian.desktop.intake.trace_preview import TracePreview
from inertian.desktop.look import words
from inertian.desktop.look.labels import DropDown, label
from inertian.desktop.look.messages import sized_within
from inertian.desktop.look.number_format import format_estimate
from inertian.desktop.look.tokens import Theme
from inertian.desktop.state.document import Document
from inertian.motion.recording.trials import Trial
from inertian.motion.spans.clock_alignment import find_offset, join_trials
from inertian.project.edits import trials_joined
from inertian.project.project import Entry
from inertian.quantities.errors import InertianError
from inertian.quantities.facts import Fact, Meaning, parse_fact, parse_positive
from inertian.quantities.units import unit_of


class JoinDialog(QDialog):
    """Asks how another recording belongs to the trial in hand; joining is one edit."""

    def __init__(self, window: QWidget, document: Document, theme: Theme, entry: Entry) -> None:
        super().__init__(window)
        self.setWindowTitle(words.JOIN_TITLE.format(name=entry.trial.name))
        sized_within(self, 760, 560)
        self._document, self._entry = document, entry
        self._found: Fact | None = None
        self.other = DropDown(theme)
        self.other.setAccessibleName(words.JOIN_OTHER)
        for other in document.committed.entries:
            if other is not entry:
                self.other.addItem(other.trial.name, other.trial.id)
        self.offset, self.facing, self.length = (
            QLineEdit(),
            QCheckBox(words.JOIN_FACING),
            QLineEdit(),
        )
        self.offset.setPlaceholderText(words.JOIN_OFFSET_HINT)
        self.length.setPlaceholderText(words.JOIN_LENGTH_HINT)
        self.offset.setAccessibleName(words.JOIN_OFFSET)
        self.length.setAccessibleName(words.JOIN_LENGTH)
        self.find_offset_button = QPushButton(words.JOIN_FIND)
        self.preview = TracePreview(theme)
        self.trouble, self.how = label("", "alarm"), label("", "small")
        for said in (self.trouble, self.how):
            said.setWordWrap(True)
            said.setTextFormat(Qt.TextFormat.PlainText)
        buttons = QDialogButtonBox(QDialogButtonBox.StandardButton.Cancel)
        self.join = buttons.addButton(words.JOIN_BUTTON, QDialogButtonBox.ButtonRole.AcceptRole)
        buttons.rejected.connect(self.reject)
        self.join.clicked.connect(self._join)
        self._lay_out(buttons)
        self.find_offset_button.clicked.connect(self._find)
        self.other.activated.connect(lambda _i: self._find())
        self.facing.toggled.connect(self._show)
        for line in (self.offset, self.length):
            line.textEdited.connect(lambda _t: self._show())
        self._find()

    def _lay_out(self, buttons: QDialogButtonBox) -> None:
        column = QVBoxLayout(self)
        column.setContentsMargins(16, 16, 16, 16)
        for text, *widgets in (
            (words.JOIN_OTHER, self.other),
            (words.JOIN_OFFSET, self.offset, self.find_offset_button),
            ("", self.facing, label(words.JOIN_LENGTH), self.length),
        ):
            row = QHBoxLayout()
            name = label(text)
            name.setFixedWidth(160)
            row.addWidget(name)
            for widget in widgets:
                row.addWidget(widget, 1 if isinstance(widget, (QLineEdit, DropDown)) else 0)
            column.addLayout(row)
        column.addWidget(self.how)
        column.addWidget(self.preview, 1)
        column.addWidget(self.trouble)
        column.addWidget(buttons)

    # -- what was typed ----------------------------------------------------------------------------

    def _second(self) -> Trial:
        return self._document.committed.entry(self.other.currentData()).trial

    def _find(self) -> None:
        """Bring the clocks together by what both saw of the contact."""
        try:
            offset = find_offset(self._entry.trial, self._second())
        except InertianError as error:
            self.how.setText(str(error))
            self.offset.setText(self.offset.text() or "0 s")
        else:
            self._found = Fact(offset.value, offset.u, Meaning.STANDARD, unit_of("time", "s"))
            self.offset.setText(f"{format_estimate(offset.value, offset.u)} s".replace("−", "-"))
            self.how.setText(words.JOIN_HOW.format(how=offset.how))
        if self._faces() and not self.facing.isChecked():
            self.facing.setChecked(True)
        self._show()

    def _faces(self) -> bool:
        """Whether the two see motion in opposite directions on the whole, as recorders that face
        one another do.
        """
        ways = []
        for trial in (self._entry.trial, self._second()):
            x = [c.si for b in trial.followed for c in b.channels if c.axis == "x"]
            ways.append(sum(float(c[~(c != c)][-1] - c[~(c != c)][0]) for c in x if (c == c).any()))
        return ways[0] * ways[1] < 0.0

    def _read(self) -> tuple[Fact, float | None]:
        text = self.offset.text().strip() or "0 s"
        found = self._found
        if (
            found is not None
            and text == f"{format_estimate(found.typed, found.plus_minus)} s".replace("−", "-")
        ):
            offset = found  # every digit of it, not only those shown
        else:
            offset = parse_fact(text, "time", unit_of("time", "s"))
        if not self.facing.isChecked():
            return offset, None
        return offset, parse_positive(
            self.length.text(), "length", unit_of("length", "m")
        ).si if self.length.text() else 0.0

    def _show(self) -> None:
        """Draw both on one clock, or say why that cannot be."""
        try:
            offset, facing = self._read()
            trial = join_trials(self._entry.trial, self._second(), offset.si, facing)
        except InertianError as error:
            self.trouble.setText(str(error))
            self.join.setEnabled(False)
            return
        self.trouble.setText("")
        self.join.setEnabled(True)
        self.preview.show_joined(trial)

    def _join(self) -> None:
        try:
            offset, facing = self._read()
            edit = trials_joined(
                self._document.committed,
                self._entry.trial.id,
                self.other.currentData(),
                offset,
                facing,
            )
        except InertianError as error:
            self.trouble.setText(str(error))
            return
        self._document.do(edit)
        self.accept()
