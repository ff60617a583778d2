"""The menu of accounts: which ones are drawn up, and in what order."""

from functools import partial

from PyQt6.QtWidgets import QMenu, QWidget

from inertian.desktop.look import words
from inertian.desktop.state.document import Document
from inertian.physics.accounts.entries import Recorded
from inertian.physics.accounts.ledger import Accounts
from inertian.project.account_edits import gauge_turned, laws_chosen


def accounts_menu(parent: QWidget, document: Document, accounts: Accounts) -> QMenu:
    """Return the menu for the series of the trial in hand."""
    menu, entry = QMenu(parent), document.entry
    if entry is None:
        return menu
    shown = [ledger.law for ledger in accounts.ledgers]

    def choose(laws: list[str], _on: bool = False) -> None:
        document.do(laws_chosen(document.committed, entry.series, laws))

    for law in accounts.possible:
        others = [one for one in shown if one != law]
        action = menu.addAction(words.LAW_TITLES[law])
        action.setCheckable(True)
        action.setChecked(law in shown)
        # The last one stays: a ledger without an account would say nothing
        action.setEnabled(law not in shown or bool(others))
        action.triggered.connect(partial(choose, others if law in shown else [*shown, law]))
    menu.addSeparator()
    for law in shown[1:]:
        first = [law, *(one for one in shown if one != law)]
        menu.addAction(
            words.ACCOUNT_FIRST.format(law=words.LAW_TITLES[law]), partial(choose, first)
        )
    usual = menu.addAction(words.ACCOUNTS_USUAL, partial(choose, []))
    usual.setEnabled(bool(document.committed.series_named(entry.series).laws))
    recorded = [
        one
        for ledger in accounts.ledgers
        for own in ledger.statement.entries
        for one in own
        if isinstance(one, Recorded)
    ]
    if recorded:
        turned = recorded[0].sign > 0.0
        edit = partial(gauge_turned, document.committed, entry.series, turned)
        menu.addAction(words.TURN_GAUGE, lambda: document.do(edit()))
    return menu
