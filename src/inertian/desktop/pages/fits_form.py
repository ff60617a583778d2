"""Curves fitted over spans: chosen by picture and formula, their parameters with ±, and what the
residuals say.
"""

from collections.abc import Callable
from dataclasses import replace
from functools import partial
from typing import Any

import numpy as np
from PyQt6.QtCore import QPointF, QSize, Qt
from PyQt6.QtGui import QColor, QIcon, QPainter, QPen, QPixmap, QPolygonF
from PyQt6.QtWidgets import (
    QCheckBox,
    QGridLayout,
    QLineEdit,
    QMenu,
    QPushButton,
    QToolButton,
    QVBoxLayout,
    QWidget,
)

from inertian.desktop.look import words
from inertian.desktop.look.labels import label
from inertian.desktop.look.number_format import format_estimate as written
from inertian.desktop.look.number_format import format_number, unbroken
from inertian.desktop.look.theme import decimal_mark
from inertian.desktop.look.tokens import Theme
from inertian.desktop.state.document import Document
from inertian.desktop.state.view_state import ViewState
from inertian.motion.fits.curve_shapes import SHAPE_DEFINITIONS, CurveShape, shape_definition
from inertian.physics.definitions.requests import CurveRequest
from inertian.physics.readings.readings import CurveResult
from inertian.project.history import Edit
from inertian.project.marking_edits import curve_added, curves_removed
from inertian.project.project import Entry
from inertian.quantities.errors import InertianError
from inertian.quantities.facts import parse_fact
from inertian.quantities.rounding import write_shortest
from inertian.quantities.units import unit_of

PICTURES = {
    CurveShape.CONSTANT: (0.5,),
    CurveShape.LINE: (0.15, 0.7),
    CurveShape.PARABOLA: (0.1, 2.8, -5.6),
    CurveShape.CUBIC: (0.1, 4.4, -19.2, 38.4),
    CurveShape.SINE: (0.5, 0.4, 0.5, 0.0),
    CurveShape.DAMPED: (0.5, 0.5, 0.28, 1.57, 0.35),
    CurveShape.EXPONENTIAL: (0.08, 0.85, 0.3),
    CurveShape.POWER: (0.1, 0.8, 2.2),
}
SIZE = QSize(40, 22)


def picture(theme: Theme, shape: CurveShape) -> QIcon:
    """Return a small picture of a shape."""
    pixmap = QPixmap(SIZE * 2)
    pixmap.setDevicePixelRatio(2.0)
    pixmap.fill(Qt.GlobalColor.transparent)
    painter = QPainter(pixmap)
    painter.setRenderHint(QPainter.RenderHint.Antialiasing)
    painter.setPen(QPen(QColor(theme.ink), 1.5))
    t = np.linspace(0.0, 1.0, 60)
    y = SHAPE_DEFINITIONS[shape].curve(t, *PICTURES[shape]) + 0 * t
    painter.drawPolyline(
        QPolygonF([QPointF(2 + 36 * a, 20 - 18 * b) for a, b in zip(t, y, strict=True)])
    )
    painter.end()
    return QIcon(pixmap)


