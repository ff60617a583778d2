"""The facts that the accounts of an event rest on, as fields in a row: what is missing is asked for
where it is used.
"""

from functools import partial

from PyQt6.QtCore import Qt, pyqtSignal
from PyQt6.QtWidgets import QGridLayout, QWidget

from inertian.desktop.look import words
from inertian.desktop.look.fact_field import FactField
from inertian.desktop.look.fact_text import read_mass
from inertian.desktop.look.labels import empty_layout
from inertian.desktop.look.tokens import Theme
from inertian.physics.definitions.derived_quantities import (
    ACCOUNT_FACTS,
    SETUP_FACTS,
    SetupFact,
)
from inertian.physics.definitions.fact_names import mass_key
from inertian.project.project import Entry, Project, setup_key
from inertian.quantities.facts import Fact, FactId, Meaning, parse_fact
from inertian.quantities.units import SI_SYMBOL, unit_of

COLUMNS, WIDTH = 4, 168  # px
BY_EVENT = {
    "up and back on a slope": ("θ", "g", "μ"),
    "down a slope": ("θ", "g", "μ"),
    "no event": ("θ", "g", "μ", "F_p"),
    "free fall": ("g", "c"),
    "hops": ("g", "c"),
    "swing": ("g", "b"),
    "spring launch": ("k", "x_0", "μ"),
    "thrust run": ("F_p", "μ"),
    "spinning down": ("I", "I_a"),
}


def facts_of(event: str) -> tuple[SetupFact, ...]:
    """Return the facts that accounts of an event use beside the masses."""
    known = {one.symbol: one for one in (*SETUP_FACTS, *ACCOUNT_FACTS)}
    return tuple(known[symbol] for symbol in BY_EVENT.get(event, ()))


def read_known(known: SetupFact, text: str, meaning: Meaning) -> Fact:
    """Read a fact as typed. Raises InertianError."""
    unit = unit_of(known.kind, "°" if known.kind == "angle" else SI_SYMBOL[known.kind])
    return parse_fact(text, known.kind, unit, meaning)


class AccountFacts(QWidget):
    """Emits `edited` with the identity of a fact and its new value, None where it was cleared."""

    edited = pyqtSignal(object, object)

    def __init__(self, theme: Theme) -> None:
        super().__init__()
        self._theme = theme
        self._built: tuple[object, ...] = ()
        self.fields: dict[str, FactField] = {}
        self._grid = QGridLayout(self)
        self._grid.setContentsMargins(16, 2, 16, 4)
        self._grid.setHorizontalSpacing(12)

    def show_facts(self, project: Project, entry: Entry, event: str) -> None:
        """Show the facts that hold for a trial, and empty fields for those that could be typed."""
        bodies = tuple(b.name for b in (entry.trial.followed or entry.trial.bodies))
        shape = (event, bodies, entry.series)
        if shape != self._built:
            self._built = shape
            self._build(event, bodies)
        for name, field in self.fields.items():
            found = project.fact(name, entry)
            field.show_fact(found[1] if found else None)
        self.setVisible(bool(self.fields))

    def _build(self, event: str, bodies: tuple[str, ...]) -> None:
        empty_layout(self._grid)
        self.fields = {}
        known = facts_of(event)
        wanted = [(mass_key(b), words.MASS_OF.format(body=b), words.MASS_HINT, read_mass) for b in
                  (bodies if known else ())]  # fmt: skip
        for one in known:
            for body in bodies if one.of_bodies else ("",):
                title = (
                    one.label if not body else words.FACT_OF_BODY.format(label=one.label, body=body)
                )
                hint = words.FACT_HINTS[one.symbol]
                wanted.append((setup_key(one.name, body), title, hint, partial(read_known, one)))
        for place, (name, title, hint, read) in enumerate(wanted):
            field = FactField(self._theme, title, hint, read)
            field.may_be_empty = True
            field.setMaximumWidth(WIDTH)
            field.edited.connect(partial(self._emit, name))
            self.fields[name] = field
            at = place // COLUMNS, place % COLUMNS
            self._grid.addWidget(field, *at, Qt.AlignmentFlag.AlignTop)
        self._grid.setColumnStretch(COLUMNS, 1)

    def _emit(self, name: str, fact: Fact | None) -> None:
        self.edited.emit(FactId(name), fact)
