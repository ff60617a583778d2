"""The table of results on the screen: typed in, pasted into, filled down, copied; its columns
moved, renamed, hidden, and shown in other units.
"""

import html
from collections.abc import Callable
from dataclasses import replace

from PyQt6.QtCore import QMimeData, QModelIndex, QPoint, QSize, Qt, pyqtSignal
from PyQt6.QtGui import QAction, QFont, QKeyEvent
from PyQt6.QtWidgets import (
    QAbstractItemView,
    QApplication,
    QHeaderView,
    QInputDialog,
    QMenu,
    QTableView,
    QWidget,
)

from inertian.desktop.look import words
from inertian.desktop.look.theme import font
from inertian.desktop.look.tokens import SMALL, Theme
from inertian.desktop.state.document import Document
from inertian.desktop.trends.results_model import ResultsModel, SeriesLine
from inertian.project.history import Edit
from inertian.project.trend_edits import column_changed, columns_chosen, with_trends
from inertian.project.trend_requests import Column
from inertian.project.variables import (
    cells_emptied,
    cells_filled_down,
    cells_pasted,
    trials_apart,
    variable_removed,
    variables_set,
)
from inertian.quantities.dimensions import parse_unit
from inertian.quantities.errors import InertianError
from inertian.quantities.expressions import FormulaError
from inertian.quantities.units import plain_units

ROW_HEIGHT, HEADER_LINES, LEAST_WIDTH, MOST_WIDTH = 24, 3, 92, 190
NAME_WIDTH = 120
COMPOUND_UNITS = ("m/s", "cm/s", "mm/s", "km/h", "m/s²", "cm/s²", "kg·m/s", "rad/s")


class ColumnHeader(QHeaderView):
    """Titles that wrap, and can be dragged to another place."""

    def __init__(self, parent: QWidget) -> None:
        super().__init__(Qt.Orientation.Horizontal, parent)
        self.setDefaultAlignment(
            Qt.AlignmentFlag.AlignLeft | Qt.AlignmentFlag.AlignBottom | Qt.TextFlag.TextWordWrap
        )
        self.setSectionsMovable(True)
        self.setSectionsClickable(True)
        self.setHighlightSections(False)
        self.setContextMenuPolicy(Qt.ContextMenuPolicy.CustomContextMenu)
        self.setFont(font(SMALL, QFont.Weight.Medium))

    def sizeHint(self) -> QSize:
        """Qt: room for three lines."""
        return QSize(
            super().sizeHint().width(), HEADER_LINES * self.fontMetrics().lineSpacing() + 8
        )


