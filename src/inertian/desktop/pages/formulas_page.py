"""The formulas page of the margin: facts of the setup, and derived quantities."""

from functools import partial

from PyQt6.QtCore import Qt
from PyQt6.QtGui import QShowEvent
from PyQt6.QtWidgets import (
    QGridLayout,
    QHBoxLayout,
    QLineEdit,
    QPushButton,
    QScrollArea,
    QVBoxLayout,
    QWidget,
)

from inertian.desktop.look import words
from inertian.desktop.look.fact_field import FactField
from inertian.desktop.look.labels import DropDown, empty_layout, label, rule
from inertian.desktop.look.tokens import MARGIN_WIDTH, Theme
from inertian.desktop.look.typeset import typeset
from inertian.desktop.pages.formula_symbols import FormulaSymbols
from inertian.desktop.pages.ready_made_list import ReadyMadeList
from inertian.desktop.state.document import Document
from inertian.desktop.state.view_state import ViewState
from inertian.physics.definitions.derived_quantities import (
    SETUP_FACTS,
    DerivedQuantity,
    SetupFact,
    depends_on,
)
from inertian.physics.definitions.formula_resolution import resolve
from inertian.physics.definitions.reading_units import units_by_name
from inertian.physics.definitions.requests import Quantity, QuantityRef
from inertian.project.edits import fact_set
from inertian.project.formula_edits import quantity_removed, quantity_set
from inertian.project.project import Entry, setup_key
from inertian.quantities.errors import InertianError
from inertian.quantities.facts import Fact, FactId, Meaning, parse_fact, parse_positive
from inertian.quantities.units import SI_SYMBOL, unit_of

SIGNED = ("angle", "length", "acceleration")  # facts that may be negative or zero
OF_SENSOR = {"α": "a"}  # facts that only trials with such a sensor need


