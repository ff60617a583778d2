"""The accounts of a model beside those of the samples, and slopes over spans, as text."""

import html
import math

from PyQt6.QtCore import Qt
from PyQt6.QtWidgets import QLabel, QScrollArea

from inertian.analysis.models.model_results import ModelResult
from inertian.desktop.look import words
from inertian.desktop.look.number_format import format_estimate, format_number, rich
from inertian.desktop.look.tokens import Theme
from inertian.desktop.state.models_state import ModelsState
from inertian.models.fitting.accounts import ENERGY, ModelLedger
from inertian.models.fitting.slopes_over_spans import compared_slopes
from inertian.quantities.coverage import Scalar
from inertian.quantities.errors import InertianError
from inertian.report.model import explained, has_energy

GAP = 20  # px between columns


class _Text(QScrollArea):
    def __init__(self, theme: Theme, state: ModelsState) -> None:
        super().__init__()
        self.setWidgetResizable(True)
        self._theme, self._state = theme, state
        self.text = QLabel()
        self.text.setTextFormat(Qt.TextFormat.RichText)
        self.text.setAlignment(Qt.AlignmentFlag.AlignTop | Qt.AlignmentFlag.AlignLeft)
        self.text.setTextInteractionFlags(Qt.TextInteractionFlag.TextSelectableByMouse)
        self.text.setContentsMargins(16, 8, 16, 8)
        self.text.setObjectName("ledgerBody")
        self.setWidget(self.text)


class AccountView(_Text):
    """The accounts of the model in hand: a column for the model, one for the samples."""

    def refresh(self) -> None:
        """Show the accounts as they are known."""
        result = self._state.result
        if result is None:
            self.text.setText("")
            return
        if not has_energy(result):
            self.text.setText(words.MODEL_NO_MASS)
            return
        laws = list(dict.fromkeys(one.law for one in result.ledgers))
        tables = [self._table(law, [x for x in result.ledgers if x.law == law]) for law in laws]
        self.text.setText("<br>".join(tables))

    def _table(self, law: str, ledgers: list[ModelLedger]) -> str:
        unit = ledgers[0].unit
        rows = [
            _row([f"<b>{html.escape(law.capitalize())}</b>", *words.MODEL_ACCOUNT_HEADS[1:]], True)
        ]
        own = {one.of: one for one in ledgers}
        names = [name for name, _ in ledgers[0].entries]
        shown = {of: _lines(one) for of, one in own.items()}
        for title in (words.MODEL_OPENING, *names, words.MODEL_CLOSING, words.MODEL_LEFT_OVER):
            cells = [html.escape(title)]
            cells += [
                _said(shown[of][title], unit) if of in own else "" for of in ("model", "data")
            ]
            rows.append(_row(cells, title == words.MODEL_LEFT_OVER))
        table = f"<table cellspacing='0' cellpadding='2'>{''.join(rows)}</table>"
        said = [rich(line) for one in ledgers if law == ENERGY for line in explained(one)]
        return table + "<br>".join(said) + ("<br>" if said else "")


def _lines(one: ModelLedger) -> dict[str, Scalar]:
    return {
        words.MODEL_OPENING: one.opening,
        **dict(one.entries),
        words.MODEL_CLOSING: one.closing,
        words.MODEL_LEFT_OVER: one.unaccounted,
    }


def _row(cells: list[str], strong: bool) -> str:
    opened, closed = ("<b>", "</b>") if strong else ("", "")
    parts = [f"<td style='padding-right:{GAP}px'>{opened}{c}{closed}</td>" for c in cells]
    return f"<tr>{''.join(parts)}</tr>"


def _said(one: Scalar, unit: str) -> str:
    if not math.isfinite(one.value):
        return "—"
    if one.u == 0.0:
        return f"{format_number(one.value, 2)} {unit}"
    return format_estimate(one.value, one.u, unit)


class SlopesView(_Text):
    """Slopes of the samples and of the model in hand over all spans it runs through."""

    def refresh(self) -> None:
        """Show the slopes as they are known."""
        result = self._state.result
        lines = _slopes(result) if result is not None else []
        self.text.setText("<br>".join(lines) if lines else words.MODEL_NO_SPANS)


def _slopes(result: ModelResult) -> list[str]:
    lines = []
    for span in result.entry.spans.in_order():
        if span.kind.moment:
            continue
        try:
            found = compared_slopes(result.fit, result.place, span.start, span.stop)
        except InertianError:
            continue
        for one in found:
            lines.append(
                html.escape(words.MODEL_SLOPE_LINE, quote=False).format(
                    span=html.escape(span.name),
                    body=html.escape(one.body),
                    axis=one.axis,
                    data=format_estimate(one.data.value, one.data.u, "m/s"),
                    model=format_estimate(one.model.value, one.model.u, "m/s"),
                    apart=format_number(one.apart, 2),
                )
            )
    return lines
