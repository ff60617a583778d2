"""The readings page of the margin: what is read at the line, over a span and between pins; named
readings; fits.
"""

from collections.abc import Callable, Sequence
from dataclasses import replace
from functools import partial

from PyQt6.QtCore import Qt
from PyQt6.QtGui import QShowEvent
from PyQt6.QtWidgets import (
    QGridLayout,
    QLabel,
    QLineEdit,
    QScrollArea,
    QToolButton,
    QVBoxLayout,
    QWidget,
)

from inertian.desktop.bench.line_readings import readings_at
from inertian.desktop.bench.pyramid import LONG
from inertian.desktop.look import words
from inertian.desktop.look.labels import DropDown, label, rule
from inertian.desktop.look.number_format import format_estimate as written
from inertian.desktop.look.number_format import format_number, format_time, intervals_said, unbroken
from inertian.desktop.look.tokens import MARGIN_WIDTH, Theme
from inertian.desktop.pages.fits_form import FitsForm
from inertian.desktop.state.document import Document
from inertian.desktop.state.timers import once_after
from inertian.desktop.state.view_state import ViewState
from inertian.motion.derivatives.local_fit_cache import LocalFitCache
from inertian.physics.definitions.reading_units import unit_of_reading
from inertian.physics.definitions.requests import (
    ADDS_UP,
    AT_MOMENT,
    BETWEEN,
    OVER_SPAN,
    TOTAL,
    NamedReading,
    Quantity,
    QuantityRef,
    ReadingKind,
)
from inertian.physics.evaluation.trial_context import TrialContext
from inertian.physics.readings.budgets import explain
from inertian.physics.readings.nonlinear_intervals import interval_if_nonlinear
from inertian.physics.readings.reading_monte_carlo import draw_reading
from inertian.physics.readings.readings import between, over_span, scalars
from inertian.project.marking_edits import reading_forgotten, reading_named
from inertian.project.project import Entry
from inertian.quantities.coverage import Scalar
from inertian.quantities.errors import InertianError, Refusal
from inertian.quantities.monte_carlo import Distribution

SMALL_BUTTON = 18  # px
READ_MS = 25  # a moving line is followed after this
Ask = Callable[[str], NamedReading]


class ReadingRow:
    """One reading: what it is, its value ±, and a button that keeps it under a name."""

    def __init__(
        self,
        grid: QGridLayout,
        place: int,
        text: str,
        keep: Callable[[], None],
        explain: Callable[[], None],
    ) -> None:
        self.name, self.value, self.keep = label(text, "soft"), label(""), QToolButton()
        self.explain = how_button(text, explain)
        self.value.setAlignment(Qt.AlignmentFlag.AlignRight)
        self.value.setWordWrap(True)
        self.value.setTextInteractionFlags(Qt.TextInteractionFlag.TextSelectableByMouse)
        self.keep.setText("+")
        self.keep.setProperty("role", "small")
        self.keep.setToolTip(words.NAME_IT)
        self.keep.setAccessibleName(f"{words.NAME_IT}: {text}")
        self.keep.clicked.connect(keep)
        for button in (self.explain, self.keep):
            button.setFixedWidth(SMALL_BUTTON)
        for column, part in enumerate((self.name, self.value, self.explain, self.keep)):
            grid.addWidget(part, place, column)

    def show_scalar(self, found: Scalar | None, factor: float, unit: str, settled: bool) -> None:
        """Show a result in a unit, "—" if there is none."""
        self.value.setText(
            "—"
            if found is None
            else unbroken(written(factor * found.value, factor * found.u, unit))
        )
        self.keep.setEnabled(found is not None)
        self.explain.setEnabled(found is not None)
        if settled:
            self.value.setToolTip(
                "" if found is None or factor != 1.0 else intervals_said(found, unit)
            )


def how_button(text: str, explain: Callable[[], None]) -> QToolButton:
    """Return the button that asks how a number was computed."""
    made = QToolButton()
    made.setText(words.HOW_SHORT)
    made.setProperty("role", "small")
    made.setToolTip(words.HOW)
    made.setAccessibleName(f"{words.HOW} {text}")
    made.clicked.connect(explain)
    return made


