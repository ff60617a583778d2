"""The menu of accounts: which ones are drawn up, and in what order."""

from collections.abc import Callable
from functools import partial

from PyQt6.QtWidgets import QInputDialog, QMenu, QWidget

from inertian.desktop.ledger.typed_entry_dialog import TypedEntryDialog
from inertian.desktop.look import words
from inertian.desktop.look.tokens import Theme
from inertian.desktop.state.document import Document
from inertian.physics.accounts.entries import Recorded
from inertian.physics.accounts.ledger import Accounts, Ledger
from inertian.physics.accounts.typed_entries import TypedEntry
from inertian.physics.definitions.fact_names import ACCEPTABLE, ACCEPTED
from inertian.project.account_edits import gauge_turned, laws_chosen, typed_entry_removed
from inertian.project.edits import fact_set
from inertian.quantities.errors import InertianError
from inertian.quantities.facts import FactId, parse_fact
from inertian.quantities.units import SI_SYMBOL, unit_of


def accounts_menu(
    parent: QWidget,
    document: Document,
    accounts: Accounts,
    theme: Theme,
    say: Callable[[str], None],
) -> QMenu:
    """Return the menu for the series of the trial in hand; `say` tells refusals."""
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
    menu.addSeparator()
    _typed_entries(menu, parent, document, accounts, theme)
    _accepted_values(menu, parent, document, accounts, say)
    return menu


def _typed_entries(
    menu: QMenu, parent: QWidget, document: Document, accounts: Accounts, theme: Theme
) -> None:
    """Entries by hand: new ones for each account, and those that there are."""
    entry = document.entry
    if entry is None:
        return

    def ask(ledger: Ledger, old: TypedEntry | None, _on: bool = False) -> None:
        TypedEntryDialog(parent, theme, document, ledger, old).exec()

    def remove(name: str, _on: bool = False) -> None:
        document.do(typed_entry_removed(document.committed, entry.trial.id, name))

    by_law = {ledger.law: ledger for ledger in accounts.ledgers}
    for law, ledger in by_law.items():
        said = words.TYPE_ENTRY.format(law=words.LAW_TITLES[law].lower())
        menu.addAction(said, partial(ask, ledger, None))
    for one in entry.typed:
        if one.law in by_law:
            menu.addAction(
                words.CHANGE_ENTRY.format(name=one.name), partial(ask, by_law[one.law], one)
            )
        menu.addAction(words.REMOVE_ENTRY.format(name=one.name), partial(remove, one.name))


def _accepted_values(
    menu: QMenu,
    parent: QWidget,
    document: Document,
    accounts: Accounts,
    say: Callable[[str], None],
) -> None:
    """Results that may be held against an accepted value."""
    entry = document.entry
    names = [name for name in accounts.results if name in ACCEPTABLE]
    if entry is None or not names:
        return

    def ask(name: str, _on: bool = False) -> None:
        known = document.committed.fact(ACCEPTED + name, entry)
        key = known[0] if known else FactId(ACCEPTED + name)
        asked = words.ACCEPTED_ASK.format(name=name)
        old = str(known[1]) if known else ""
        text, given = QInputDialog.getText(parent, words.ACCEPTED_TITLE, asked, text=old)
        if not given:
            return
        kind = ACCEPTABLE[name]
        try:
            fact = parse_fact(text, kind, unit_of(kind, SI_SYMBOL[kind])) if text.strip() else None
            document.do(fact_set(document.committed, key, fact))
        except InertianError as error:
            say(str(error))

    more = menu.addMenu(words.ACCEPTED_MENU)
    for name in names:
        more.addAction(name, partial(ask, name))
