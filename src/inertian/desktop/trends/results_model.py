"""The table of results as rows and cells: trials under the name of their series, sorted and
filtered without touching the data.
"""

from collections.abc import Mapping
from dataclasses import dataclass
from typing import Any

from PyQt6.QtCore import QAbstractTableModel, QModelIndex, Qt, pyqtSignal
from PyQt6.QtGui import QBrush, QColor, QFont

from inertian.analysis.results.apart import values_apart
from inertian.analysis.results.results_table import ResultRow, ResultsTable, shown_columns
from inertian.analysis.results.trial_values import ColumnKind
from inertian.desktop.look import words
from inertian.desktop.look.number_format import rich, without_markup
from inertian.desktop.look.theme import decimal_mark, font
from inertian.desktop.look.tokens import Theme
from inertian.project.trend_requests import Column, Trends
from inertian.project.variables import variable_names, written_variable
from inertian.report.results import (
    title_of,
    unit_of_column,
    written_cell,
)

NO_INDEX = QModelIndex()


@dataclass(frozen=True)
class SeriesLine:
    """The line over the trials of a series."""

    name: str
    count: int


Line = SeriesLine | ResultRow


class ResultsModel(QAbstractTableModel):
    """Lines and columns of the table; the first column holds the trial, the last why it is set
    aside.
    """

    typed = pyqtSignal(str, str, str)  # trial, variable, and what was typed

    def __init__(self, theme: Theme) -> None:
        super().__init__()
        self._theme = theme
        self.table: ResultsTable | None = None
        self.columns: tuple[Column, ...] = ()
        self.lines: list[Line] = []
        self.chosen = ""  # the trial in hand
        self.apart: dict[str, Mapping[str, str]] = {}
        self._trends = Trends()
        self._texts: dict[tuple[str, str], str] = {}

    # -- what is shown -----------------------------------------------------------------------------

    def show_table(self, table: ResultsTable, trends: Trends) -> None:
        """Show a table, its columns chosen, its rows sorted and filtered."""
        self.beginResetModel()
        self.table, self._trends = table, trends
        self.columns = self._with_variables(table, shown_columns(table, trends.columns))
        self._texts = {}
        self.lines = self._in_lines(table, trends)
        self.apart = {c.name: values_apart(table.rows, c.name) for c in self.columns}
        self.endResetModel()

    @staticmethod
    def _with_variables(table: ResultsTable, columns: tuple[Column, ...]) -> tuple[Column, ...]:
        """Columns, and before them variables that are not among them though they were typed."""
        if not table.rows:
            return columns
        typed = variable_names(table.rows[0].project)
        known = {c.name for c in columns}
        chosen = table.rows[0].project.trends.columns
        if any(not c.formula for c in chosen):
            return columns
        return (*(Column(n) for n in typed if n not in known), *columns)

    def _in_lines(self, table: ResultsTable, trends: Trends) -> list[Line]:
        wanted = trends.contains.casefold().split()
        groups: dict[str, list[ResultRow]] = {}
        for row in table.rows:
            if not wanted or all(part in self._searched(row) for part in wanted):
                groups.setdefault(row.entry.series, []).append(row)
        lines: list[Line] = []
        for name, own in groups.items():
            if trends.sorted_by:
                own.sort(
                    key=lambda r: _key(r, trends.sorted_by, trends.descending),
                    reverse=trends.descending,
                )
            if len(groups) > 1:
                lines.append(SeriesLine(name, len(own)))
            lines += own
        return lines

    def _searched(self, row: ResultRow) -> str:
        cells = (self._text(row, c) for c in self.columns)
        entry = row.entry
        return " ".join([entry.trial.name, entry.series, entry.apart or "", *cells]).casefold()

    def replace_row(self, table: ResultsTable, trial: str) -> None:
        """Show one row as it is now; the others stay."""
        self.table = table
        for place, line in enumerate(self.lines):
            if isinstance(line, ResultRow) and line.trial == trial:
                self.lines[place] = table.by_trial[trial]
                self._texts = {k: t for k, t in self._texts.items() if k[0] != trial}
                self.dataChanged.emit(
                    self.index(place, 0), self.index(place, self.columnCount() - 1)
                )

    def row_at(self, place: int) -> ResultRow | None:
        """Return the row of a line; None for that of a series."""
        line = self.lines[place] if 0 <= place < len(self.lines) else None
        return line if isinstance(line, ResultRow) else None

    def choose(self, trial: str) -> None:
        """Tint the row of the trial in hand."""
        places = {self.place_of(self.chosen), self.place_of(trial)} - {-1}
        self.chosen = trial
        for place in places:
            self.dataChanged.emit(self.index(place, 0), self.index(place, self.columnCount() - 1))

    def place_of(self, trial: str) -> int:
        """Return the line of a trial, −1 if it is not shown."""
        for place, line in enumerate(self.lines):
            if isinstance(line, ResultRow) and line.trial == trial:
                return place
        return -1

    def column_at(self, section: int) -> Column | None:
        """Return the column of a section, None for the first and the last."""
        return self.columns[section - 1] if 0 < section <= len(self.columns) else None

    def typed_here(self, column: Column) -> bool:
        """Return whether the cells of a column are typed: those of variables."""
        assert self.table is not None
        offered = self.table.offered.get(column.name)
        return not column.formula and (offered is None or offered.kind is ColumnKind.VARIABLE)

    # -- for Qt ------------------------------------------------------------------------------------

    def rowCount(self, parent: QModelIndex = NO_INDEX) -> int:
        """Qt: how many lines."""
        return 0 if parent.isValid() else len(self.lines)

    def columnCount(self, parent: QModelIndex = NO_INDEX) -> int:
        """Qt: how many columns."""
        return 0 if parent.isValid() else len(self.columns) + 2

    def headerData(
        self, section: int, orientation: Qt.Orientation, role: int = Qt.ItemDataRole.DisplayRole
    ) -> Any:
        """Qt: titles with units."""
        if orientation is not Qt.Orientation.Horizontal or self.table is None:
            return None
        column = self.column_at(section)
        if role == Qt.ItemDataRole.DisplayRole:
            if column is None:
                return words.TRIAL_COLUMN if section == 0 else words.ASIDE_COLUMN
            arrow = ""
            if column.name == self._trends.sorted_by:
                arrow = " ↓" if self._trends.descending else " ↑"
            # The unit has a line of its own, so that none is broken in two
            name, unit = column.title or column.name, self.unit_of(column)
            return f"{name}\n({unit}){arrow}" if unit else name + arrow
        if role == Qt.ItemDataRole.TextAlignmentRole:
            right = column is not None and self._numeric(column)
            across = Qt.AlignmentFlag.AlignRight if right else Qt.AlignmentFlag.AlignLeft
            return int(across | Qt.AlignmentFlag.AlignBottom | Qt.TextFlag.TextWordWrap)
        if role == Qt.ItemDataRole.ToolTipRole and column is not None:
            return f"{column.name}\n{column.formula}".strip()
        return None

    def _numeric(self, column: Column) -> bool:
        values = [r.values.get(column.name) for r in self.table.rows] if self.table else []
        return any(v is not None and v.scalar is not None for v in values)

    def flags(self, index: QModelIndex) -> Qt.ItemFlag:
        """Qt: what may be selected and typed."""
        row, column = self.row_at(index.row()), self.column_at(index.column())
        if row is None:
            return Qt.ItemFlag.ItemIsEnabled
        found = Qt.ItemFlag.ItemIsEnabled | Qt.ItemFlag.ItemIsSelectable
        if column is not None and self.typed_here(column):
            found |= Qt.ItemFlag.ItemIsEditable
        return found

    def setData(self, index: QModelIndex, value: Any, role: int = Qt.ItemDataRole.EditRole) -> bool:
        """Qt: ask for what was typed to be set."""
        row, column = self.row_at(index.row()), self.column_at(index.column())
        if row is None or column is None or role != Qt.ItemDataRole.EditRole:
            return False
        if str(value) == self._typed(row, column):
            return False
        self.typed.emit(row.trial, column.name, str(value))
        return True

    def data(self, index: QModelIndex, role: int = Qt.ItemDataRole.DisplayRole) -> Any:
        """Qt: the text of a cell, and how it looks."""
        line = self.lines[index.row()]
        if isinstance(line, SeriesLine):
            return self._of_series(line, index.column(), role)
        column = self.column_at(index.column())
        match role:
            case Qt.ItemDataRole.DisplayRole:
                return self._shown(line, index.column(), column)
            case Qt.ItemDataRole.EditRole:
                return self._typed(line, column)
            case Qt.ItemDataRole.TextAlignmentRole:
                return self._aligned(line, column)
            case Qt.ItemDataRole.BackgroundRole:
                chosen = line.trial == self.chosen
                return QBrush(QColor(self._theme.hover)) if chosen else None
            case Qt.ItemDataRole.ForegroundRole:
                return self._colour(line, column)
            case Qt.ItemDataRole.FontRole:
                return self._font(line, column)
            case Qt.ItemDataRole.ToolTipRole:
                return self._tip(line, column)
        return None

    def _of_series(self, line: SeriesLine, section: int, role: int) -> Any:
        if role == Qt.ItemDataRole.DisplayRole and section == 0:
            return words.SERIES_ROW.format(name=line.name, count=line.count)
        if role == Qt.ItemDataRole.FontRole:
            return font(weight=QFont.Weight.DemiBold)
        return None

    def _shown(self, row: ResultRow, section: int, column: Column | None) -> str:
        if column is None:
            return row.entry.trial.name if section == 0 else row.entry.apart or ""
        text = self._text(row, column)
        return f"! {text}" if row.trial in self.apart.get(column.name, {}) else text

    def _text(self, row: ResultRow, column: Column) -> str:
        key = (row.trial, column.name)
        if key not in self._texts:
            assert self.table is not None
            self._texts[key] = written_cell(self.table, row, column, decimal_mark())
        return self._texts[key]

    @staticmethod
    def _typed(row: ResultRow, column: Column | None) -> str:
        typed = dict(row.entry.variables).get(column.name) if column is not None else None
        return "" if typed is None else written_variable(typed)

    @staticmethod
    def _aligned(row: ResultRow, column: Column | None) -> int:
        value = row.values.get(column.name) if column is not None else None
        right = value is not None and value.scalar is not None
        across = Qt.AlignmentFlag.AlignRight if right else Qt.AlignmentFlag.AlignLeft
        return int(across | Qt.AlignmentFlag.AlignVCenter)

    def _colour(self, row: ResultRow, column: Column | None) -> QBrush | None:
        if row.entry.apart is not None:
            return QBrush(QColor(self._theme.disabled))
        if column is not None and row.trial in self.apart.get(column.name, {}):
            return QBrush(QColor(self._theme.alarm))
        return None

    def _font(self, row: ResultRow, column: Column | None) -> QFont | None:
        if row.entry.apart is None or column is None:
            return None
        made = font()
        made.setStrikeOut(True)
        return made

    def _tip(self, row: ResultRow, column: Column | None) -> str | None:
        if self.table is None:
            return None
        if column is None:
            return row.entry.trial.name
        value, lines = row.values.get(column.name), [title_of(self.table, column)]
        if value is None:
            why = row.refused.get(column.name) or row.refused.get("")
            return why
        why = self.apart.get(column.name, {}).get(row.trial)
        if why:
            lines.append(why)
        if value.scalar is not None and value.scalar.u > 0.0:
            lines.append(without_markup(rich(self._text(row, column))))
            lines.append(words.CELL_INTERVAL)
        return "\n".join(lines)

    # -- copying -----------------------------------------------------------------------------------

    def title_at(self, section: int) -> str:
        """Return the title of a section in one line, with its unit."""
        column = self.column_at(section)
        if column is None or self.table is None:
            return words.TRIAL_COLUMN if section == 0 else words.ASIDE_COLUMN
        return title_of(self.table, column)

    def unit_of(self, column: Column) -> str:
        """Return the unit that a column is shown in."""
        assert self.table is not None
        return unit_of_column(self.table, column)


def _key(row: ResultRow, name: str, descending: bool) -> tuple[int, float, str]:
    """What rows are sorted by: numbers, then words, then what has nothing."""
    value = row.values.get(name)
    last = -1 if descending else 2
    if value is None:
        return last, 0.0, ""
    if value.scalar is None:
        return (1 if not descending else 0), 0.0, value.text.casefold()
    return (0 if not descending else 1), value.scalar.value, ""