class ResultsView(QTableView):
    """Shows the table and asks for edits."""

    spoken = pyqtSignal(str)
    trial_wanted = pyqtSignal(str)
    trial_chosen = pyqtSignal(str)
    axis_wanted = pyqtSignal(str, str)  # "x" or "y", and the column
    formula_wanted = pyqtSignal(object)

    def __init__(self, document: Document, theme: Theme) -> None:
        super().__init__()
        self._document = document
        self.rows = ResultsModel(theme)
        self.setModel(self.rows)
        self.setObjectName("resultsTable")
        self.setAccessibleName(words.TRENDS)
        self.header = ColumnHeader(self)
        self.setHorizontalHeader(self.header)
        self.verticalHeader().hide()
        self.verticalHeader().setDefaultSectionSize(ROW_HEIGHT)
        self.setShowGrid(True)
        self.setWordWrap(False)
        self.setVerticalScrollMode(QAbstractItemView.ScrollMode.ScrollPerPixel)
        self.setHorizontalScrollMode(QAbstractItemView.ScrollMode.ScrollPerPixel)
        self.setContextMenuPolicy(Qt.ContextMenuPolicy.CustomContextMenu)
        self.setEditTriggers(
            QAbstractItemView.EditTrigger.EditKeyPressed
            | QAbstractItemView.EditTrigger.AnyKeyPressed
        )
        self.setTabKeyNavigation(False)
        self.header.customContextMenuRequested.connect(self._ask_about_column)
        self.header.sectionDoubleClicked.connect(self._sort_by_section)
        self.header.sectionMoved.connect(self._moved)
        self.customContextMenuRequested.connect(self._ask_about_cell)
        self.doubleClicked.connect(self._double_clicked)
        self.selectionModel().currentChanged.connect(self._current)
        self._moving = False
        self.rows.typed.connect(self._type)

    def show_rows(self) -> None:
        """Lay the columns out after the table has changed."""
        self.clearSpans()
        for place, line in enumerate(self.rows.lines):
            if isinstance(line, SeriesLine):
                self.setSpan(place, 0, 1, self.rows.columnCount())
        self._moving = True
        for section in range(self.header.count()):
            now = self.header.visualIndex(section)
            if now != section:
                self.header.moveSection(now, section)
        self._moving = False
        metrics = self.fontMetrics()
        for section in range(self.header.count()):
            column = self.rows.column_at(section)
            if column is None:
                self.setColumnWidth(section, NAME_WIDTH)
                continue
            texts = [
                str(self.rows.data(self.rows.index(k, section)) or "")
                for k in range(min(len(self.rows.lines), 60))
            ]
            widest = max((metrics.horizontalAdvance(t) for t in texts), default=0) + 20
            self.setColumnWidth(section, min(max(widest, LEAST_WIDTH), MOST_WIDTH))
        self.setColumnHidden(
            self.rows.columnCount() - 1,
            not any(r.entry.apart for r in self.rows.table.rows),
        )

    # -- typing ------------------------------------------------------------------------------------

    def _do(self, make: Callable[[], Edit]) -> bool:
        try:
            edit = make()
        except InertianError as error:
            self.spoken.emit(str(error))
            return False
        if edit.name:
            self._document.do(edit)
        return True

    def _type(self, trial: str, name: str, text: str) -> None:
        project = self._document.committed
        self._do(lambda: variables_set(project, name, {trial: text}))

    def keyPressEvent(self, event: QKeyEvent) -> None:
        """Qt: Enter goes to the next cell below, Delete empties cells."""
        if event.key() in (Qt.Key.Key_Return, Qt.Key.Key_Enter):
            index = self.currentIndex()
            if not event.modifiers() and index.isValid() and not self._editable(index):
                self._double_clicked(index)
                return
        if event.key() == Qt.Key.Key_Delete and not event.modifiers():
            self.clear_cells()
            return
        super().keyPressEvent(event)

    def _editable(self, index: QModelIndex) -> bool:
        return bool(self.rows.flags(index) & Qt.ItemFlag.ItemIsEditable)

    def _chosen_cells(self) -> dict[str, list[str]]:
        """The trials of the selected cells of variables, from above, by variable."""
        found: dict[str, list[str]] = {}
        indexes = sorted(self.selectedIndexes(), key=lambda i: (i.column(), i.row()))
        for index in indexes:
            row, column = self.rows.row_at(index.row()), self.rows.column_at(index.column())
            if row is not None and column is not None and self.rows.typed_here(column):
                found.setdefault(column.name, []).append(row.trial)
        return found

    def clear_cells(self) -> None:
        """Empty the selected cells of variables."""
        cells = self._chosen_cells()
        self._do(lambda: cells_emptied(self._document.committed, cells))

    def fill_down(self) -> None:
        """Give the selected cells of each variable what stands in the first of them; of one cell,
        all below it.
        """
        cells = self._chosen_cells()
        for trials in cells.values():
            if len(trials) == 1:
                trials += self._trials_below(self.rows.place_of(trials[0]) + 1)
        self._do(lambda: cells_filled_down(self._document.committed, cells))

    def _trials_below(self, line: int) -> list[str]:
        rows = [self.rows.row_at(k) for k in range(line, len(self.rows.lines))]
        return [row.trial for row in rows if row is not None]

    def paste(self) -> None:
        """Put cells of the clipboard into variables, from the current one to the right and down."""
        cells = [
            line.split("\t") for line in QApplication.clipboard().text().rstrip("\n").splitlines()
        ]
        index = self.currentIndex()
        if not cells or not index.isValid():
            self.spoken.emit(words.NO_CELLS_TO_PASTE)
            return
        names = []
        for across in range(max(len(line) for line in cells)):
            column = self.rows.column_at(index.column() + across)
            if column is None or not self.rows.typed_here(column):
                name = column.title or column.name if column else words.TRIAL_COLUMN
                self.spoken.emit(words.NOT_TYPED_HERE.format(name=name))
                return
            names.append(column.name)
        trials = self._trials_below(index.row())
        count = sum(len(line) for line in cells[: len(trials)])
        if self._do(lambda: cells_pasted(self._document.committed, names, trials, cells)):
            self.spoken.emit(words.PASTED.format(count=count))

    # -- copying -----------------------------------------------------------------------------------

    def copy(self) -> None:
        """Copy the selected cells, or the whole table where one cell or none is selected, as text
        and as an HTML table.
        """
        indexes = self.selectedIndexes()
        lines = [k for k in range(len(self.rows.lines)) if self.rows.row_at(k) is not None]
        sections = [self.header.logicalIndex(k) for k in range(self.header.count())]
        if len(indexes) > 1:
            lines = sorted({i.row() for i in indexes} & set(lines))
            chosen = {i.column() for i in indexes}
            sections = [s for s in sections if s in chosen]
        sections = [s for s in sections if not self.isColumnHidden(s)]
        titles = [self.rows.title_at(s) for s in sections]
        cells = [
            [str(self.rows.data(self.rows.index(k, s)) or "").removeprefix("! ") for s in sections]
            for k in lines
        ]
        data = QMimeData()
        data.setText("\n".join("\t".join(row) for row in [titles, *cells]))
        data.setHtml(_html_table(titles, cells))
        QApplication.clipboard().setMimeData(data)
        self.spoken.emit(words.COPIED.format(rows=len(cells)))

    # -- columns -----------------------------------------------------------------------------------

    def _moved(self, _section: int, _old: int, _new: int) -> None:
        if self._moving:
            return
        order = [self.header.logicalIndex(k) for k in range(self.header.count())]
        columns = [c for s in order if (c := self.rows.column_at(s)) is not None]
        self._do(lambda: columns_chosen(self._document.committed, columns))

    def _sort_by_section(self, section: int) -> None:
        column, trends = self.rows.column_at(section), self._document.committed.trends
        if column is None:
            self.sort_by("", False)
        elif trends.sorted_by != column.name:
            self.sort_by(column.name, False)
        elif not trends.descending:
            self.sort_by(column.name, True)
        else:
            self.sort_by("", False)

    def sort_by(self, name: str, descending: bool) -> None:
        """Sort the rows of each series by a column; "" puts them in the order of the trials."""
        trends = self._document.committed.trends
        new = replace(trends, sorted_by=name, descending=descending)
        self._do(lambda: with_trends(self._document.committed, new, "Sort the table"))

    def _ask_about_column(self, place: QPoint) -> None:
        column = self.rows.column_at(self.header.logicalIndexAt(place))
        if column is not None:
            self.column_menu(column).exec(self.header.mapToGlobal(place))

    def ask_about_column(self) -> None:
        """Offer what can be done with the column of the cell in hand."""
        index = self.currentIndex()
        column = self.rows.column_at(index.column()) if index.isValid() else None
        if column is not None:
            place = self.visualRect(index).bottomLeft()
            self.column_menu(column).exec(self.viewport().mapToGlobal(place))

    def column_menu(self, column: Column) -> QMenu:
        """Return what can be done with a column."""
        menu = QMenu(self)

        def add(text: str, then: Callable[[], object]) -> QAction:
            action = menu.addAction(text)
            action.triggered.connect(lambda _checked: then())
            return action

        add(words.SHOW_ACROSS, lambda: self.axis_wanted.emit("x", column.name))
        add(words.SHOW_UP, lambda: self.axis_wanted.emit("y", column.name))
        menu.addSeparator()
        add(words.SORT_UP, lambda: self.sort_by(column.name, False))
        add(words.SORT_DOWN, lambda: self.sort_by(column.name, True))
        add(words.SORT_NOT, lambda: self.sort_by("", False))
        menu.addSeparator()
        add(words.RENAME_COLUMN, lambda: self.rename(column))
        if column.formula:
            add(words.EDIT_FORMULA, lambda: self.formula_wanted.emit(column))
        units = self.units_for(column)
        if units:
            inner = menu.addMenu(words.UNIT_MENU)
            for unit in units:
                action = inner.addAction(unit or "1")
                action.triggered.connect(lambda _c, u=unit: self.show_in(column, u))
        add(words.HIDE_COLUMN, lambda: self.hide_column(column))
        if self.rows.typed_here(column):
            add(
                words.REMOVE_VARIABLE,
                lambda: self._do(lambda: variable_removed(self._document.committed, column.name)),
            )
        return menu

    def units_for(self, column: Column) -> list[str]:
        """Return the units that a column can be shown in; none for words."""
        offered = self.rows.table.offered.get(column.name)
        if offered is None or not offered.unit:
            return []
        try:
            dimension = parse_unit(offered.unit)[1]
        except FormulaError:
            return []
        found = [offered.unit]
        for symbol in (*plain_units(), *COMPOUND_UNITS):
            if symbol not in found and parse_unit(symbol)[1] == dimension:
                found.append(symbol)
        return found if len(found) > 1 else []

    def show_in(self, column: Column, unit: str) -> None:
        """Show a column in another unit."""
        own = self.rows.table.offered[column.name].unit
        new = replace(column, unit="" if unit == own else unit)
        self.change(column, new)

    def change(self, column: Column, new: Column) -> None:
        """Exchange a column that is shown."""
        project = self._document.committed
        self._do(lambda: column_changed(project, self.rows.columns, column.name, new))

    def rename(self, column: Column) -> None:
        """Ask for another title."""
        text, good = QInputDialog.getText(
            self,
            words.RENAME_TITLE,
            words.RENAME_TEXT.format(name=column.name),
            text=column.title or column.name,
        )
        if good:
            title = " ".join(text.split())
            self.change(column, replace(column, title="" if title == column.name else title))

    def hide_column(self, column: Column) -> None:
        """Show the others only."""
        kept = [c for c in self.rows.columns if c.name != column.name]
        self._do(lambda: columns_chosen(self._document.committed, kept))

    # -- rows --------------------------------------------------------------------------------------

    def _current(self, now: QModelIndex, _before: QModelIndex) -> None:
        row = self.rows.row_at(now.row())
        if row is not None:
            self.trial_chosen.emit(row.trial)

    def _double_clicked(self, index: QModelIndex) -> None:
        row = self.rows.row_at(index.row())
        if row is None:
            return
        if self._editable(index):
            self.edit(index)
        else:
            self.trial_wanted.emit(row.trial)

    def chosen_trials(self) -> tuple[str, ...]:
        """Return the trials of all rows in which something is selected, in order."""
        rows = sorted({i.row() for i in self.selectedIndexes()})
        return tuple(r.trial for k in rows if (r := self.rows.row_at(k)) is not None)

    def choose_trial(self, trial: str) -> None:
        """Put the row of a trial in view and select it."""
        place = self.rows.place_of(trial)
        self.rows.choose(trial)
        if place >= 0 and self.currentIndex().row() != place:
            self.setCurrentIndex(self.rows.index(place, max(self.currentIndex().column(), 0)))

    def _ask_about_cell(self, place: QPoint) -> None:
        row = self.rows.row_at(self.indexAt(place).row())
        if row is None:
            return
        menu = QMenu(self)

        def add(text: str, then: Callable[[], object]) -> None:
            menu.addAction(text).triggered.connect(lambda _checked: then())

        add(words.GO_TO_TRIAL, lambda: self.trial_wanted.emit(row.trial))
        add(words.SET_TRIALS_ASIDE, self.set_aside)
        if row.entry.apart is not None:
            add(words.COUNT_TRIALS, self.count_again)
        menu.addSeparator()
        add(words.COPY_TABLE, self.copy)
        column = self.rows.column_at(self.indexAt(place).column())
        if column is not None and self.rows.typed_here(column):
            add(words.PASTE_CELLS, self.paste)
            add(words.FILL_DOWN, self.fill_down)
        menu.exec(self.viewport().mapToGlobal(place))

    def set_aside(self) -> None:
        """Ask why the trials in hand do not count."""
        trials = self.chosen_trials()
        if not trials:
            return
        reason, good = QInputDialog.getText(self, words.ASIDE_TITLE, words.ASIDE_TEXT)
        if good:
            said = reason.strip() or words.ASIDE_DEFAULT
            self._do(lambda: trials_apart(self._document.committed, trials, said))

    def count_again(self) -> None:
        """Let the trials in hand count again."""
        trials = self.chosen_trials()
        if trials:
            self._do(lambda: trials_apart(self._document.committed, trials, None))


def _html_table(titles: list[str], cells: list[list[str]]) -> str:
    head = "".join(f"<th>{html.escape(t)}</th>" for t in titles)
    body = "".join(
        "<tr>" + "".join(f"<td>{html.escape(c)}</td>" for c in row) + "</tr>" for row in cells
    )
    return f"<table><thead><tr>{head}</tr></thead><tbody>{body}</tbody></table>"
