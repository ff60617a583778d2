"""The dialog of an entry by hand: what brought it, how much, when, and why somebody thinks so."""

from functools import partial

from PyQt6.QtWidgets import (
    QCheckBox,
    QDialog,
    QDialogButtonBox,
    QFormLayout,
    QLabel,
    QLayout,
    QLineEdit,
    QVBoxLayout,
    QWidget,
)

from inertian.desktop.look import words
from inertian.desktop.look.fact_field import FactField
from inertian.desktop.look.labels import DropDown, label
from inertian.desktop.look.tokens import Theme
from inertian.desktop.state.document import Document
from inertian.physics.accounts.ledger import Ledger
from inertian.physics.accounts.typed_entries import KIND_OF_UNIT, TypedEntry
from inertian.project.account_edits import entry_typed
from inertian.quantities.errors import InertianError
from inertian.quantities.facts import Fact, Meaning, parse_fact
from inertian.quantities.units import unit_of

WIDTH = 420  # px


def read_amount(unit: str, text: str, meaning: Meaning) -> Fact:
    """Read an amount of an account as typed, in its unit. Raises InertianError."""
    kind = KIND_OF_UNIT[unit]
    return parse_fact(text, kind, unit_of(kind, unit), meaning)


class TypedEntryDialog(QDialog):
    """Asks for an entry by hand in one account; taken as one edit when OK is pressed."""

    def __init__(
        self,
        parent: QWidget,
        theme: Theme,
        document: Document,
        ledger: Ledger,
        old: TypedEntry | None = None,
    ) -> None:
        super().__init__(parent)
        self._document, self._ledger, self._old = document, ledger, old
        self.setWindowTitle(words.TYPED_TITLE.format(law=words.LAW_TITLES[ledger.law].lower()))
        self.setMinimumWidth(WIDTH)
        self.name, self.reason = QLineEdit(), QLineEdit()
        self.name.setPlaceholderText(words.ENTRY_NAME_HINT)
        self.name.setMaxLength(60)
        self.reason.setPlaceholderText(words.TYPED_REASON_HINT)
        self.reason.setMaxLength(400)
        hint = words.TYPED_AMOUNT_HINT.format(unit=ledger.unit)
        self.amount = FactField(theme, "", hint, partial(read_amount, ledger.unit))
        self.amount.label.hide()
        self.amount.line.setAccessibleName(words.TYPED_AMOUNT)
        self.amount.edited.connect(self._keep)
        self._fact = old.amount if old else None
        self.amount.show_fact(self._fact)
        self.period = DropDown(theme)
        self.period.setAccessibleName(words.TYPED_WHEN)
        for k in ledger.statement.periods:
            one, two = ledger.dates[k], ledger.dates[k + 1]
            said = words.TYPED_PERIOD.format(one=one.name, two=two.name)
            self.period.addItem(said, 0.5 * (one.t + two.t))
            if old is not None and one.t <= old.at <= two.t:
                self.period.setCurrentIndex(k)
        self.everywhere = QCheckBox(words.TYPED_EVERYWHERE)
        self.trouble = QLabel()
        self.trouble.setProperty("role", "alarm")
        self.trouble.setWordWrap(True)
        self.trouble.hide()
        if old is not None:
            self.name.setText(old.name)
            self.reason.setText(old.reason)
        self._lay_out()

    def _lay_out(self) -> None:
        form = QFormLayout()
        form.addRow(words.ENTRY_NAME, self.name)
        form.addRow(words.TYPED_AMOUNT, self.amount)
        if self.period.count() > 1:
            form.addRow(words.TYPED_WHEN, self.period)
        form.addRow(words.TYPED_REASON, self.reason)
        form.addRow("", self.everywhere)
        buttons = QDialogButtonBox(
            QDialogButtonBox.StandardButton.Ok | QDialogButtonBox.StandardButton.Cancel
        )
        buttons.accepted.connect(self._take)
        buttons.rejected.connect(self.reject)
        column = QVBoxLayout(self)
        column.setSpacing(10)
        column.setSizeConstraint(QLayout.SizeConstraint.SetFixedSize)  # as fields grow and shrink
        said = label(words.TYPED_SAID, "soft")
        said.setWordWrap(True)
        column.addWidget(said)
        column.addLayout(form)
        column.addWidget(self.trouble)
        column.addWidget(buttons)

    def _keep(self, fact: Fact | None) -> None:
        self._fact = fact

    def _take(self) -> None:
        entry = self._document.entry
        if self._fact is None or entry is None:
            self._complain(words.TYPED_NO_AMOUNT)
            return
        at = self.period.currentData()
        new = TypedEntry(
            self.name.text(), self._ledger.law, float(at), self._fact, self.reason.text().strip()
        )
        old = self._old.name if self._old else ""
        try:
            edit = entry_typed(
                self._document.committed, entry.trial.id, new, old, self.everywhere.isChecked()
            )
        except InertianError as error:
            self._complain(str(error))
            return
        self._document.do(edit)
        self.accept()

    def _complain(self, why: str) -> None:
        self.trouble.setText(why)
        self.trouble.show()
