"""The menu of dates: at which moments a trial is accounted for."""

from collections.abc import Callable, Sequence
from functools import partial

from PyQt6.QtWidgets import QInputDialog, QMenu, QWidget

from inertian.desktop.look import words
from inertian.desktop.state.document import Document
from inertian.physics.accounts.statements import Date
from inertian.project.account_edits import dates_set, evenly, times_typed
from inertian.quantities.errors import InertianError

COUNTS = (5, 10)  # points up and down that a class takes by habit
POINT, PIN, END = "point", "pin", "end"


def dates_menu(
    parent: QWidget,
    document: Document,
    pins_at: Sequence[float],
    now: Sequence[Date],
    say: Callable[[str], None],
) -> QMenu:
    """Return the menu for the trial in hand; `pins_at` are times in s, `now` the dates that its
    accounts have, `say` tells refusals.
    """
    menu, entry = QMenu(parent), document.entry
    if entry is None:
        return menu

    def take(times: list[float], name: str) -> None:
        try:
            document.do(dates_set(document.committed, entry.trial.id, times, name))
        except InertianError as error:
            say(str(error))

    def ask() -> None:
        text, given = QInputDialog.getText(parent, words.DATES, words.DATES_ASK)
        if given:
            try:
                take(times_typed(text), POINT)
            except InertianError as error:
                say(str(error))

    found = menu.addAction(words.DATES_FOUND, partial(take, [], POINT))
    found.setEnabled(bool(entry.dates))
    kept = menu.addAction(words.DATES_KEEP, partial(take, [d.t for d in now], POINT))
    kept.setEnabled(bool(now) and not entry.dates)
    pins = menu.addAction(words.DATES_AT_PINS, partial(take, list(pins_at), PIN))
    pins.setEnabled(len(pins_at) > 1)
    ends = [float(entry.trial.t[0]), float(entry.trial.t[-1])]
    menu.addAction(words.DATES_WHOLE, partial(take, ends, END))
    menu.addAction(words.DATES_TYPED, ask)
    menu.addSeparator()
    for span in entry.spans:
        if span.kind.steady:
            for count in COUNTS:
                said = words.DATES_EVENLY.format(count=count, span=span.name)
                menu.addAction(said, partial(take, evenly(entry, span.name, count), POINT))
    return menu
