"""One account: its law and what is expected of it, its table, intervals to scale, the verdict."""

from PyQt6.QtCore import QEvent, Qt, pyqtSignal
from PyQt6.QtGui import QMouseEvent
from PyQt6.QtWidgets import QFrame, QHBoxLayout, QScrollArea, QVBoxLayout

from inertian.desktop.ledger.account_table import AccountTable, Shape
from inertian.desktop.ledger.ledger_pictures import Intervals
from inertian.desktop.look import words
from inertian.desktop.look.fact_field import FactField
from inertian.desktop.look.labels import DropDown, label
from inertian.desktop.look.number_format import format_number
from inertian.desktop.look.tokens import Theme
from inertian.desktop.pages.verdict_lines import other_forms
from inertian.physics.accounts.ledger import ENERGY, Ledger
from inertian.physics.accounts.verdicts import SIGN, Expectation
from inertian.quantities.facts import Fact, Meaning, parse_fact
from inertian.quantities.units import unit_of

MOST_BESIDE = 2  # dates beside whose table there is room for intervals


def read_restitution(text: str, meaning: Meaning) -> Fact:
    """Read a coefficient of restitution as typed. Raises InertianError."""
    return parse_fact(text, "number", unit_of("number", ""), meaning)


class Account(QFrame):
    """Emits `chosen` with its law when it is clicked, `expected` with law, expectation and e."""

    chosen = pyqtSignal(str)
    expected = pyqtSignal(str, object, object)

    def __init__(
        self, theme: Theme, law: str, unit: str, shape: Shape, bodies: tuple[str, ...]
    ) -> None:
        super().__init__()
        self.setObjectName("account")
        self.setFocusPolicy(Qt.FocusPolicy.TabFocus)
        self.law, self._unit = law, unit
        self.setAccessibleName(words.LAW_TITLES[law])
        self.verdict, self.detail = label("", "verdict"), label("", "soft")
        self.detail.setWordWrap(True)
        self.table = AccountTable(theme, shape, bodies)
        self.intervals = Intervals(theme)
        column = QVBoxLayout(self)
        column.setContentsMargins(14, 6, 16, 6)
        column.setSpacing(2)
        column.addLayout(self._head(theme))
        middle = QHBoxLayout()
        middle.setSpacing(12)
        self._area: QScrollArea | None = None
        if shape.dates <= MOST_BESIDE:
            middle.addWidget(self.table)
            middle.addWidget(self.intervals, 1)
        else:
            self.intervals.hide()
            self._area = self._scrolled()
            middle.addWidget(self._area, 1)
        column.addLayout(middle)
        said = QHBoxLayout()
        said.setSpacing(12)
        said.addWidget(self.verdict)
        said.addWidget(self.detail, 1)
        column.addLayout(said)

    def _scrolled(self) -> QScrollArea:
        """Many dates are scrolled from left to right."""
        area = QScrollArea()
        area.setWidgetResizable(True)
        area.setFrameShape(QFrame.Shape.NoFrame)
        area.setVerticalScrollBarPolicy(Qt.ScrollBarPolicy.ScrollBarAlwaysOff)
        area.setWidget(self.table)
        self.table.setObjectName("ledgerBody")
        return area

    def _head(self, theme: Theme) -> QHBoxLayout:
        row = QHBoxLayout()
        row.setSpacing(8)
        row.addWidget(label(words.LAW_TITLES[self.law], "heading"))
        row.addWidget(label(words.ALL_IN.format(unit=self._unit), "soft"))
        row.addStretch(1)
        self.expectation = DropDown(theme)
        self.expectation.setAccessibleName(f"{words.LAW_TITLES[self.law]}: expectation")
        choices = [Expectation.CONSERVED, Expectation.NOT_CONSERVED]
        for choice in choices + ([Expectation.GIVEN_E] if self.law == ENERGY else []):
            self.expectation.addItem(words.EXPECTATION[choice], choice)
        self.expectation.activated.connect(
            lambda: self.expected.emit(self.law, self.expectation.currentData(), None)
        )
        row.addWidget(self.expectation)
        self.e_field = FactField(theme, words.E_FIELD, words.E_DEFAULT, read_restitution)
        self.e_field.label.hide()
        self.e_field.show_meaning = False
        self.e_field.line.setFixedWidth(110)
        self.e_field.edited.connect(
            lambda fact: self.expected.emit(self.law, Expectation.GIVEN_E, fact)
        )
        self.e_field.hide()
        self.e_label = label(words.E_FIELD)
        row.addWidget(self.e_label)
        row.addWidget(self.e_field)
        return row

    def show_ledger(self, ledger: Ledger, e: Fact | None) -> None:
        """Show the account as it is now."""
        self.table.show_ledger(ledger)
        self.expectation.setCurrentIndex(self.expectation.findData(ledger.expectation))
        self.e_label.setVisible(ledger.expectation is Expectation.GIVEN_E)
        self.e_field.setVisible(ledger.expectation is Expectation.GIVEN_E)
        self.e_field.show_fact(e)
        self._show_verdict(ledger)
        self.intervals.show_ledger(ledger)

    def fit_height(self) -> None:
        """Give a scrolled table the height that it needs, and its bar."""
        if self._area is not None:
            needed = self.table.sizeHint()
            bar = self._area.horizontalScrollBar().sizeHint().height()
            scrolled = needed.width() > self._area.viewport().width()
            self._area.setFixedHeight(needed.height() + (bar if scrolled else 0))

    def _show_verdict(self, ledger: Ledger) -> None:
        judged = ledger.judgement
        if judged.verdict is None:
            self.verdict.setText(other_forms(ledger))
            self.verdict.setToolTip(words.NO_VERDICT_WHY)
            self.detail.setText("")
            return
        self.verdict.setText(f"{SIGN[judged.verdict]} {words.VERDICT[judged.verdict]}")
        self.verdict.setToolTip(words.VERDICT_WHY[judged.verdict])
        visible = f"{format_number(judged.smallest_visible, 2)} {ledger.unit}"
        self.detail.setText(words.VISIBLE.format(visible=visible))

    def mark(self, selected: bool) -> None:
        """Show whether the panel below belongs to this account."""
        self.setProperty("selected", "true" if selected else "false")
        self.style().polish(self)

    def mousePressEvent(self, event: QMouseEvent) -> None:
        """Qt: a click shows the panel of this account."""
        self.chosen.emit(self.law)

    def event(self, event: QEvent) -> bool:
        """Qt: keyboard focus shows the panel of this account too."""
        if event.type() == QEvent.Type.FocusIn:
            self.chosen.emit(self.law)
        return super().event(event)
