"""The ledger stage: each law's account as a table, intervals to scale beside it, and the budget
below.
"""

from PyQt6.QtCore import QEvent, Qt, pyqtSignal
from PyQt6.QtGui import QMouseEvent, QShowEvent
from PyQt6.QtWidgets import (
    QFrame,
    QGridLayout,
    QHBoxLayout,
    QLabel,
    QPushButton,
    QScrollArea,
    QVBoxLayout,
    QWidget,
)

from inertian.desktop.ledger.ledger_pictures import Budget, Intervals
from inertian.desktop.look import words
from inertian.desktop.look.decimal_columns import lined_up
from inertian.desktop.look.fact_field import FactField
from inertian.desktop.look.fact_text import read_mass
from inertian.desktop.look.labels import BodyLabel, DropDown, label, rule
from inertian.desktop.look.number_format import format_estimate, format_number, intervals_said
from inertian.desktop.look.theme import font
from inertian.desktop.look.tokens import Theme
from inertian.desktop.pages.verdict_lines import other_forms
from inertian.desktop.state.document import Document
from inertian.physics.accounts.ledger import ENERGY, Accounts, Ledger
from inertian.physics.accounts.verdicts import SIGN, Expectation
from inertian.physics.definitions.fact_names import mass_key
from inertian.project.edits import expectation_set, fact_set, spans_suggested
from inertian.project.project import RESTITUTION, Entry
from inertian.quantities.coverage import Scalar
from inertian.quantities.errors import InertianError
from inertian.quantities.facts import Fact, FactId, Meaning, parse_fact
from inertian.quantities.units import unit_of

NAME_WIDTH, COLUMN_WIDTH = 96, 84  # px, of a body in the table, and of a column at least
COLUMNS = (words.COLUMN_BEFORE, words.COLUMN_OUTSIDE, words.COLUMN_AFTER, words.COLUMN_LEFT)


def read_restitution(text: str, meaning: Meaning) -> Fact:
    """Read a coefficient of restitution as typed. Raises InertianError."""
    return parse_fact(text, "number", unit_of("number", ""), meaning)


class Account(QFrame):
    """One law: its table, what is expected of it, the verdict, and the intervals."""

    chosen = pyqtSignal(str)
    expected = pyqtSignal(str, object, object)

    def __init__(self, theme: Theme, law: str, unit: str, bodies: tuple[str, ...]) -> None:
        super().__init__()
        self.setObjectName("account")
        self.setFocusPolicy(Qt.FocusPolicy.TabFocus)
        self.law, self._unit = law, unit
        self.setAccessibleName(words.LAW_TITLES[law])
        self.cells: dict[tuple[str, str], QLabel] = {}
        self.verdict, self.detail = label("", "verdict"), label("", "soft")
        self.detail.setWordWrap(True)
        self.intervals = Intervals(theme)
        column = QVBoxLayout(self)
        column.setContentsMargins(14, 8, 16, 8)
        column.setSpacing(4)
        column.addLayout(self._head(theme))
        middle = QHBoxLayout()
        middle.setSpacing(12)
        middle.addLayout(self._table(theme, bodies))
        middle.addWidget(self.intervals, 1)
        column.addLayout(middle)
        said = QHBoxLayout()
        said.setSpacing(12)
        said.addWidget(self.verdict)
        said.addWidget(self.detail, 1)
        column.addLayout(said)

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

    def _table(self, theme: Theme, bodies: tuple[str, ...]) -> QGridLayout:
        grid = self.grid = QGridLayout()
        grid.setHorizontalSpacing(16)
        grid.setVerticalSpacing(3)
        grid.setColumnMinimumWidth(0, NAME_WIDTH)
        self.heads = {}
        for place, column in enumerate(COLUMNS, start=1):
            self.heads[column] = label(column, "soft")
            self.heads[column].setAlignment(
                Qt.AlignmentFlag.AlignRight | Qt.AlignmentFlag.AlignBottom
            )
            grid.addWidget(self.heads[column], 0, place)
        for row, name in enumerate((*bodies, words.TOTAL), start=1):
            last = name == words.TOTAL
            if last:
                grid.addWidget(rule(), row, 0, 1, 5)
            head = label(name) if last else BodyLabel(theme, row - 1, name)
            if isinstance(head, BodyLabel):
                head.shorten(NAME_WIDTH)
            grid.addWidget(head, row + last, 0)
            for place, column in enumerate(COLUMNS, start=1):
                if last or column in (words.COLUMN_BEFORE, words.COLUMN_AFTER):
                    cell = label("")
                    cell.setAlignment(Qt.AlignmentFlag.AlignRight | Qt.AlignmentFlag.AlignVCenter)
                    grid.addWidget(cell, row + last, place)
                    if column == words.COLUMN_LEFT:
                        cell.setFont(font(weight=font().Weight.DemiBold))
                    self.cells[name, column] = cell
        return grid

    def parts_of(self, column: str) -> list[QLabel]:
        """Return the head and the cells of a column."""
        return [self.heads[column], *(c for (_, name), c in self.cells.items() if name == column)]

    def show_ledger(self, ledger: Ledger, e: Fact | None) -> None:
        """Show the account as it is now."""
        for place, column in (
            (ledger.opens_at, words.COLUMN_BEFORE),
            (ledger.closes_at, words.COLUMN_AFTER),
        ):
            at = words.AT_TIME.format(time=format_number(place, 5))
            self.heads[column].setText(f"{column}<br><small>{at}</small>")
        for body in ledger.bodies:
            self._show_cell(body.name, words.COLUMN_BEFORE, body.opening)
            self._show_cell(body.name, words.COLUMN_AFTER, body.closing)
        self._show_cell(words.TOTAL, words.COLUMN_BEFORE, ledger.opening)
        self._show_cell(words.TOTAL, words.COLUMN_AFTER, ledger.closing)
        self._show_cell(words.TOTAL, words.COLUMN_LEFT, ledger.unaccounted)
        outside = self.cells[words.TOTAL, words.COLUMN_OUTSIDE]
        outside.setText("<br>".join(format_estimate(s.value, s.u) for _, s in ledger.entries))
        names = "; ".join(
            f"{n}: {format_estimate(s.value, s.u, ledger.unit)}" for n, s in ledger.entries
        )
        outside.setToolTip(f"{names}. {words.ENTRY_TIP}")
        self.expectation.setCurrentIndex(self.expectation.findData(ledger.expectation))
        self.e_label.setVisible(ledger.expectation is Expectation.GIVEN_E)
        self.e_field.setVisible(ledger.expectation is Expectation.GIVEN_E)
        self.e_field.show_fact(e)
        self._show_verdict(ledger)
        self.intervals.show_ledger(ledger)

    def _show_cell(self, row: str, column: str, scalar: Scalar) -> None:
        cell = self.cells[row, column]
        cell.setText(format_estimate(scalar.value, scalar.u))
        cell.setToolTip(intervals_said(scalar, self._unit))

    def _show_verdict(self, ledger: Ledger) -> None:
        judged = ledger.judgement
        if judged.verdict is None:
            self.verdict.setText(other_forms(ledger))
            self.detail.setText("")
            return
        self.verdict.setText(f"{SIGN[judged.verdict]} {words.VERDICT[judged.verdict]}")
        visible = f"{format_number(judged.smallest_visible, 2)} {ledger.unit}"
        self.detail.setText(words.VISIBLE.format(visible=visible))

    def mark(self, selected: bool) -> None:
        """Show whether the budget below belongs to this account."""
        self.setProperty("selected", "true" if selected else "false")
        self.style().polish(self)

    def mousePressEvent(self, event: QMouseEvent) -> None:
        """Qt: a click shows the budget of this account."""
        self.chosen.emit(self.law)

    def event(self, event: QEvent) -> bool:
        """Qt: keyboard focus shows the budget of this account too."""
        if event.type() == QEvent.Type.FocusIn:
            self.chosen.emit(self.law)
        return super().event(event)


