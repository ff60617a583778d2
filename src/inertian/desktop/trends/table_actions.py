"""What is done with the whole table: columns chosen, variables and formulas added, written to a
file.
"""

from dataclasses import replace
from pathlib import Path

from PyQt6.QtCore import QObject, pyqtSignal
from PyQt6.QtWidgets import QFileDialog, QInputDialog

from inertian.analysis.results.trial_values import ColumnKind
from inertian.desktop.look import words
from inertian.desktop.state.document import Document
from inertian.desktop.state.trends_state import TrendsState
from inertian.desktop.trends.column_dialogs import ColumnDialog, FormulaDialog
from inertian.desktop.trends.results_view import ResultsView
from inertian.project.trend_edits import column_added, column_changed, columns_chosen
from inertian.project.trend_requests import Column
from inertian.project.variables import checked_name
from inertian.quantities.errors import InertianError
from inertian.report.results import results_json, results_text, write_results


class TableActions(QObject):
    """Asks for what is needed, and for the edit."""

    spoken = pyqtSignal(str)

    def __init__(self, document: Document, state: TrendsState, table: ResultsView) -> None:
        super().__init__()
        self._document, self._state, self._table = document, state, table

    def ask_columns(self) -> None:
        """Ask which columns are shown."""
        if self._state.table is None:
            return
        dialog = ColumnDialog(self._table, self._state.table, self._table.rows.columns)
        if dialog.exec():
            self._document.do(columns_chosen(self._document.committed, dialog.columns()))

    def ask_variable(self) -> None:
        """Ask for the name of a variable, and put the cursor into its first cell."""
        text, good = QInputDialog.getText(self._table, words.VARIABLE_TITLE, words.VARIABLE_TEXT)
        if good:
            self.add_variable(text)

    def add_variable(self, text: str) -> None:
        """Add an empty variable as the first column; it is typed cell by cell."""
        try:
            name = checked_name(text)
        except InertianError as error:
            self.spoken.emit(str(error))
            return
        table = self._state.table
        known = table.offered.get(name) if table is not None else None
        if known is not None and known.kind is not ColumnKind.VARIABLE:
            self.spoken.emit(words.NAME_TAKEN.format(name=name))
            return
        others = [c for c in self._table.rows.columns if c.name != name]
        edit = columns_chosen(self._document.committed, [Column(name), *others])
        self._document.do(replace(edit, name=words.VARIABLE_TITLE))

    def ask_formula(self) -> None:
        """Ask for a column by formula."""
        if self._state.table is None:
            return
        dialog = FormulaDialog(self._table, self._state.table)
        if dialog.exec():
            column = dialog.column()
            try:
                shown = self._table.rows.columns
                made = column_added(self._document.committed, column.name, column.formula, shown)
            except InertianError as error:
                self.spoken.emit(str(error))
                return
            self._document.do(made)

    def change_formula(self, column: Column) -> None:
        """Ask for another formula of a column."""
        dialog = FormulaDialog(self._table, self._state.table, column)
        if dialog.exec():
            shown = self._table.rows.columns
            self._document.do(
                column_changed(self._document.committed, shown, column.name, dialog.column())
            )

    def write_table(self) -> None:
        """Ask where to write the table."""
        name, kind = QFileDialog.getSaveFileName(
            self._table, words.WRITE_TABLE.replace("&", ""), "", words.TABLE_KINDS
        )
        if name:
            ending = kind.rpartition("*")[2].rstrip(")")
            path = Path(name)
            self.write_table_to(path if path.suffix else path.with_suffix(ending))

    def write_table_to(self, path: Path) -> None:
        """Write the table as it is shown, as a workbook, CSV or JSON."""
        import json

        from inertian.project.saving import write_whole

        table, columns = self._state.table, self._table.rows.columns
        try:
            if path.suffix.casefold() == ".json":
                made = results_json(table, columns)
                write_whole(path, json.dumps(made, ensure_ascii=False, indent=1).encode())
            elif path.suffix.casefold() == ".txt":
                write_whole(path, results_text(table, columns).encode())
            else:
                write_results(table, columns, path)
        except (InertianError, OSError) as error:
            why = str(error) if isinstance(error, InertianError) else error.strerror or str(error)
            self.spoken.emit(words.TABLE_NOT_WRITTEN.format(name=path.name, why=why))
            return
        self.spoken.emit(words.TABLE_WRITTEN.format(name=path.name))
