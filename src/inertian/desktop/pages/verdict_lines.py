"""The answer, in a fixed place above all pages: one line for each account of the trial in hand."""

from PyQt6.QtCore import Qt, pyqtSignal
from PyQt6.QtWidgets import QHBoxLayout, QPushButton, QVBoxLayout, QWidget

from inertian.desktop.look import words
from inertian.desktop.look.labels import empty_layout, label
from inertian.desktop.look.number_format import (
    format_estimate,
    format_number,
    intervals_said,
    without_markup,
)
from inertian.desktop.state.document import Document
from inertian.physics.accounts.ledger import ENERGY_UNIT, Ledger
from inertian.physics.accounts.verdicts import SIGN
from inertian.quantities.errors import InertianError

LINE_HEIGHT = 24  # px


class VerdictLine(QPushButton):
    """One account in a line: its law, and the verdict or what changed; a click leads to it."""

    def __init__(self, law: str) -> None:
        super().__init__()
        self.setObjectName("verdictLine")
        self.setCursor(Qt.CursorShape.PointingHandCursor)
        self.setFixedHeight(LINE_HEIGHT)
        self.law = law
        self.title, self.said = label(words.SHORT_LAW[law], "soft"), label("", "answer")
        row = QHBoxLayout(self)
        row.setContentsMargins(6, 0, 6, 0)
        row.setSpacing(8)
        row.addWidget(self.title)
        row.addStretch(1)
        row.addWidget(self.said)
        for part in (self.title, self.said):
            part.setAttribute(Qt.WidgetAttribute.WA_TransparentForMouseEvents)

    def show_ledger(self, ledger: Ledger, at_rest: bool) -> None:
        """Show the account as it is now; `at_rest` says that nothing is being dragged."""
        left, judged = ledger.unaccounted, ledger.judgement
        amount = format_estimate(left.value, left.u, ledger.unit)
        if judged.verdict is None:
            self.said.setText(amount)
        else:
            self.said.setText(f"{SIGN[judged.verdict]} {words.VERDICT[judged.verdict]}")
        if not at_rest:
            return
        sentence = other_forms(ledger) if judged.verdict is None else self.said.text()
        said = [sentence, words.UNACCOUNTED_IS.format(amount=amount)]
        if judged.verdict is not None:
            visible = f"{format_number(judged.smallest_visible, 2)} {ledger.unit}"
            said.append(words.VISIBLE.format(visible=visible))
        said += [intervals_said(left, ledger.unit), words.VERDICT_TIP]
        self.setToolTip("<br>".join(part for part in said if part))
        self.setAccessibleName(without_markup(f"{words.LAW_TITLES[self.law]}: {sentence}"))


class VerdictLines(QWidget):
    """Emits `chosen` with the law whose ledger is wanted."""

    chosen = pyqtSignal(str)

    def __init__(self, document: Document) -> None:
        super().__init__()
        self.setObjectName("verdicts")
        self.setAttribute(Qt.WidgetAttribute.WA_StyledBackground)
        self._document = document
        self.results_ready = False
        self.lines: dict[str, VerdictLine] = {}
        self.reason = label("", "small")
        self.reason.setWordWrap(True)
        self.reason.setTextFormat(Qt.TextFormat.PlainText)
        self._rows = QVBoxLayout()
        self._rows.setSpacing(0)
        column = QVBoxLayout(self)
        column.setContentsMargins(6, 4, 6, 4)
        column.setSpacing(2)
        column.addLayout(self._rows)
        column.addWidget(self.reason)
        self.reason.setContentsMargins(6, 2, 6, 2)
        for signal in (document.changed, document.selected, document.previewed):
            signal.connect(self.refresh)
        self.refresh()

    def refresh(self) -> None:
        """Show the accounts of the trial in hand as they are now, or why there are none."""
        entry, column = self._document.entry, self.parentWidget()
        if self._document.previewing and column is not None and not column.isVisible():
            return  # it is shown anew when the gesture is over
        self.setVisible(entry is not None and bool(entry.trial.axes))
        if entry is None or not entry.trial.axes or not self.results_ready:
            return
        accounts = self._document.evaluator.accounts(self._document.project, entry.trial.id)
        refused = isinstance(accounts, InertianError)
        self.reason.setVisible(refused)
        laws = [] if isinstance(accounts, InertianError) else [one.law for one in accounts.ledgers]
        if laws != list(self.lines):
            self._build(laws)
        if isinstance(accounts, InertianError):
            self.reason.setText(str(accounts))
            return
        for ledger in accounts.ledgers:
            self.lines[ledger.law].show_ledger(ledger, not self._document.previewing)

    def _build(self, laws: list[str]) -> None:
        empty_layout(self._rows)
        self.lines = {law: VerdictLine(law) for law in laws}
        for law, line in self.lines.items():
            line.clicked.connect(lambda _checked, law=law: self.chosen.emit(law))
            self._rows.addWidget(line)


def other_forms(ledger: Ledger) -> str:
    """Return in words what happened to a quantity that need not be conserved."""
    left = ledger.unaccounted
    if ledger.unit != ENERGY_UNIT:
        amount = format_estimate(left.value, left.u, ledger.unit)
        return words.FROM_OUTSIDE.format(amount=amount)
    sentence = words.BECAME_OTHER if left.value <= 0 else words.GAINED
    return sentence.format(amount=format_estimate(abs(left.value), left.u, ledger.unit))