class BudgetPart(QWidget):
    """Where the ± of one account comes from: a heading, and its bars."""

    def __init__(self, theme: Theme, law: str) -> None:
        super().__init__()
        self._law = law
        self.title, self.budget = label("", "heading"), Budget(theme)
        self.title.setContentsMargins(16, 10, 16, 2)
        self.title.setWordWrap(True)
        column = QVBoxLayout(self)
        column.setContentsMargins(0, 0, 0, 0)
        column.setSpacing(0)
        column.addWidget(self.title)
        column.addWidget(self.budget)

    def show_ledger(self, ledger: Ledger) -> None:
        """Show the budget as it is now."""
        title = words.BUDGET_TITLE.format(law=words.LAW_TITLES[self._law].lower())
        total = sum(ledger.budget.values()) ** 0.5
        together = words.BUDGET_TOTAL.format(u=f"{format_number(total, 2)} {ledger.unit}")
        self.title.setText(f"{title}, {together}")
        self.budget.show_ledger(ledger)


class LedgerStage(QScrollArea):
    """All accounts of the trial in hand, and the budget of the chosen one."""

    def __init__(self, document: Document, theme: Theme) -> None:
        super().__init__()
        self.setWidgetResizable(True)
        self.setHorizontalScrollBarPolicy(Qt.ScrollBarPolicy.ScrollBarAlwaysOff)
        self._document, self._theme = document, theme
        self._built: tuple[object, ...] = ()
        self._law = ""
        self.results_ready = False
        self.accounts: dict[str, Account] = {}
        document.changed.connect(self.refresh)
        document.selected.connect(self.refresh)
        document.previewed.connect(self.refresh)

    def showEvent(self, event: QShowEvent) -> None:
        """Qt: show what changed while another stage was in front."""
        super().showEvent(event)
        self.refresh()

    def refresh(self) -> None:
        """Show the accounts of the trial in hand as they are now."""
        entry = self._document.entry
        if entry is None or not self.results_ready or not self.isVisible():
            return
        accounts = self._document.evaluator.accounts(self._document.project, entry.trial.id)
        if isinstance(accounts, InertianError):
            self._show_reason(entry, accounts)
            return
        shape = tuple((led.law, tuple(b.name for b in led.bodies)) for led in accounts.ledgers)
        if shape != self._built:
            self._built = shape
            self._build(accounts)
        e = self._document.project.fact(RESTITUTION, entry)
        for ledger in accounts.ledgers:
            self.accounts[ledger.law].show_ledger(ledger, e[1] if e else None)
        self._show_together(accounts)
        self._show_budgets(accounts)
        self._line_up()

    def _build(self, accounts: Accounts) -> None:
        body = QWidget()
        body.setObjectName("ledgerBody")
        column = QVBoxLayout(body)
        column.setContentsMargins(0, 4, 0, 8)
        column.setSpacing(0)
        self.accounts = {}
        self.together = label("")
        self.together.setContentsMargins(16, 2, 16, 6)
        for ledger in accounts.ledgers:
            account = Account(
                self._theme, ledger.law, ledger.unit, tuple(b.name for b in ledger.bodies)
            )
            account.chosen.connect(self.choose)
            account.expected.connect(self._expect)
            self.accounts[ledger.law] = account
            if ledger.law == ENERGY and accounts.together:
                column.addWidget(self.together)
            column.addWidget(account)
            column.addWidget(rule())
        self._budgets = QVBoxLayout()
        self._budgets.setSpacing(0)
        self.budgets = {one.law: BudgetPart(self._theme, one.law) for one in accounts.ledgers}
        for part in self.budgets.values():
            self._budgets.addWidget(part)
        column.addLayout(self._budgets)
        column.addStretch(1)
        self._law = accounts.ledgers[0].law
        self.setWidget(body)

    def _show_together(self, accounts: Accounts) -> None:
        joint = accounts.together
        if joint is not None:
            axes = words.JOINED.join(joint.axes)
            verdict = f"{SIGN[joint.verdict]} {words.VERDICT[joint.verdict]}"
            chi = format_number(joint.chi_squared, 3)
            text = words.TOGETHER.format(
                axes=axes, verdict=f"<b>{verdict}</b>", chi=chi, count=len(joint.axes)
            )
            self.together.setText(text)

    def _show_budgets(self, accounts: Accounts) -> None:
        """The budget of the account in hand first, those of the others below it."""
        self._budgets.removeWidget(self.budgets[self._law])
        self._budgets.insertWidget(0, self.budgets[self._law])
        for ledger in accounts.ledgers:
            self.budgets[ledger.law].show_ledger(ledger)
            self.accounts[ledger.law].mark(ledger.law == self._law)

    def _line_up(self) -> None:
        """Columns of all accounts stand below one another, numbers at their decimal marks."""
        for account in self.accounts.values():
            for column in COLUMNS:
                lined_up([cell for (_, name), cell in account.cells.items() if name == column])
        for place, column in enumerate(COLUMNS, start=1):
            widths = [
                part.sizeHint().width()
                for account in self.accounts.values()
                for part in account.parts_of(column)
            ]
            for account in self.accounts.values():
                account.grid.setColumnMinimumWidth(place, max(*widths, COLUMN_WIDTH))

    def _show_reason(self, entry: Entry, why: InertianError) -> None:
        """One sentence on what is missing, and the field that mends it."""
        self._built = ()
        body = QWidget()
        body.setObjectName("ledgerBody")
        column = QVBoxLayout(body)
        column.setContentsMargins(32, 32, 32, 32)
        column.setSpacing(8)
        missing = [
            b.name for b in entry.trial.bodies if b.name not in self._document.project.masses(entry)
        ]
        if missing and entry.spans:
            column.addWidget(label(words.NO_MASS.format(body=missing[0])))
            self.mass = FactField(
                self._theme, words.MASS_OF.format(body=missing[0]), words.MASS_HINT, read_mass
            )
            self.mass.line.setFixedWidth(200)
            self.mass.edited.connect(lambda fact: self._set_mass(missing[0], fact))
            self.mass.show_fact(None)
            column.addWidget(self.mass, alignment=Qt.AlignmentFlag.AlignLeft)
        else:
            column.addWidget(label(str(why)))
            if not entry.spans:
                button = QPushButton(words.NO_SPANS_BUTTON)
                button.clicked.connect(self._mark_spans)
                column.addWidget(button, alignment=Qt.AlignmentFlag.AlignLeft)
        column.addStretch(1)
        self.setWidget(body)

    def _mark_spans(self) -> None:
        entry = self._document.entry
        self._document.do(spans_suggested(self._document.committed, entry.trial.id))

    def choose(self, law: str) -> None:
        """Show the budget of one account."""
        if law != self._law and law in self.accounts:
            self._law = law
            self.refresh()

    def _set_mass(self, body: str, fact: Fact) -> None:
        self._document.do(fact_set(self._document.committed, FactId(mass_key(body)), fact))

    def _expect(self, law: str, expectation: Expectation, e: Fact | None) -> None:
        entry, project = self._document.entry, self._document.committed
        if (
            expectation is Expectation.GIVEN_E
            and e is None
            and project.fact(RESTITUTION, entry) is None
        ):
            e = read_restitution(words.E_DEFAULT, Meaning.LIMITS)
        self._document.do(expectation_set(project, entry.series, law, expectation, e))
