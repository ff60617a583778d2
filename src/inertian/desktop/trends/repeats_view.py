"""Repeats on the screen: trials with equal settings, pooled, a line for each setting."""

from dataclasses import replace
from typing import TYPE_CHECKING

from PyQt6.QtCore import Qt
from PyQt6.QtWidgets import (
    QAbstractItemView,
    QHBoxLayout,
    QTableWidget,
    QTableWidgetItem,
    QVBoxLayout,
    QWidget,
)

from inertian.analysis.results.trial_values import ColumnKind
from inertian.desktop.look import words
from inertian.desktop.look.labels import DropDown, label
from inertian.desktop.look.number_format import (
    chance,
    format_estimate,
    format_number,
    without_markup,
)
from inertian.desktop.look.tokens import Theme
from inertian.desktop.state.document import Document
from inertian.desktop.state.trends_state import TrendsState
from inertian.desktop.trends.results_view import ColumnHeader
from inertian.project.trend_edits import trend_chosen
from inertian.quantities.errors import InertianError
from inertian.report.trend import si_unit

if TYPE_CHECKING:
    from inertian.analysis.trends.line_fit import TrendError
    from inertian.analysis.trends.repeats import Repeats

MORE, LESS = 0.05, 0.99  # p, beyond which scatter is more, or less, than the ± say
NUMERIC_WIDTH = 96


class RepeatsView(QWidget):
    """Pools the column shown up by the column that points are told apart by."""

    def __init__(self, document: Document, theme: Theme, state: TrendsState) -> None:
        super().__init__()
        self._document, self._state, self._unit = document, state, ""
        state.pooled.connect(self._show)
        self.of, self.by = DropDown(theme), DropDown(theme)
        self.of.setAccessibleName(words.REPEATS_OF)
        self.by.setAccessibleName(words.REPEATS_BY)
        self.of.activated.connect(self.refresh)
        self.by.activated.connect(self._choose_by)
        row = QHBoxLayout()
        row.setContentsMargins(8, 6, 8, 4)
        for part in (label(words.REPEATS_OF, "soft"), self.of, label(words.REPEATS_BY, "soft")):
            row.addWidget(part)
        row.addWidget(self.by)
        row.addStretch(1)
        self.table = QTableWidget(0, len(words.REPEATS_HEADS))
        self.table.setObjectName("resultsTable")
        self.table.setHorizontalHeader(ColumnHeader(self.table))
        self.table.horizontalHeader().setSectionsMovable(False)
        self.table.setHorizontalHeaderLabels(words.REPEATS_HEADS)
        self.table.verticalHeader().hide()
        self.table.setShowGrid(False)
        self.table.setEditTriggers(QAbstractItemView.EditTrigger.NoEditTriggers)
        for k, tip in enumerate(words.REPEATS_TIPS):
            self.table.horizontalHeaderItem(k).setToolTip(tip)
        column = QVBoxLayout(self)
        column.setContentsMargins(0, 0, 0, 0)
        column.addLayout(row)
        column.addWidget(self.table, 1)

    def refresh(self) -> None:
        """Show the repeats as they are now."""
        table, request = self._state.table, self._state.request
        if table is None or not self.isVisible():
            return
        numbers = [
            n
            for n, one in table.offered.items()
            if one.kind is not ColumnKind.FACT
            and any(r.values[n].scalar is not None for r in table.rows if n in r.values)
        ]
        _offer(self.of, [(n, n) for n in numbers], self.of.currentData() or request.y)
        groups = [n for n, o in table.offered.items() if o.kind is ColumnKind.VARIABLE]
        _offer(self.by, [("", words.REPEATS_ALL), *((n, n) for n in groups)], request.marks)
        name = self.of.currentData()
        if name is None:
            self.table.setRowCount(0)
            return
        self._unit = si_unit(table.offered[name].unit)
        self._state.pool(name, self.by.currentData() or "", request.series)

    def _show(self, found: "dict[str, Repeats | TrendError]") -> None:
        self.table.setRowCount(len(found))
        for place, (setting, one) in enumerate(found.items()):
            if isinstance(one, InertianError):
                cells = [setting or words.REPEATS_ALL, str(one)]
            else:
                cells = _cells(one, setting or words.REPEATS_ALL, self._unit)
            for k, text in enumerate(cells):
                item = QTableWidgetItem(text)
                right = 0 < k < len(cells) and k != len(cells) - 2
                across = Qt.AlignmentFlag.AlignRight if right else Qt.AlignmentFlag.AlignLeft
                item.setTextAlignment(across | Qt.AlignmentFlag.AlignVCenter)
                self.table.setItem(place, k, item)
        self.table.resizeColumnsToContents()
        for k in range(1, self.table.columnCount()):
            self.table.setColumnWidth(k, max(self.table.columnWidth(k), NUMERIC_WIDTH // 2))

    def _choose_by(self) -> None:
        request = replace(self._state.request, marks=self.by.currentData())
        self._document.do(trend_chosen(self._document.committed, request, words.MARKS_BY))


def _cells(one: "Repeats", setting: str, unit: str) -> list[str]:
    def number(value: float | None) -> str:
        if value is None:
            return words.SCATTER_NONE
        return without_markup(f"{format_number(value, 2)} {unit}".strip())

    scatter = words.SCATTER_NONE
    if one.p is not None:
        word = (
            words.SCATTER_MORE
            if one.p < MORE
            else words.SCATTER_LESS
            if one.p > LESS
            else words.SCATTER_AS
        )
        scatter = word.format(p=chance(one.p))
    return [
        setting,
        str(one.n),
        without_markup(format_estimate(one.mean.value, one.mean.u, unit)),
        number(one.u_own),
        number(one.u_shared),
        number(one.spread),
        number(one.standard_error),
        number(one.u_of_one),
        scatter,
        without_markup(format_estimate(one.median.value, one.median.u, unit)),
    ]


def _offer(choice: DropDown, items: list[tuple[str, str]], wanted: str) -> None:
    """Offer items, with one of them chosen."""
    if [choice.itemData(k) for k in range(choice.count())] != [data for data, _ in items]:
        choice.clear()
        for data, text in items:
            choice.addItem(text, data)
    choice.setCurrentIndex(max(choice.findData(wanted), 0 if items else -1))
