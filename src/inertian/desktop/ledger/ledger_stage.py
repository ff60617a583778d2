"""The ledger stage: what happened, each law's account as a table with intervals to scale beside it,
the facts behind them, and a panel below.
"""

from typing import TYPE_CHECKING

from PyQt6.QtCore import Qt, pyqtSignal
from PyQt6.QtGui import QShowEvent
from PyQt6.QtWidgets import (
    QHBoxLayout,
    QMenu,
    QPushButton,
    QScrollArea,
    QVBoxLayout,
    QWidget,
)

from inertian.desktop.ledger.account import Account, read_restitution
from inertian.desktop.ledger.account_facts import AccountFacts
from inertian.desktop.ledger.account_table import COLUMN_WIDTH, NAME_WIDTH, shape_of
from inertian.desktop.ledger.accounts_menu import accounts_menu
from inertian.desktop.ledger.dates_menu import dates_menu
from inertian.desktop.ledger.ledger_panel import BudgetPart, LedgerPanel
from inertian.desktop.look import words
from inertian.desktop.look.decimal_columns import lined_up
from inertian.desktop.look.fact_field import FactField
from inertian.desktop.look.fact_text import read_mass
from inertian.desktop.look.labels import MenuButton, label, rule
from inertian.desktop.look.number_format import format_number
from inertian.desktop.look.tokens import Theme
from inertian.desktop.state.document import Document
from inertian.desktop.state.view_state import ViewState
from inertian.physics.accounts.amounts_in_time import amounts_in_time
from inertian.physics.accounts.forms import HEIGHT, SPRING, Form, HeightForm
from inertian.physics.accounts.ledger import (
    ENERGY_UNIT,
    MECHANICAL,
    Accounts,
    Ledger,
    momentum_law,
)
from inertian.physics.accounts.statements import Date
from inertian.physics.accounts.verdicts import SIGN, Expectation
from inertian.physics.definitions.fact_names import mass_key
from inertian.physics.definitions.requests import TOTAL, Quantity, QuantityRef
from inertian.project.account_edits import entry_switched
from inertian.project.edits import expectation_set, fact_set, spans_suggested
from inertian.project.project import RESTITUTION, Entry
from inertian.quantities.errors import InertianError
from inertian.quantities.estimates import Array
from inertian.quantities.facts import Fact, FactId, Meaning

if TYPE_CHECKING:
    from inertian.desktop.figures.present_dialog import PresentDialog

BOTH_AXES = (momentum_law("x"), momentum_law("y"))
# Ready-made quantities that are the whole energy, by what is stored
WHOLE_ENERGY: dict[tuple[str, ...], str] = {
    ("on the incline",): "E_mi",
    ("along y",): "E_m",
    (SPRING,): "E_ms",
}


def _kind(form: Form) -> str:
    """What an energy is stored in, as far as a ready-made quantity knows it."""
    if not isinstance(form, HeightForm):
        return form.name
    if form.inclined:
        return "on the incline"
    return f"along {form.axis}" if form.upwards > 0.0 else ""