class ReadingsPage(QScrollArea):
    """Reads numbers off the quantity and body in hand."""

    def __init__(
        self, document: Document, theme: Theme, view: ViewState, span_in_hand: Callable[[], str]
    ) -> None:
        super().__init__()
        self.setObjectName("margin")
        self.setFixedWidth(MARGIN_WIDTH)
        self.setWidgetResizable(True)
        self.setHorizontalScrollBarPolicy(Qt.ScrollBarPolicy.ScrollBarAlwaysOff)
        self._document, self._theme, self._view, self._span_in_hand = (
            document,
            theme,
            view,
            span_in_hand,
        )
        self._pending: Ask | None = None
        self._named_shown: tuple[object, ...] | None = None
        body = QWidget()
        body.setObjectName("marginBody")
        body.setMaximumWidth(MARGIN_WIDTH - 2)
        column = QVBoxLayout(body)
        column.setContentsMargins(12, 12, 12, 12)
        column.setSpacing(4)
        self._build_choices(column)
        self.line_title, self.span_title, self.pins_title = (label("", "heading") for _ in range(3))
        self.line_rows = self._section(column, self.line_title, AT_MOMENT, self._ask_moment)
        self.span_rows = self._section(column, self.span_title, OVER_SPAN, self._ask_span)
        self.pin_rows = self._section(column, self.pins_title, BETWEEN, self._ask_between)
        self.name_field = QLineEdit()
        self.name_field.setPlaceholderText(words.NAME_HINT)
        self.name_field.setAccessibleName(words.NAME_HINT)
        self.name_field.returnPressed.connect(self._keep)
        self.name_field.hide()
        column.addWidget(label(words.NAMED_HEADING, "heading"))
        column.addWidget(self.name_field)
        self._named = QGridLayout()
        self._named.setVerticalSpacing(2)
        self._named.setColumnStretch(0, 1)
        self.named_values: dict[str, QLabel] = {}
        column.addLayout(self._named)
        column.addSpacing(6)
        column.addWidget(rule())
        self.fits = FitsForm(document, theme, view, span_in_hand)
        column.addWidget(self.fits)
        column.addStretch(1)
        self.setWidget(body)
        self._soon = once_after(self, READ_MS, self._show_line)
        for signal in (document.changed, document.selected, document.previewed, view.turned):
            signal.connect(self.refresh)
        view.line_moved.connect(self._soon.start)

    # -- building ----------------------------------------------------------------------------------

    def _build_choices(self, column: QVBoxLayout) -> None:
        self.quantity, self.body = DropDown(self._theme), DropDown(self._theme)
        for choice, text in ((self.quantity, words.OF_QUANTITY), (self.body, words.OF_BODY)):
            choice.setAccessibleName(text)
            column.addWidget(choice)
        self.quantity.activated.connect(lambda: self._view.take(self.quantity.currentData()))
        self.body.activated.connect(lambda: self._view.take(body=self.body.currentData()))
        self.trouble = label("", "soft")
        self.trouble.setWordWrap(True)
        self.trouble.hide()
        column.addWidget(self.trouble)

    def _section(
        self,
        column: QVBoxLayout,
        title: QLabel,
        kinds: tuple[ReadingKind, ...],
        ask: Callable[[ReadingKind], Ask],
    ) -> dict[ReadingKind, ReadingRow]:
        title.setWordWrap(True)
        title.setTextFormat(Qt.TextFormat.PlainText)
        column.addSpacing(6)
        column.addWidget(title)
        grid = QGridLayout()
        grid.setHorizontalSpacing(3)
        grid.setVerticalSpacing(1)
        grid.setColumnStretch(1, 1)
        rows = {
            kind: ReadingRow(
                grid,
                k,
                words.READING_NAMES[kind],
                partial(self._keep_one, ask, kind),
                partial(self._explain, ask, kind),
            )
            for k, kind in enumerate(kinds)
        }
        column.addLayout(grid)
        return rows

    # -- showing -----------------------------------------------------------------------------------

    def refresh(self) -> None:
        """Show all readings of the trial in hand as they are now."""
        entry = self._document.entry
        if entry is None or not self.isVisible():
            return
        if self._document.previewing and len(entry.trial.t) > LONG:
            return  # long recordings are read when the edge is let go
        if self._document.awaits(entry):
            return  # and when they are derived as they are marked now
        if not self._document.previewing:
            self._show_choices(entry)
        self._show_line()
        self._show_span(entry)
        self._show_pins(entry)
        self._show_named(entry)
        self.fits.refresh()

    def showEvent(self, event: QShowEvent) -> None:
        """Qt: show what changed while another page was in front."""
        super().showEvent(event)
        self.refresh()

    def _show_choices(self, entry: Entry) -> None:
        shown, body = self._view.in_hand()
        strips = self._view.shown_strips()
        _fill(self.quantity, [(words.strip_title(s), s) for s in strips], shown)
        bodies = [(b.name, b.name) for b in entry.trial.bodies]
        if shown is not None and shown.quantity in ADDS_UP and len(bodies) > 1:
            bodies.append((words.ALL_BODIES, TOTAL))
        _fill(self.body, bodies, body)

    def _unit(self, shown: QuantityRef, kind: ReadingKind) -> tuple[float, str]:
        """Factor and symbol of the unit a reading is shown in: the strip's for values, SI for what
        is derived.
        """
        if kind in (ReadingKind.SLOPE, ReadingKind.TREND, ReadingKind.AREA, ReadingKind.RATIO):
            return 1.0, unit_of_reading(shown, kind)
        return self._view.factor(shown.unit), self._view.unit(shown.unit)

    def _show_rows(
        self,
        rows: dict[ReadingKind, ReadingRow],
        shown: QuantityRef,
        found: dict[ReadingKind, Scalar],
    ) -> None:
        for kind, row in rows.items():
            row.show_scalar(
                found.get(kind), *self._unit(shown, kind), not self._document.previewing
            )

    def _show_line(self) -> None:
        entry, line = self._document.entry, self._view.line
        if entry is None or not self.isVisible():
            return
        shown, body = self._view.in_hand()
        zero = entry.frame.time_zero
        at = (
            words.AT_LINE.format(time=format_time(line - zero, entry.trial.step()))
            if line is not None
            else words.AT_LINE_NONE
        )
        self.line_title.setText(at)
        self.line_title.setProperty("role", "heading" if line is not None else "soft")
        self.line_title.style().polish(self.line_title)
        found = (
            readings_at(self._document, entry, shown, body, line)
            if line is not None and shown
            else {}
        )
        self._complain(found)
        if shown is not None:
            self._show_rows(
                self.line_rows, shown, {} if isinstance(found, InertianError) else found
            )
        self._show_pins(entry)

    def _complain(self, found: object) -> None:
        self.trouble.setText(str(found) if isinstance(found, InertianError) else "")
        self.trouble.setVisible(isinstance(found, InertianError))

    def _show_span(self, entry: Entry) -> None:
        shown, body = self._view.in_hand()
        name = self._span_in_hand()
        self.span_title.setText(words.SPAN_HEADING.format(name=name) if name else "")
        if shown is None:
            return
        found: dict[ReadingKind, Scalar] = {}
        if name:
            context = self._document.evaluator.trial_context(self._document.project, entry)
            span, estimates = entry.spans.named(name), {}
            for kind in OVER_SPAN:
                try:
                    one = over_span(context, shown, body, span, kind)
                except InertianError as error:
                    self._complain(error)
                    continue
                if isinstance(one, Scalar):
                    found[kind] = one
                else:
                    estimates[str(kind)] = one
            settled = scalars(context, estimates) if estimates else {}
            found |= {kind: settled[str(kind)] for kind in OVER_SPAN if str(kind) in settled}
            if not self._document.previewing:
                request = {kind: NamedReading("", kind, shown, body, (), name) for kind in found}
                found = {
                    kind: interval_if_nonlinear(context, request[kind], one)
                    for kind, one in found.items()
                }
        self._show_rows(self.span_rows, shown, found)

    def _show_pins(self, entry: Entry) -> None:
        shown, body = self._view.in_hand()
        pins, zero = self._view.pins[-2:], entry.frame.time_zero
        if len(pins) < 2 or shown is None:
            self.pins_title.setText(words.PINS_NONE)
            self.pins_title.setProperty("role", "soft")
            found: dict[ReadingKind, Scalar] = {}
        else:
            first, second = (format_time(p - zero, entry.trial.step()) for p in pins)
            self.pins_title.setText(words.BETWEEN_PINS.format(first=first, second=second))
            self.pins_title.setProperty("role", "heading")
            try:
                context = self._document.evaluator.trial_context(self._document.project, entry)
                found = between(context, shown, body, (pins[0], pins[1]))
            except InertianError as error:
                found = {}
                self._complain(error)
        self.pins_title.style().polish(self.pins_title)
        for row in self.pin_rows.values():
            for part in (row.name, row.value, row.explain, row.keep):
                part.setVisible(len(pins) == 2)
        if shown is not None:
            self._show_rows(self.pin_rows, shown, found)

    def _show_named(self, entry: Entry) -> None:
        results = self._document.evaluator.named(self._document.project, entry)
        if entry.named != self._named_shown:
            self._named_shown = entry.named
            self._build_named(entry)
        for named in entry.named:
            found, value = results[named.name], self.named_values[named.name]
            if isinstance(found, InertianError):
                value.setText("—")
                value.setToolTip(str(found))
            else:
                unit = unit_of_reading(named.shown, named.kind)
                value.setText(unbroken(written(found.value, found.u, unit)))
                value.setToolTip(f"{_said(named)}\n{intervals_said(found, unit)}")

    def _build_named(self, entry: Entry) -> None:
        while self._named.count():
            widget = self._named.takeAt(0).widget()
            widget.hide()
            widget.deleteLater()
        self.named_values = {}
        for place, named in enumerate(entry.named):
            name, value, gone = label(named.name), label(""), QToolButton()
            name.setTextFormat(Qt.TextFormat.PlainText)
            name.setWordWrap(True)
            name.setToolTip(_said(named))
            value.setAlignment(Qt.AlignmentFlag.AlignRight)
            value.setWordWrap(True)
            value.setTextInteractionFlags(Qt.TextInteractionFlag.TextSelectableByMouse)
            gone.setText("×")
            gone.setProperty("role", "small")
            gone.setToolTip(words.FORGET)
            gone.setAccessibleName(f"{words.FORGET}: {named.name}")
            gone.clicked.connect(partial(self._forget, named.name))
            how = how_button(named.name, partial(self._show_card, named))
            for column, part in enumerate((name, value, how, gone)):
                self._named.addWidget(part, place, column)
            self.named_values[named.name] = value
        if not entry.named:
            none = label(words.NAMED_NONE, "soft")
            none.setWordWrap(True)
            self._named.addWidget(none, 0, 0, 1, 4)

    # -- naming ------------------------------------------------------------------------------------

    def _keep_one(self, ask: Callable[[ReadingKind], Ask], kind: ReadingKind) -> None:
        self._pending = ask(kind)
        proposed = self._pending("")
        parts = (words.READING_NAMES[kind], proposed.body, proposed.span)
        self.name_field.setText(" ".join(part for part in parts if part))
        self.name_field.show()
        self.name_field.selectAll()
        self.name_field.setFocus()
        self.ensureWidgetVisible(self.name_field)

    def _explain(self, ask: Callable[[ReadingKind], Ask], kind: ReadingKind) -> None:
        self._show_card(ask(kind)(""))

    def _show_card(self, named: NamedReading) -> None:
        """Open the card that says how a reading was computed."""
        context = self._document.evaluator.trial_context(
            self._document.project, self._document.entry
        )
        try:
            found = explain(context, named)
        except InertianError as error:
            self._complain(error)
            return
        unit = unit_of_reading(named.shown, named.kind)
        alone = replace(context, known=LocalFitCache())  # what it remembers is of this thread alone
        draws = partial(_simulated, alone, named, found.result)
        from inertian.desktop.pages.budget_card import BudgetCard

        self.card = BudgetCard(
            self, _said(named), named.body or words.ALL_BODIES, unit, found, draws
        )
        self.card.open()

    def _ask_moment(self, kind: ReadingKind) -> Ask:
        (shown, body), line = self._view.in_hand(), self._view.line
        return lambda name: NamedReading(name, kind, shown, body, (line,))

    def _ask_span(self, kind: ReadingKind) -> Ask:
        (shown, body), span = self._view.in_hand(), self._span_in_hand()
        return lambda name: NamedReading(name, kind, shown, body, (), span)

    def _ask_between(self, kind: ReadingKind) -> Ask:
        (shown, body), pins = self._view.in_hand(), tuple(self._view.pins[-2:])
        return lambda name: NamedReading(name, kind, shown, body, pins)

    def _keep(self) -> None:
        entry, name = self._document.entry, self.name_field.text().strip()
        if entry is not None and name and self._pending is not None:
            try:
                edit = reading_named(self._document.committed, entry.trial.id, self._pending(name))
            except Refusal as refusal:
                self._complain(refusal)
                return
            self._pending = None
            self.name_field.hide()
            self._complain(None)
            self._document.do(edit)

    def _forget(self, name: str) -> None:
        self._document.do(
            reading_forgotten(self._document.committed, self._document.entry.trial.id, name)
        )


def _simulated(
    context: TrialContext, named: NamedReading, first: Scalar, progress: Callable[[float], bool]
) -> Distribution:
    return draw_reading(context, named, first, progress=progress)


def _said(named: NamedReading) -> str:
    """What a named reading is, in words."""
    where = (
        f"“{named.span}”"
        if named.span
        else ", ".join(f"{format_number(t, 5)} s" for t in named.times)
    )
    title = words.strip_title(named.shown)
    title = title if named.shown.quantity is Quantity.DERIVED else title.lower()
    what = f"{words.READING_NAMES[named.kind]}, {title}"
    return f"{what}, {named.body or words.ALL_BODIES}, {where}"


def _fill(choice: DropDown, items: Sequence[tuple[str, object]], now: object) -> None:
    """Fill a drop-down list if its items changed, and choose one."""
    if [(choice.itemText(k), choice.itemData(k)) for k in range(choice.count())] != list(items):
        choice.clear()
        for text, data in items:
            choice.addItem(text, data)
    place = next((k for k, (_, data) in enumerate(items) if data == now), -1)
    choice.setCurrentIndex(place)