class FormulasPage(QScrollArea):
    """Facts that formulas use, with ± and what it means; formulas with their units, written, listed
    and shown.
    """

    def __init__(self, document: Document, theme: Theme, view: ViewState) -> None:
        super().__init__()
        self.setObjectName("margin")
        self.setFixedWidth(MARGIN_WIDTH)
        self.setWidgetResizable(True)
        self.setHorizontalScrollBarPolicy(Qt.ScrollBarPolicy.ScrollBarAlwaysOff)
        self._document, self._theme, self._view = document, theme, view
        self._built: tuple[object, ...] | None = None
        self._changing = ""
        self.facts: dict[tuple[str, str], FactField] = {}
        self.measuring: dict[tuple[str, str], QPushButton] = {}
        body = QWidget()
        body.setObjectName("marginBody")
        body.setMaximumWidth(MARGIN_WIDTH - 2)
        column = QVBoxLayout(body)
        column.setContentsMargins(12, 12, 12, 12)
        column.setSpacing(4)
        column.addWidget(label(words.FORMULAS_HEADING, "heading"))
        self._list = QVBoxLayout()
        self._list.setSpacing(2)
        column.addLayout(self._list)
        self.ready_made = ReadyMadeList()
        self.ready_made.show_wanted.connect(self.show_strip)
        self.ready_made.change_wanted.connect(self._take_over)
        column.addWidget(self.ready_made)
        self._build_form(column)
        column.addSpacing(6)
        column.addWidget(rule())
        column.addWidget(label(words.SETUP_HEADING, "heading"))
        column.addWidget(label(words.SETUP_WHERE, "soft"))
        self.where = DropDown(theme)
        self.where.setAccessibleName(words.SETUP_WHERE)
        self.where.activated.connect(self._show_facts)
        column.addWidget(self.where)
        self._facts = QVBoxLayout()
        column.addLayout(self._facts)
        column.addStretch(1)
        self.setWidget(body)
        for signal in (document.changed, document.selected):
            signal.connect(self.refresh)

    # -- building ----------------------------------------------------------------------------------

    def _build_form(self, column: QVBoxLayout) -> None:
        self.form_title = label(words.NEW_QUANTITY, "soft")
        column.addSpacing(4)
        column.addWidget(self.form_title)
        self.symbol, self.unit, self.name, self.formula = (QLineEdit() for _ in range(4))
        hints = (
            words.SYMBOL_HINT,
            words.UNIT_HINT,
            words.QUANTITY_NAME_HINT,
            words.QUANTITY_FORMULA_HINT,
        )
        grid = QGridLayout()
        grid.setSpacing(4)
        places = ((0, 0, 1, 1), (0, 1, 1, 1), (1, 0, 1, 2), (2, 0, 1, 2))
        for field, hint, place in zip(
            (self.symbol, self.unit, self.name, self.formula), hints, places, strict=True
        ):
            field.setPlaceholderText(hint)
            field.setAccessibleName(hint)
            field.textEdited.connect(self._preview)
            field.returnPressed.connect(self.take)
            grid.addWidget(field, *place)
        column.addLayout(grid)
        self.preview, self.verdict = label(""), label("", "soft")
        for shower in (self.preview, self.verdict):
            shower.setWordWrap(True)
            column.addWidget(shower)
        self.preview.setTextFormat(Qt.TextFormat.RichText)
        self.verdict.setTextFormat(Qt.TextFormat.PlainText)
        row = QHBoxLayout()
        self.add, self.cancel = QPushButton(words.ADD), QPushButton(words.CANCEL)
        self.add.clicked.connect(self.take)
        self.cancel.clicked.connect(self._clear)
        self.cancel.hide()
        row.addWidget(self.add)
        row.addWidget(self.cancel)
        row.addStretch(1)
        column.addLayout(row)
        self.symbols = FormulaSymbols()
        self.symbols.wanted.connect(self._insert)
        column.addWidget(self.symbols)

    def _insert(self, text: str) -> None:
        """Put a symbol where the cursor is in the formula."""
        self.formula.insert(text)
        self.formula.setFocus()
        self._preview()

    def _take_over(self, one: DerivedQuantity) -> None:
        """Put a ready-made quantity into the form, under a symbol of its own."""
        self._clear()
        for field, text in (
            (self.symbol, f"{one.symbol}_own"),
            (self.unit, one.unit),
            (self.name, one.name),
            (self.formula, one.text),
        ):
            field.setText(text)
        self.formula.setFocus()
        self._preview()

    def refresh(self) -> None:
        """Show facts and formulas as they are now."""
        entry = self._document.entry
        if entry is None or not self.isVisible():
            return
        shape = (entry.series, entry.trial.id, tuple(b.name for b in entry.trial.followed))
        if shape != self._built:
            self._built = shape
            self._build_facts(entry)
        self._show_facts()
        self._show_list()
        own = {one.symbol for one in self._document.project.derived}
        known = self._document.project.quantities(entry)
        offered = self._document.project.offered(entry)
        self.ready_made.show_quantities([known[r.axis] for r in offered if r.axis not in own])

    def showEvent(self, event: QShowEvent) -> None:
        """Qt: show what changed while another page was in front."""
        super().showEvent(event)
        self.refresh()

    def _build_facts(self, entry: Entry) -> None:
        from inertian.desktop.pages.apparatus_dialog import MEASURED

        empty_layout(self._facts)
        self.facts = {}
        chosen = self.where.currentIndex()
        self.where.clear()
        self.where.addItem(words.IN_SERIES.format(series=entry.series), "series")
        self.where.addItem(words.IN_TRIAL, "trial")
        self.where.setCurrentIndex(max(chosen, 0))
        sensed = {s.axis for b in entry.trial.bodies for s in b.sensors}
        for known in (
            f for f in SETUP_FACTS if f.symbol not in OF_SENSOR or OF_SENSOR[f.symbol] in sensed
        ):
            for body in [b.name for b in entry.trial.followed] if known.of_bodies else [""]:
                title = (
                    words.FACT_OF_BODY.format(label=known.label, body=body) if body else known.label
                )
                field = FactField(
                    self._theme, title, words.FACT_HINTS[known.symbol], partial(_read, known)
                )
                field.may_be_empty = True
                field.edited.connect(partial(self._set_fact, known, body))
                self.facts[known.symbol, body] = field
                self._facts.addWidget(field)
                if known.symbol in MEASURED:
                    self._facts.addWidget(
                        self._measure_button(known, body, title),
                        alignment=Qt.AlignmentFlag.AlignRight,
                    )

    # -- facts -------------------------------------------------------------------------------------

    def _key(self, known: SetupFact, body: str) -> FactId:
        entry = self._document.entry
        scope = (
            f"trial {entry.trial.id}"
            if self.where.currentData() == "trial"
            else f"series {entry.series}"
        )
        return FactId(setup_key(known.name, body), scope)

    def _show_facts(self) -> None:
        entry = self._document.entry
        if entry is None:
            return
        for (symbol, body), field in self.facts.items():
            known = next(f for f in SETUP_FACTS if f.symbol == symbol)
            found = self._document.project.fact(setup_key(known.name, body), entry)
            field.show_fact(found[1] if found else None)

    def _measure_button(self, known: SetupFact, body: str, title: str) -> QPushButton:
        button = QPushButton(words.MEASURE)
        button.setProperty("role", "quiet")
        button.setToolTip(words.MEASURE_TIP)
        button.setAccessibleName(f"{title}, {words.MEASURE}")
        button.clicked.connect(partial(self.measure, known, body))
        self.measuring[known.symbol, body] = button
        return button

    def measure(self, known: SetupFact, body: str) -> None:
        """Open the dialog that works a fact out from what can be measured."""
        entry, project = self._document.entry, self._document.committed
        masses = project.masses(entry)
        facts = {"m": masses[body][1]} if body in masses else {}
        gravity = project.setup_facts(entry).get(("g", ""))
        facts |= {"g": gravity[1]} if gravity else {}
        from inertian.desktop.pages.apparatus_dialog import ApparatusDialog

        self.dialog = ApparatusDialog(self, self._theme, known, facts)
        self.dialog.accepted.connect(lambda: self._set_fact(known, body, self.dialog.fact))
        self.dialog.open()

    def _set_fact(self, known: SetupFact, body: str, fact: Fact | None) -> None:
        self._document.do(fact_set(self._document.committed, self._key(known, body), fact))

    # -- formulas ----------------------------------------------------------------------------------

    def _show_list(self) -> None:
        empty_layout(self._list)
        own = self._document.project.derived
        if not own:
            none = label(words.NONE_YET, "soft")
            none.setWordWrap(True)
            self._list.addWidget(none)
        for one in own:
            said = label(f"{typeset(one.symbol)} = {typeset(one.text)}")
            said.setTextFormat(Qt.TextFormat.RichText)
            said.setWordWrap(True)
            said.setToolTip(one.name)
            self._list.addWidget(said)
            made = label(
                (
                    f"{one.name}, {one.unit or '1'}; "
                    f"{words.DEPENDS.format(names=', '.join(depends_on(one)))}"
                ),
                "small",
            )
            made.setTextFormat(Qt.TextFormat.PlainText)
            made.setWordWrap(True)
            self._list.addWidget(made)
            row = QHBoxLayout()
            for text, then in (
                (words.SHOW, self.show_strip),
                (words.CHANGE, self._change),
                (words.REMOVE, self._remove),
            ):
                button = QPushButton(text)
                button.setProperty("role", "quiet")
                button.setAccessibleName(f"{text} {one.symbol}")
                button.setToolTip(words.SHOW_TIP if text == words.SHOW else "")
                button.clicked.connect(partial(then, one))
                row.addWidget(button)
            row.addStretch(1)
            self._list.addLayout(row)

    def _typed(self) -> DerivedQuantity:
        return DerivedQuantity(
            self.name.text().strip(),
            self.symbol.text().strip(),
            self.unit.text().strip(),
            self.formula.text(),
        )

    def _preview(self) -> None:
        """Set the formula in type as it is written, and say whether it has a meaning here."""
        typed, entry = self._typed(), self._document.entry
        self.preview.setText(
            f"{typeset(typed.symbol or '?')} = {typeset(typed.text)}" if typed.text.strip() else ""
        )
        self._say("")
        if entry is None or not typed.text.strip():
            return
        try:
            unit = self._gives(typed, entry)
        except InertianError as error:
            self._say(str(error), wrong=bool(typed.unit or typed.symbol))
        else:
            self._say(words.FITS_ALL.format(unit=unit))

    def _gives(self, typed: DerivedQuantity, entry: Entry) -> str:
        """The unit that a formula gives in the trial in hand. Raises InertianError where it has no
        meaning.
        """
        axes = {b.name: b.axes for b in entry.trial.bodies}
        sensors = {b.name: tuple(c.axis for c in b.sensors) for b in entry.trial.bodies}
        own = self._document.project.quantities(entry)
        readings = units_by_name(entry.named)
        why: InertianError | None = None
        for body in axes:
            try:
                return str(
                    resolve(typed, own, body, axes, sensors, bool(typed.unit), readings).dimension
                )
            except InertianError as error:
                why = why or error
        raise why or InertianError(words.NONE_YET)

    def _say(self, text: str, wrong: bool = False) -> None:
        self.verdict.setText(text)
        self.verdict.setProperty("role", "alarm" if wrong else "soft")
        self.verdict.style().polish(self.verdict)

    def take(self) -> None:
        """Keep the quantity that is written; what is wrong with it is said, and it stays."""
        try:
            edit = quantity_set(self._document.committed, self._typed(), self._changing)
        except InertianError as error:
            self._say(str(error), wrong=True)
            return
        typed = self._typed()
        self._clear()
        self._document.do(edit)
        self.show_strip(typed)

    def _clear(self) -> None:
        self._changing = ""
        for field in (self.symbol, self.unit, self.name, self.formula):
            field.clear()
        self.form_title.setText(words.NEW_QUANTITY)
        self.add.setText(words.ADD)
        self.cancel.hide()
        self.preview.setText("")
        self._say("")

    def _change(self, one: DerivedQuantity) -> None:
        self._changing = one.symbol
        fields = (self.symbol, self.unit, self.name, self.formula)
        for field, text in zip(fields, (one.symbol, one.unit, one.name, one.text), strict=True):
            field.setText(text)
        self.form_title.setText(words.CHANGING.format(symbol=one.symbol))
        self.add.setText(words.KEEP)
        self.cancel.show()
        self._preview()
        self.formula.setFocus()

    def _remove(self, one: DerivedQuantity) -> None:
        try:
            self._document.do(quantity_removed(self._document.committed, one.symbol))
        except InertianError as error:
            self._say(str(error), wrong=True)

    def show_strip(self, one: DerivedQuantity) -> None:
        """Show a quantity as one more strip, in its unit."""
        entry = self._document.entry
        offered = self._document.project.offered(entry) if entry is not None else []
        shown = next((s for s in offered if s.axis == one.symbol), None)
        if shown is None:
            return
        self._use_unit(one, shown)
        strips = self._view.shown_strips()
        if shown not in strips:
            self._view.choose_strips([*strips, shown])
        self._view.take(shown)

    def _use_unit(self, one: DerivedQuantity, shown: QuantityRef) -> None:
        """Show the quantity in the unit that was asked for, where the table of units has it."""
        if one.unit and one.unit != shown.unit and shown.quantity is Quantity.DERIVED:
            from inertian.quantities.dimensions import parse_unit
            from inertian.quantities.units import Unit

            self._view.use_unit(Unit(one.unit, "number", parse_unit(one.unit)[0]), shown.unit)


def _read(known: SetupFact, text: str, meaning: Meaning) -> Fact:
    unit = unit_of(known.kind, "°" if known.kind == "angle" else SI_SYMBOL[known.kind])
    return (parse_fact if known.kind in SIGNED else parse_positive)(text, known.kind, unit, meaning)
