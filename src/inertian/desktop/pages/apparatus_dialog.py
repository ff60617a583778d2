"""The dialog that works out a fact of the setup from what can be measured: an incline, an inertia,
a spring.
"""

from collections.abc import Callable
from functools import partial

from PyQt6.QtCore import Qt
from PyQt6.QtWidgets import (
    QDialog,
    QHBoxLayout,
    QLayout,
    QPlainTextEdit,
    QPushButton,
    QVBoxLayout,
    QWidget,
)

from inertian.desktop.look import words
from inertian.desktop.look.fact_field import FactField
from inertian.desktop.look.labels import DropDown, label
from inertian.desktop.look.number_format import format_estimate
from inertian.desktop.look.tokens import Theme
from inertian.desktop.look.typeset import typeset
from inertian.physics.definitions.apparatus import (
    FACT_RULES,
    FactRule,
    MeasuredInput,
    fact_by_rule,
    stiffness,
)
from inertian.physics.definitions.derived_quantities import SetupFact
from inertian.quantities.errors import InertianError
from inertian.quantities.facts import Fact, Meaning, parse_fact, parse_positive
from inertian.quantities.units import SI_SYMBOL, Unit, unit_of

MEASURED = frozenset({way.symbol for way in FACT_RULES} | {"k"})


class ApparatusDialog(QDialog):
    """Asks for measurements, and says as they are typed what they give; `fact` is what was
    taken.
    """

    def __init__(
        self, parent: QWidget, theme: Theme, known: SetupFact, facts: dict[str, Fact]
    ) -> None:
        super().__init__(parent)
        self._theme, self._known, self._facts = theme, known, dict(facts)
        self.fact: Fact | None = None
        self.fields: dict[str, FactField] = {}
        self.setWindowTitle(words.MEASURE_TITLE.format(label=known.label))
        self.setMinimumWidth(440)
        column = QVBoxLayout(self)
        column.setContentsMargins(20, 16, 20, 16)
        column.setSpacing(8)
        column.addWidget(label(self.windowTitle(), "heading"))
        self.way = DropDown(theme)
        self.way.setAccessibleName(words.MEASURE_WAY)
        self.table = QPlainTextEdit()
        self._inner = QVBoxLayout()
        if known.symbol == "k":
            self._build_table(column)
        else:
            for one in (w for w in FACT_RULES if w.symbol == known.symbol):
                self.way.addItem(one.label, one)
            self.way.activated.connect(self._build_fields)
            column.addWidget(self.way)
        column.addLayout(self._inner)
        self.given = label("")
        self.given.setTextFormat(Qt.TextFormat.RichText)
        self.given.setWordWrap(True)
        column.addWidget(self.given)
        column.addStretch(1)
        row = QHBoxLayout()
        row.addStretch(1)
        self.cancel, self.use = QPushButton(words.CANCEL), QPushButton(words.MEASURE_USE)
        self.cancel.setAutoDefault(False)
        self.use.setAutoDefault(False)  # Return takes a number, not the dialog
        self.cancel.clicked.connect(self.reject)
        self.use.clicked.connect(self.accept)
        row.addWidget(self.cancel)
        row.addWidget(self.use)
        column.addLayout(row)
        if known.symbol != "k":
            self._build_fields()
        self._work_out()

    def _build_table(self, column: QVBoxLayout) -> None:
        said = label(words.TABLE_LABEL)
        said.setWordWrap(True)
        column.addWidget(said)
        self.table.setPlaceholderText(words.TABLE_HINT)
        self.table.setAccessibleName(words.TABLE_LABEL)
        self.table.setTabChangesFocus(False)
        self.table.textChanged.connect(self._work_out)
        column.addWidget(self.table)
        for name, text, hint in zip(
            ("length", "force"), words.TABLE_U, words.TABLE_U_HINTS, strict=True
        ):
            self._add(name, text, hint, partial(_read, name, _plus_minus))
            self.fields[name].show_meaning = False
            self.fields[name].reset()

    def _build_fields(self) -> None:
        _empty(self._inner)
        self.fields = {}
        for inputs in self.way.currentData().inputs:
            hint = words.ASKED_HINTS.get(inputs.kind, "")
            self._add(inputs.name, inputs.label, hint, partial(_read, inputs.kind, _reader(inputs)))
            self.fields[inputs.name].reset()
            self.fields[inputs.name].show_fact(self._facts.get(inputs.name))
        self._work_out()

    def _add(self, name: str, text: str, hint: str, read: Callable[[str, Meaning], Fact]) -> None:
        field = FactField(self._theme, text, hint, read)
        field.may_be_empty = True
        field.edited.connect(partial(self._take, name))
        self.fields[name] = field
        self._inner.addWidget(field)

    def _take(self, name: str, fact: Fact | None) -> None:
        if fact is None:
            self._facts.pop(name, None)
        else:
            self._facts[name] = fact
        self._work_out()

    def _work_out(self) -> None:
        way: FactRule | None = self.way.currentData()
        try:
            if way is None:
                us = [self._facts[k].si if k in self._facts else 0.0 for k in ("length", "force")]
                self.fact, formula = stiffness(self.table.toPlainText(), *us), "F/x"
            else:
                self.fact, formula = fact_by_rule(way, self._facts), way.text
        except InertianError as error:
            self.fact = None
            self.given.setText(
                str(error) if self._facts or self.table.toPlainText() else words.MEASURE_STILL
            )
        else:
            value = format_estimate(self.fact.typed, self.fact.plus_minus, self.fact.unit.symbol)
            said = words.MEASURE_GIVES.format(formula=typeset(formula), value=f"<b>{value}</b>")
            self.given.setText(f"{typeset(self._known.symbol)} = {said}")
        self.use.setEnabled(self.fact is not None)


Reader = Callable[..., Fact]


def _reader(inputs: MeasuredInput) -> Reader:
    return parse_fact if inputs.name.startswith("h") else parse_positive


def _plus_minus(text: str, kind: str, unit: Unit, _meaning: Meaning) -> Fact:
    """A ± by itself, as a standard uncertainty."""
    return parse_positive(text.replace("±", ""), kind, unit, Meaning.STANDARD)


def _read(kind: str, reader: Reader, text: str, meaning: Meaning) -> Fact:
    return reader(text, kind, unit_of(kind, SI_SYMBOL[kind]), meaning)


def _empty(layout: QLayout) -> None:
    while layout.count():
        widget = layout.takeAt(0).widget()
        if widget is not None:
            widget.hide()
            widget.deleteLater()
