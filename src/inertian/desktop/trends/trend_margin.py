"""The margin of the trends stage: the line and what it says, what is expected, what a class does by
hand, and which trials are shown.
"""

import html
from dataclasses import replace

from PyQt6.QtCore import Qt, pyqtSignal
from PyQt6.QtWidgets import (
    QCheckBox,
    QPushButton,
    QScrollArea,
    QVBoxLayout,
    QWidget,
)

from inertian.analysis.results.trial_values import ColumnKind
from inertian.analysis.trends.expected import THEORIES, Comparison
from inertian.analysis.trends.line_fit import LineFit
from inertian.analysis.trends.remarks import Remark, ResidualRemark
from inertian.analysis.trends.trend_lines import TrendLine
from inertian.analysis.trends.trend_result import TrendResult, at_contact_name
from inertian.desktop.look import words
from inertian.desktop.look.folding import Fold
from inertian.desktop.look.labels import DropDown, empty_layout, label, rule
from inertian.desktop.look.number_format import (
    format_estimate,
    format_number,
    intervals_said,
    unbroken,
    without_markup,
)
from inertian.desktop.look.tokens import MARGIN_WIDTH, Theme
from inertian.desktop.state.document import Document
from inertian.desktop.state.trends_state import TrendsState
from inertian.desktop.trends.by_hand_lines import lines_by_hand
from inertian.desktop.trends.margin_parts import (
    narrow,
    numbers_of,
    set_quietly,
    small,
    typed_field,
    wrapped,
)
from inertian.project.trend_edits import trend_chosen
from inertian.project.trend_requests import TrendRequest
from inertian.report.trend import parameter_unit, si_unit

FEW_MARKS = 12  # different values of a column, up to which points can be told apart by it
COMPARED = {
    Comparison.AGREE: words.AGREES,
    Comparison.DOUBTFUL: words.DOUBTFUL,
    Comparison.DIFFER: words.DIFFERS,
    Comparison.TOO_ROUGH: words.TOO_ROUGH,
}