class LedgerStage(QScrollArea):
    """All accounts of the trial in hand, and a panel of the chosen one."""

    spoken = pyqtSignal(str)

    def __init__(self, document: Document, theme: Theme, view: ViewState) -> None:
        super().__init__()
        self.setWidgetResizable(True)
        self.setHorizontalScrollBarPolicy(Qt.ScrollBarPolicy.ScrollBarAlwaysOff)
        self._document, self._theme, self._view = document, theme, view
        self._built: tuple[object, ...] = ()
        self._law = ""
        self.results_ready = False
        self.accounts: dict[str, Account] = {}
        self.panel = LedgerPanel(theme)
        self.facts = AccountFacts(theme)
        self.facts.edited.connect(self._set_fact)
        for kept in (self.panel, self.facts):
            kept.setParent(self)
            kept.hide()
        self.panel.turned.connect(self.refresh)
        self.panel.present_wanted.connect(self._present)
        self.panel.energy.clicked.connect(view.move_line)
        view.line_moved.connect(lambda: self.panel.energy.move_line(view.line))
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
        shape = tuple((led.law, shape_of(led)) for led in accounts.ledgers)
        if shape != self._built:
            self._built = shape
            self._build(entry, accounts)
        self.event_line.setText(words.EVENT_SAID[accounts.event])
        e = self._document.project.fact(RESTITUTION, entry)
        for ledger in accounts.ledgers:
            self.accounts[ledger.law].show_ledger(ledger, e[1] if e else None)
        self._show_together(accounts)
        self.facts.show_facts(self._document.project, entry, accounts.event)
        self._show_panel(entry, accounts)
        self._line_up()

    @property
    def budgets(self) -> dict[str, BudgetPart]:
        """The budgets of all accounts, by law."""
        return self.panel.budgets

    def _build(self, entry: Entry, accounts: Accounts) -> None:
        for kept in (self.panel, self.facts):
            kept.setParent(self)

        body = QWidget()
        body.setObjectName("ledgerBody")
        column = QVBoxLayout(body)
        column.setContentsMargins(0, 4, 0, 8)
        column.setSpacing(0)
        self.accounts = {}
        self.event_line = label("", "soft")
        self.dates = MenuButton(self._theme, "unit")
        self.dates.setText(words.DATES)
        self.dates.setToolTip(words.DATES_TIP)
        self.dates.setAccessibleName(words.DATES_TIP)
        self.dates.clicked.connect(self._ask_dates)
        head = QHBoxLayout()
        head.setContentsMargins(16, 2, 16, 0)
        head.addWidget(self.event_line)
        head.addStretch(1)
        self.choice = MenuButton(self._theme, "unit")
        self.choice.setText(words.ACCOUNTS)
        self.choice.setToolTip(words.ACCOUNTS_TIP)
        self.choice.setAccessibleName(words.ACCOUNTS_TIP)
        self.choice.clicked.connect(self._ask_accounts)
        head.addWidget(self.choice)
        head.addWidget(self.dates)
        column.addLayout(head)
        bodies = tuple(b.name for b in entry.trial.bodies)
        self.together = label("")
        self.together.setContentsMargins(16, 2, 16, 6)
        of_both = [led.law for led in accounts.ledgers if led.law in BOTH_AXES]
        last_of_both = of_both[-1] if of_both else ""
        for ledger in accounts.ledgers:
            account = Account(self._theme, ledger.law, ledger.unit, shape_of(ledger), bodies)
            account.chosen.connect(self.choose)
            account.expected.connect(self._expect)
            account.table.switched.connect(self._switch)
            self.accounts[ledger.law] = account
            column.addWidget(account)
            column.addWidget(rule())
            if ledger.law == last_of_both and accounts.together:
                column.addWidget(self.together)
        column.addWidget(self.facts)
        self.panel.build(accounts)
        column.addWidget(self.panel)
        for kept in (self.panel, self.facts):
            kept.show()
        column.addStretch(1)
        if self._law not in self.accounts:
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

    def _show_panel(self, entry: Entry, accounts: Accounts) -> None:
        self.panel.show_account(accounts, self._law)
        for law, account in self.accounts.items():
            account.mark(law == self._law)
        if self.panel.shown != words.PANEL_IN_TIME or self._document.previewing:
            return
        ledger = accounts.ledger(self._law)
        context = self._document.evaluator.trial_context(self._document.project, entry)
        found, u = {}, None
        if ledger.unit == ENERGY_UNIT and not self._document.awaits(entry):
            found = dict(amounts_in_time(context, ledger.statement))
            u = self._uncertainty(entry, ledger)
        self.panel.energy.show_amounts(
            ledger, entry.used_trial.t, found, u, self._view.line, entry.spans
        )

    def _uncertainty(self, entry: Entry, ledger: Ledger) -> Array | None:
        """u of an energy at all samples, where it is one of the ready-made quantities."""
        stored = [f for f in ledger.statement.forms if f.name in (HEIGHT, SPRING)]
        shown, body = QuantityRef(Quantity.KINETIC), TOTAL
        if ledger.law == MECHANICAL:
            symbol = WHOLE_ENERGY.get(tuple(dict.fromkeys(_kind(form) for form in stored)))
            if symbol is None or len(ledger.body_names) > 1:
                return None
            shown, body = QuantityRef(Quantity.DERIVED, symbol, "J"), ledger.body_names[0]
        band = self._document.evaluator.band(self._document.project, entry, shown, body)
        return None if isinstance(band, InertianError) else band[1]

    def _line_up(self) -> None:
        """Columns of all accounts stand below one another, numbers at their decimal marks."""
        tables = [account.table for account in self.accounts.values()]
        columns = dict.fromkeys(name for table in tables for name in table.columns)
        for table in tables:
            for column in columns:
                lined_up(table.parts_of(column)[1:])
        for name in columns:
            widths = [part.sizeHint().width() for t in tables for part in t.parts_of(name)]
            for table in tables:
                if name in table.columns:
                    least = max(*widths, COLUMN_WIDTH)
                    table.grid.setColumnMinimumWidth(table.columns[name], least)
        names = max((n.sizeHint().width() for t in tables for n in t.names), default=0)
        for table in tables:
            table.grid.setColumnMinimumWidth(0, max(names, NAME_WIDTH))
        for account in self.accounts.values():
            account.fit_height()

    def _show_reason(self, entry: Entry, why: InertianError) -> None:
        """One sentence on what is missing, and the field that mends it."""
        self._built = ()
        for kept in (self.panel, self.facts):
            kept.setParent(self)
            kept.hide()
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
        """Show the panel of one account."""
        if law != self._law and law in self.accounts:
            self._law = law
            self.refresh()

    def dates_menu(self) -> QMenu:
        """Return the menu of dates for the trial in hand."""
        entry, project = self._document.entry, self._document.project
        found = entry and self._document.evaluator.accounts(project, entry.trial.id)
        now: tuple[Date, ...] = ()
        if isinstance(found, Accounts) and entry and not entry.spans.contact:
            now = found.ledgers[0].dates  # those of a contact are the edges of its span
        return dates_menu(self, self._document, self._view.pins, now, self.spoken.emit)

    def accounts_menu(self) -> QMenu:
        """Return the menu of accounts for the trial in hand; empty where there are none."""
        entry = self._document.entry
        found = entry and self._document.evaluator.accounts(self._document.project, entry.trial.id)
        if not isinstance(found, Accounts):
            return QMenu(self)
        return accounts_menu(self, self._document, found, self._theme, self.spoken.emit)

    def _ask_accounts(self) -> None:
        self.accounts_menu().exec(self.choice.mapToGlobal(self.choice.rect().bottomLeft()))

    def presented(self) -> "PresentDialog | None":
        """Return the window in which the panel is made ready to show; None where it shows
        nothing.
        """
        from inertian.desktop.figures.present_dialog import PresentDialog

        entry = self._document.entry
        found = entry and self._document.evaluator.accounts(self._document.project, entry.trial.id)
        if not isinstance(found, Accounts) or entry is None:
            return None
        figure = self.panel.figure(entry.trial.name, found.ledger(self._law))
        return None if figure is None else PresentDialog(self, self._theme, figure)

    def _present(self) -> None:
        dialog = self.presented()
        if dialog is None:
            self.spoken.emit(words.PRESENT_NOTHING)
        else:
            dialog.exec()

    def _ask_dates(self) -> None:
        self.dates_menu().exec(self.dates.mapToGlobal(self.dates.rect().bottomLeft()))

    def _switch(self, name: str, on: bool) -> None:
        entry = self._document.entry
        self._document.do(entry_switched(self._document.committed, entry.series, name, on))

    def _set_fact(self, key: FactId, fact: Fact | None) -> None:
        """A fact is changed where it holds already, else for the whole project."""
        entry = self._document.entry
        known = self._document.committed.fact(key.name, entry)
        self._document.do(fact_set(self._document.committed, known[0] if known else key, fact))

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