class FitsForm(QWidget):
    """Lets a curve be fitted over the span in hand and shows all fits of the trial."""

    def __init__(
        self, document: Document, theme: Theme, view: ViewState, span_in_hand: Callable[[], str]
    ) -> None:
        super().__init__()
        self._document, self._theme, self._view, self._span_in_hand = (
            document,
            theme,
            view,
            span_in_hand,
        )
        self._built: tuple[object, ...] = ()
        self.results: list[tuple[CurveRequest, dict[str, Any]]] = []
        column = QVBoxLayout(self)
        column.setContentsMargins(0, 6, 0, 0)
        column.setSpacing(4)
        column.addWidget(label(words.FITS, "heading"))
        self.fit = QPushButton()
        self.fit.clicked.connect(
            lambda: self.menu().exec(self.fit.mapToGlobal(self.fit.rect().bottomLeft()))
        )
        self.formula = QLineEdit()
        self.formula.setPlaceholderText(words.FORMULA_HINT)
        self.formula.setAccessibleName(words.OWN_FORMULA)
        self.formula.returnPressed.connect(
            lambda: self.ask(CurveShape.FORMULA, self.formula.text().strip())
        )
        self.formula.hide()
        self.trouble = label("", "alarm")
        self.trouble.setWordWrap(True)
        self.trouble.hide()
        self.none = label(words.FITS_NONE, "soft")
        self.none.setWordWrap(True)
        self.robust = QCheckBox(words.ROBUST)
        self.robust.setToolTip(words.ROBUST_TIP)
        for part in (self.fit, self.robust, self.formula, self.trouble, self.none):
            column.addWidget(part)
        self._list = QVBoxLayout()
        self._list.setSpacing(8)
        column.addLayout(self._list)

    def menu(self) -> QMenu:
        """Return the menu of shapes, each with a small picture and its formula."""
        menu = QMenu(self)
        for shape, form in SHAPE_DEFINITIONS.items():
            action = menu.addAction(picture(self._theme, shape), f"{shape}:  y = {form.formula}")
            action.triggered.connect(lambda _checked, shape=shape: self.ask(shape))
        menu.addAction(words.OWN_FORMULA).triggered.connect(self.type_formula)
        menu.setStyleSheet(f"QMenu {{ icon-size: {SIZE.width()}px; }}")
        return menu

    def type_formula(self) -> None:
        """Ask for a formula."""
        self.formula.show()
        self.formula.setFocus()

    def ask(self, shape: CurveShape, formula: str = "") -> None:
        """Fit a shape to the quantity and body in hand over the span in hand."""
        entry, name = self._document.entry, self._span_in_hand()
        shown, body = self._view.in_hand()
        if entry is None or shown is None or not name:
            self._complain(words.NOT_A_SPAN)
            return
        request = CurveRequest(shown, body, name, shape, (), formula, self.robust.isChecked())
        self._do(curve_added(self._document.committed, entry.trial.id, request), shape)

    def _do(self, edit: Edit, shape: CurveShape) -> None:
        entry = edit.project.entry(self._document.entry.trial.id)
        found = self._document.evaluator.curves(edit.project, entry)
        trouble = next((r for r in found[-1:] if isinstance(r, InertianError)), None)
        self._complain(str(trouble) if trouble else "")
        if trouble is None:
            self._document.do(edit)

    def _complain(self, why: str) -> None:
        self.trouble.setText(why)
        self.trouble.setVisible(bool(why))

    # -- showing -----------------------------------------------------------------------------------

    def refresh(self) -> None:
        """Show all fits of the trial in hand as they are now."""
        entry = self._document.entry
        if entry is None:
            return
        name = self._span_in_hand()
        self.fit.setText(words.FIT_BUTTON.format(name=name) if name else words.NOT_A_SPAN)
        self.fit.setEnabled(bool(name))
        self.none.setVisible(not entry.curves)
        key = (entry.trial.id, entry.curves)
        if key != self._built:
            self._built = key
            self._build(entry)
        found = self._document.evaluator.curves(self._document.project, entry)
        for (request, parts), result in zip(self.results, found, strict=True):
            self._show(request, parts, result)

    def _build(self, entry: Entry) -> None:
        while self._list.count():
            widget = self._list.takeAt(0).widget()
            widget.hide()
            widget.deleteLater()
        self.results = []
        for request in entry.curves:
            box, parts = self._box(request)
            self._list.addWidget(box)
            self.results.append((request, parts))

    def _box(self, request: CurveRequest) -> tuple[QWidget, dict[str, Any]]:
        box = QWidget()
        parts: dict[str, Any] = {}
        grid = QGridLayout(box)
        grid.setContentsMargins(0, 0, 0, 0)
        grid.setHorizontalSpacing(6)
        grid.setVerticalSpacing(1)
        grid.setColumnStretch(1, 1)
        body = request.body or words.ALL_BODIES
        form = shape_definition(request.shape, request.formula)
        name = request.formula or request.shape
        name = words.ROBUSTLY.format(shape=name) if request.robust else name
        title = label(words.FIT_TITLE.format(shape=name, span=request.span, body=body))
        title.setTextFormat(Qt.TextFormat.PlainText)
        title.setWordWrap(True)
        title.setToolTip(f"{words.strip_title(request.shown)}: y = {form.formula}")
        gone = QToolButton()
        gone.setText("×")
        gone.setProperty("role", "small")
        gone.setToolTip(words.FIT_GONE)
        gone.setAccessibleName(words.FIT_GONE)
        gone.clicked.connect(partial(self._remove, request))
        grid.addWidget(title, 0, 0, 1, 2)
        grid.addWidget(gone, 0, 2)
        row = 1
        for parameter in form.parameters:
            said = words.parameter_said(parameter, request.shown.quantity)
            symbol = label(said, "small")
            symbol.setWordWrap(True)
            symbol.setToolTip(said)
            parts |= self._parameter_parts(request, parameter.symbol)
            grid.addWidget(symbol, row, 0, 1, 3)
            grid.addWidget(parts[parameter.symbol], row + 1, 0, 1, 2)
            grid.addWidget(parts[f"hold {parameter.symbol}"], row + 1, 2)
            row += 2
        for name in ("remark", "chi", "r2", "reach"):
            parts[name] = label("", "small")
            parts[name].setWordWrap(True)
            grid.addWidget(parts[name], row, 0, 1, 3)
            row += 1
        parts["together"] = QPushButton(words.SAME_IN_ALL)
        parts["together"].setProperty("role", "quiet")
        parts["together"].setToolTip(words.TOGETHER_TITLE)
        parts["together"].clicked.connect(partial(self.take_together, request))
        grid.addWidget(parts["together"], row, 0, 1, 3, Qt.AlignmentFlag.AlignRight)
        return box, parts

    def _parameter_parts(self, request: CurveRequest, symbol: str) -> dict[str, Any]:
        """The value of one parameter, or the field of a held one, and the ring that holds it."""
        held = dict(request.held)
        if symbol in held:
            value: Any = QLineEdit(write_shortest(held[symbol], 7, decimal_mark()))
            value.setAccessibleName(f"{symbol} {words.FIT_HELD}")
            value.returnPressed.connect(partial(self._hold_at, request, symbol, value))
        else:
            value = label("")
            value.setAlignment(Qt.AlignmentFlag.AlignRight)
            value.setWordWrap(True)
            value.setTextInteractionFlags(Qt.TextInteractionFlag.TextSelectableByMouse)
        hold = QToolButton()
        hold.setCheckable(True)
        hold.setChecked(symbol in held)
        hold.setText("●" if symbol in held else "○")
        hold.setProperty("role", "small")
        hold.setToolTip(words.FIT_HOLD)
        hold.setAccessibleName(f"{words.FIT_HOLD}: {symbol}")
        hold.clicked.connect(partial(self._hold, request, symbol))
        return {symbol: value, f"hold {symbol}": hold}

    def take_together(self, request: CurveRequest) -> None:
        """Show the same curve in all trials of the series, and the common values of its
        parameters.
        """
        from inertian.desktop.pages.combined_parameters_dialog import CombinedParametersDialog

        entry = self._document.entry
        if entry is not None:
            self.together = CombinedParametersDialog(
                self, self._document.committed, entry.series, request
            )
            self.together.setAttribute(Qt.WidgetAttribute.WA_DeleteOnClose)
            self.together.open()

    def _show(
        self, request: CurveRequest, parts: dict[str, Any], result: CurveResult | InertianError
    ) -> None:
        if isinstance(result, InertianError):
            parts["remark"].setText(str(result))
            for name in ("chi", "r2"):
                parts[name].setText("")
            return
        entry = self._document.entry
        parts["together"].setVisible(len(self._document.project.entries_of(entry.series)) > 1)
        held = dict(request.held)
        quantity = request.shown.quantity
        meanings = {
            p.symbol: words.parameter_said(p, quantity)
            for p in shape_definition(request.shape, request.formula).parameters
        }
        for symbol, scalar in result.parameters:
            if symbol not in held:
                parts[symbol].setText(
                    unbroken(written(scalar.value, scalar.u, result.units[symbol]))
                )
                parts[symbol].setToolTip(meanings[symbol])
        fit, unit = result.fit, self._view.unit(request.shown.unit)
        if result.chi_squared is None:
            scatter = (
                f"{format_number(self._view.factor(request.shown.unit) * fit.scatter, 2)} {unit}"
            )
            parts["chi"].setText(words.FIT_SCATTER.format(scatter=scatter, dof=fit.dof))
        else:
            parts["chi"].setText(
                words.FIT_CHI.format(chi=format_number(result.chi_squared, 3), dof=fit.dof)
            )
        parts["remark"].setText(result.remark)
        parts["reach"].setText(words.REACH if np.isfinite(result.spread) else "")
        parts["r2"].setText(
            words.FIT_R2.format(r2=f"{fit.r_squared:.6f}".replace(".", decimal_mark()))
        )

    # -- asking for edits --------------------------------------------------------------------------

    def _remove(self, request: CurveRequest) -> None:
        self._document.do(
            curves_removed(self._document.committed, self._document.entry.trial.id, [request])
        )

    def _hold(self, request: CurveRequest, symbol: str, on: bool) -> None:
        entry = self._document.entry
        results = self._document.evaluator.curves(self._document.project, entry)
        result = results[entry.curves.index(request)]
        held = {s: v for s, v in request.held if s != symbol}
        if on and not isinstance(result, InertianError):
            held[symbol] = dict(result.parameters)[symbol].value
        self._do(self._with_held(request, held), request.shape)

    def _hold_at(self, request: CurveRequest, symbol: str, field: QLineEdit) -> None:
        try:
            value = parse_fact(field.text(), "number", unit_of("number", "")).si
        except InertianError as error:
            self._complain(str(error))
            return
        self._do(self._with_held(request, {**dict(request.held), symbol: value}), request.shape)

    def _with_held(self, request: CurveRequest, held: dict[str, float]) -> Edit:
        changed = replace(request, held=tuple(held.items()))
        return curve_added(self._document.committed, self._document.entry.trial.id, changed)
