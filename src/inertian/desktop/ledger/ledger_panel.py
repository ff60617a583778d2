"""The panel below the accounts: where the ± comes from, energy in time, or how it was computed."""

from typing import TYPE_CHECKING

from PyQt6.QtCore import Qt, pyqtSignal
from PyQt6.QtWidgets import (
    QButtonGroup,
    QHBoxLayout,
    QSizePolicy,
    QStackedWidget,
    QToolButton,
    QVBoxLayout,
    QWidget,
)

from inertian.desktop.ledger.energy_picture import EnergyPicture
from inertian.desktop.ledger.how_computed import HowComputed
from inertian.desktop.ledger.ledger_pictures import Budget
from inertian.desktop.look import words
from inertian.desktop.look.labels import label, tight_column
from inertian.desktop.look.number_format import format_number
from inertian.desktop.look.tokens import Theme
from inertian.physics.accounts.ledger import Accounts, Ledger

if TYPE_CHECKING:
    from inertian.report.figures.description import FigureDescription

PANELS = (words.PANEL_BUDGET, words.PANEL_IN_TIME, words.PANEL_HOW)


class BudgetPart(QWidget):
    """Where the ± of one account comes from: a heading, and its bars."""

    def __init__(self, theme: Theme, law: str) -> None:
        super().__init__()
        self._law = law
        self.title, self.budget = label("", "heading"), Budget(theme)
        self.title.setContentsMargins(16, 6, 16, 2)
        self.title.setWordWrap(True)
        column = tight_column(self)
        column.addWidget(self.title)
        column.addWidget(self.budget)

    def show_ledger(self, ledger: Ledger) -> None:
        """Show the budget as it is now."""
        title = words.BUDGET_TITLE.format(law=words.LAW_TITLES[self._law].lower())
        # Where all cancels by how the account is drawn up, rounding may leave less than nothing
        total = max(sum(ledger.budget.values()), 0.0) ** 0.5
        together = words.BUDGET_TOTAL.format(u=f"{format_number(total, 2)} {ledger.unit}")
        self.title.setText(f"{title}, {together}")
        self.budget.show_ledger(ledger)


class LedgerPanel(QWidget):
    """One of three views of the account in hand, chosen by name; the choice stays. `turned` says
    that another one is in front.
    """

    turned = pyqtSignal()
    present_wanted = pyqtSignal()

    def __init__(self, theme: Theme) -> None:
        super().__init__()
        self._theme = theme
        self.buttons: dict[str, QToolButton] = {}
        self._group = QButtonGroup(self)
        strip = QWidget()
        strip.setObjectName("marginStrip")
        head = QHBoxLayout(strip)
        head.setContentsMargins(8, 0, 8, 0)
        head.setSpacing(0)
        for place, name in enumerate(PANELS):
            button = QToolButton()
            button.setText(name)
            button.setCheckable(True)
            button.setCursor(Qt.CursorShape.PointingHandCursor)
            self._group.addButton(button, place)
            self.buttons[name] = button
            head.addWidget(button)
        head.addStretch(1)
        self.present = QToolButton()
        self.present.setText(words.PRESENT)
        self.present.setToolTip(words.PRESENT_TIP)
        self.present.setFocusPolicy(Qt.FocusPolicy.StrongFocus)
        self.present.clicked.connect(self.present_wanted)
        head.addWidget(self.present)
        self.buttons[words.PANEL_BUDGET].setChecked(True)
        self.budgets: dict[str, BudgetPart] = {}
        self._budget_page = QWidget()
        self._budget_column = QVBoxLayout(self._budget_page)
        self._budget_column.setContentsMargins(0, 0, 0, 0)
        self._budget_column.setSpacing(0)
        self._budget_column.addStretch(1)
        self.energy, self.how = EnergyPicture(theme), HowComputed()
        self.pages = QStackedWidget()
        for page in (self._budget_page, self.energy, self.how):
            self.pages.addWidget(page)
        self._group.idClicked.connect(self._turn)
        column = tight_column(self)
        column.addWidget(strip)
        column.addWidget(self.pages)
        self._turn(0)

    @property
    def shown(self) -> str:
        """The name of the view that is in front."""
        return PANELS[self.pages.currentIndex()]

    def show_panel(self, name: str) -> None:
        """Put one view in front."""
        self.buttons[name].setChecked(True)
        self._turn(PANELS.index(name))

    def _turn(self, place: int) -> None:
        self.pages.setCurrentIndex(place)
        self.present.setVisible(PANELS[place] != words.PANEL_HOW)
        # The view in front alone says how high the panel is
        for k in range(self.pages.count()):
            policy = QSizePolicy.Policy.Preferred if k == place else QSizePolicy.Policy.Ignored
            self.pages.widget(k).setSizePolicy(QSizePolicy.Policy.Preferred, policy)
        self.pages.adjustSize()
        self.turned.emit()

    def figure(self, trial: str, ledger: Ledger) -> "FigureDescription | None":
        """Return the view in front as a figure; None where it shows nothing."""
        from inertian.desktop.ledger.panel_figures import budget_figure, energy_figure

        if self.shown == words.PANEL_BUDGET:
            return budget_figure(trial, ledger)
        shown = self.energy.shown
        if shown is None:
            return None
        return energy_figure(trial, ledger, shown.t, shown.amounts, shown.stacked)

    def build(self, accounts: Accounts) -> None:
        """Make a budget for each account."""
        for part in self.budgets.values():
            self._budget_column.removeWidget(part)
            part.hide()
            part.deleteLater()
        self.budgets = {one.law: BudgetPart(self._theme, one.law) for one in accounts.ledgers}
        for place, part in enumerate(self.budgets.values()):
            self._budget_column.insertWidget(place, part)

    def show_account(self, accounts: Accounts, law: str) -> None:
        """Show the account in hand, its budget above those of the others, or how it was computed,
        if that is in front.
        """
        self._budget_column.removeWidget(self.budgets[law])
        self._budget_column.insertWidget(0, self.budgets[law])
        for ledger in accounts.ledgers:
            self.budgets[ledger.law].show_ledger(ledger)
        if self.shown == words.PANEL_HOW:  # results take a while
            self.how.show_account(accounts, accounts.ledger(law))