class TrendMargin(QScrollArea):
    """Says what the figure shows, and asks for other choices."""

    spoken = pyqtSignal(str)
    present_wanted = pyqtSignal()
    aside_wanted = pyqtSignal(str)

    def __init__(self, document: Document, theme: Theme, state: TrendsState) -> None:
        super().__init__()
        self.setObjectName("margin")
        self.setFixedWidth(MARGIN_WIDTH)
        self.setWidgetResizable(True)
        self.setHorizontalScrollBarPolicy(Qt.ScrollBarPolicy.ScrollBarAlwaysOff)
        self.setAccessibleName(words.TRENDS)
        self._document, self._theme, self._state = document, theme, state
        body = QWidget()
        body.setObjectName("marginBody")
        column = QVBoxLayout(body)
        column.setContentsMargins(12, 12, 12, 12)
        column.setSpacing(4)
        self._build_line(column)
        column.addWidget(rule())
        self._build_expected(column)
        column.addWidget(rule())
        self._build_hand(column)
        self._build_points(column)
        self.present = QPushButton(words.PRESENT)
        self.present.setToolTip(words.PRESENT_TIP)
        self.present.clicked.connect(self.present_wanted)
        column.addSpacing(8)
        column.addWidget(self.present, alignment=Qt.AlignmentFlag.AlignLeft)
        column.addStretch(1)
        self.setWidget(body)
        body.hide()  # until there is something to say
        state.trend_changed.connect(self.refresh)

    # -- building ----------------------------------------------------------------------------------

    def _build_line(self, column: QVBoxLayout) -> None:
        column.addWidget(label(words.LINE_HEAD, "heading"))
        self.line = narrow(DropDown(self._theme))
        self.line.setAccessibleName(words.LINE_HEAD)
        for line in TrendLine:
            self.line.addItem(words.LINES[line], str(line))
        self.line.activated.connect(self._choose_line)
        column.addWidget(self.line)
        self.formula = typed_field(
            words.LINE_FORMULA_HINT, words.LINES["formula"], self._choose_formula
        )
        column.addWidget(self.formula)
        self.form = label("", "small")
        column.addWidget(self.form)
        self.parameters = QVBoxLayout()
        self.parameters.setSpacing(0)
        column.addLayout(self.parameters)
        self.remarks = QVBoxLayout()
        self.remarks.setSpacing(2)
        column.addLayout(self.remarks)
        self.spread = QCheckBox(words.ADD_SPREAD)
        self.spread.setToolTip(words.ADD_SPREAD_TIP)
        self.spread.toggled.connect(self._choose_spread)
        column.addWidget(self.spread)
        self.spread_said = wrapped("small")
        column.addWidget(self.spread_said)
        self.numbers = Fold(words.NUMBERS_HEAD, False)
        self.numbers_said = wrapped("soft")
        self.numbers.inner.addWidget(self.numbers_said)
        column.addWidget(self.numbers)

    def _build_expected(self, column: QVBoxLayout) -> None:
        column.addWidget(label(words.EXPECTED_HEAD, "heading"))
        self.theory = narrow(DropDown(self._theme))
        self.theory.setAccessibleName(words.EXPECTED_HEAD)
        self.theory.addItem(words.EXPECTED_NONE, "")
        for one in THEORIES:
            self.theory.addItem(one.name, one.formula)
        self.theory.addItem(words.EXPECTED_OWN, None)
        self.theory.activated.connect(self._choose_theory)
        column.addWidget(self.theory)
        self.expected = typed_field(words.EXPECTED_HINT, words.EXPECTED_HEAD, self._choose_expected)
        self.expected.setToolTip(words.EXPECTED_TIP)
        column.addWidget(self.expected)
        self.expected_said, self.verdict, self.more = (
            wrapped("soft"),
            wrapped("answer"),
            wrapped("small"),
        )
        for part in (self.expected_said, self.verdict, self.more):
            column.addWidget(part)

    def _build_hand(self, column: QVBoxLayout) -> None:
        self.by_hand = Fold(words.HAND_HEAD, False)
        self.hand = QCheckBox(words.HAND_LINE)
        self.hand.setToolTip(words.HAND_LINE_TIP)
        self.hand.toggled.connect(self._choose_hand)
        self.hand_said = wrapped("soft")
        self.by_hand.inner.addWidget(self.hand)
        self.by_hand.inner.addWidget(self.hand_said)
        self.by_hand.turned.connect(lambda _open: self.refresh())
        column.addWidget(self.by_hand)

    def _build_points(self, column: QVBoxLayout) -> None:
        self.which = Fold(words.POINTS_HEAD, True)
        self.series = QVBoxLayout()
        self.series.setSpacing(2)
        self.which.inner.addLayout(self.series)
        self.which.inner.addWidget(label(words.MARKS_BY, "soft"))
        self.marks = narrow(DropDown(self._theme))
        self.marks.setAccessibleName(words.MARKS_BY)
        self.marks.activated.connect(self._choose_marks)
        self.which.inner.addWidget(self.marks)
        self.series_boxes: dict[str, QCheckBox] = {}
        column.addWidget(self.which)

    # -- showing -----------------------------------------------------------------------------------

    def refresh(self) -> None:
        """Show the trend as it is now."""
        state, made = self._state, self._state.trend
        request = state.request
        self.widget().setVisible(state.table is not None)
        self.line.setCurrentIndex(self.line.findData(request.line))
        self.formula.setVisible(request.line == TrendLine.FORMULA)
        if not self.formula.hasFocus():
            self.formula.setText(request.formula)
        self.form.setText(words.LINE_FORMULAS.get(request.line, ""))
        self.form.setVisible(bool(self.form.text()))
        self._show_series(request)
        self._show_fit(made)
        self._show_expected(made, request)
        self._show_hand(made, request)
        self.present.setEnabled(made is not None)

    def _show_fit(self, made: TrendResult | None) -> None:
        for layout in (self.parameters, self.remarks):
            empty_layout(layout)
        fit = made.fit if made is not None else None
        told = fit is not None and not fit.scatter
        self.spread.setVisible(told)
        set_quietly(self.spread, self._state.request.spread)
        self.spread_said.hide()
        self.numbers.setVisible(fit is not None)
        if made is None or fit is None:
            self._remark(made.refused if made is not None else self._state.refused)
            return
        for name in fit.names:
            self._show_parameter(made, fit, name)
        names = {row.trial: row.entry.trial.name for row in made.rows}
        for one in made.remarks:
            self._show_remark(one, names)
        if made.beside_contact:
            self._remark(words.BESIDE_CONTACT.format(size=format_number(made.beside_contact, 2)))
            button = QPushButton(words.AT_CONTACT)
            button.clicked.connect(self._choose_at_contact)
            self.remarks.addWidget(button, alignment=Qt.AlignmentFlag.AlignLeft)
        if made.between is not None:
            unit, between = si_unit(made.units[1]), made.between
            low, high = (f"{format_number(e, 2)} {unit}".strip() for e in between.interval95)
            value = f"{format_number(between.value, 2)} {unit}".strip()
            self.spread_said.setText(words.SPREAD_SAID.format(value=value, low=low, high=high))
            self.spread_said.show()
        self.numbers_said.setText("<br>".join(numbers_of(fit)))

    def _show_parameter(self, made: TrendResult, fit: LineFit, name: str) -> None:
        one, unit = fit.parameter(name), parameter_unit(name, made.units)
        value = unbroken(format_estimate(one.value, one.u, unit))
        shown = wrapped("")
        shown.setText(words.PARAMETER.format(name=html.escape(name), value=value))
        shown.setToolTip(intervals_said(one, unit))
        shown.setTextInteractionFlags(Qt.TextInteractionFlag.TextSelectableByMouse)
        self.parameters.addWidget(shown)
        shares = fit.shares(name)
        parts = wrapped("small")
        if fit.scatter:
            parts.setText(words.PARTS_SCATTER)
        elif not shares:
            parts.setText(words.PARTS_OWN)
        else:
            own, shared = (small(u) for u in (fit.u_own(name), fit.u_shared(name)))
            parts.setText(words.PARTS.format(own=own, shared=shared))
            lines = "\n".join(
                words.SHARE_LINE.format(name=n, u=without_markup(small(u)))
                for n, u in shares.items()
            )
            parts.setToolTip(words.SHARES_TIP.format(lines=lines))
        self.parameters.addWidget(parts)

    def _show_remark(self, one: ResidualRemark, names: dict[str, str]) -> None:
        trial = names.get(one.trial, one.trial)
        size = format_number(abs(one.number), 2)
        self._remark(words.REMARKS[one.remark].format(size=size, trial=html.escape(trial)))
        if one.remark is Remark.APART:
            button = QPushButton(words.SET_TRIALS_ASIDE.replace("&", ""))
            button.clicked.connect(lambda: self.aside_wanted.emit(one.trial))
            self.remarks.addWidget(button, alignment=Qt.AlignmentFlag.AlignLeft)

    def _remark(self, text: str) -> None:
        said = wrapped("soft")
        said.setText(text)
        self.remarks.addWidget(said)

    def _show_expected(self, made: TrendResult | None, request: TrendRequest) -> None:
        place = self.theory.findData(request.expected)
        self.theory.setCurrentIndex(place if place >= 0 else self.theory.count() - 1)
        if not self.expected.hasFocus():
            self.expected.setText(request.expected)
        self.expected.setVisible(bool(request.expected) or self.theory.currentData() is None)
        for part in (self.expected_said, self.verdict, self.more):
            part.hide()
        if made is None:
            return
        if made.unexpected:
            self.expected_said.setText(html.escape(made.unexpected))
            self.expected_said.show()
        theory, compared = made.expected, made.agreement
        if theory is None:
            return
        lines = []
        for name in theory.parameters:
            one, unit = theory.parameter(name), parameter_unit(name, made.units)
            value = unbroken(format_estimate(one.value, one.u, unit))
            lines.append(words.EXPECTED_VALUE.format(name=html.escape(name), value=value))
        self.expected_said.setText("<br>".join(lines))
        self.expected_said.setVisible(bool(lines))
        if compared is None:
            return
        unit = parameter_unit(compared.parameter, made.units)
        difference = compared.difference
        away = unbroken(format_estimate(difference.value, difference.u, unit))
        z = format_number(compared.z, 2)
        self.verdict.setText(
            words.AGREEMENT.format(word=COMPARED[compared.verdict], away=away, z=z)
        )
        size = f"{format_number(compared.would_show, 2)} {unit}".strip()
        more = [words.WOULD_SHOW.format(size=size)]
        if compared.percent is not None:
            value = format_estimate(compared.percent.value, compared.percent.u, "%")
            more.append(words.PERCENT_ERROR.format(value=unbroken(value)))
        self.more.setText("<br>".join(more))
        self.verdict.show()
        self.more.show()

    def _show_hand(self, made: TrendResult | None, request: TrendRequest) -> None:
        set_quietly(self.hand, request.hand is not None)
        if made is None or not self.by_hand.head.isChecked():
            return
        self.hand_said.setText("".join(f"<p>{line}</p>" for line in lines_by_hand(made)))

    def _show_series(self, request: TrendRequest) -> None:
        project = self._document.project
        names = [s.name for s in project.series if project.entries_of(s.name)]
        if list(self.series_boxes) != names:
            empty_layout(self.series)
            self.series_boxes = {}
            for name in names:
                box = QCheckBox(name)
                box.toggled.connect(self._choose_series)
                self.series_boxes[name] = box
                self.series.addWidget(box)
        for name, box in self.series_boxes.items():
            set_quietly(box, not request.series or name in request.series)
            box.setVisible(len(names) > 1)
        offered = [("", words.MARKS_SERIES), *((n, n) for n in self._categories())]
        if [self.marks.itemData(k) for k in range(self.marks.count())] != [d for d, _ in offered]:
            self.marks.clear()
            for data, text in offered:
                self.marks.addItem(text, data)
        self.marks.setCurrentIndex(max(self.marks.findData(request.marks), 0))

    def _categories(self) -> list[str]:
        """Columns by which points can be told apart: of few different values."""
        table = self._state.table
        if table is None:
            return []
        found = []
        for name, one in table.offered.items():
            if one.kind not in (ColumnKind.VARIABLE, ColumnKind.NAME):
                continue
            values = {
                v.text or (v.scalar.value if v.scalar else None)
                for row in table.rows
                if (v := row.values.get(name)) is not None
            }
            if 1 < len(values) <= FEW_MARKS:
                found.append(name)
        return found

    # -- asking ------------------------------------------------------------------------------------

    def _ask(self, name: str, **changes: object) -> None:
        request = replace(self._state.request, **changes)  # type: ignore[arg-type]
        self._document.do(trend_chosen(self._document.committed, request, name))

    def _choose_line(self) -> None:
        line = self.line.currentData()
        if line == TrendLine.FORMULA and not self._state.request.formula:
            self.formula.show()
            self.formula.setFocus()
            return
        self._ask(words.LINE_HEAD, line=line)

    def _choose_formula(self, text: str) -> None:
        self._ask(words.LINE_HEAD, line=str(TrendLine.FORMULA), formula=text)

    def _choose_spread(self, on: bool) -> None:
        self._ask(words.ADD_SPREAD, spread=on)

    def _choose_theory(self) -> None:
        formula = self.theory.currentData()
        if formula is None:
            self.expected.show()
            self.expected.setFocus()
            return
        self._ask(words.EXPECTED_HEAD, expected=formula)

    def _choose_expected(self, text: str) -> None:
        self._ask(words.EXPECTED_HEAD, expected=text)

    def _choose_hand(self, on: bool) -> None:
        made = self._state.trend
        ends = None
        if on and made is not None:
            x, y = made.points.x, made.points.y
            low, high = int(x.argmin()), int(x.argmax())
            ends = (float(x[low]), float(y[low]), float(x[high]), float(y[high]))
        self._ask(words.HAND_LINE, hand=ends)

    def _choose_series(self) -> None:
        chosen = tuple(name for name, box in self.series_boxes.items() if box.isChecked())
        if len(chosen) == len(self.series_boxes):
            chosen = ()
        elif not chosen:
            self.refresh()
            return
        self._ask(words.SERIES_SHOWN, series=chosen)

    def _choose_at_contact(self) -> None:
        request = self._state.request
        self._ask(words.AT_CONTACT, x=at_contact_name(request.x), y=at_contact_name(request.y))

    def _choose_marks(self) -> None:
        self._ask(words.MARKS_BY, marks=self.marks.currentData())
