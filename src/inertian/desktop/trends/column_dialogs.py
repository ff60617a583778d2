"""Which columns the table shows, in which order; and a column by formula."""

from collections.abc import Sequence
from dataclasses import replace

from PyQt6.QtCore import Qt
from PyQt6.QtWidgets import (
    QDialog,
    QHBoxLayout,
    QLineEdit,
    QListWidget,
    QListWidgetItem,
    QPushButton,
    QVBoxLayout,
    QWidget,
)

from inertian.analysis.results.formula_columns import column_formula, unit_of_formula
from inertian.analysis.results.results_table import ResultsTable, usual_columns
from inertian.desktop.look import words
from inertian.desktop.look.labels import label
from inertian.desktop.look.messages import sized_within
from inertian.project.trend_requests import Column
from inertian.quantities.errors import InertianError

NAME = Qt.ItemDataRole.UserRole


class ColumnDialog(QDialog):
    """All columns there can be, those shown ticked and first; they are dragged, or moved by
    buttons.
    """

    def __init__(self, parent: QWidget, table: ResultsTable, shown: Sequence[Column]) -> None:
        super().__init__(parent)
        self._table, self._shown = table, {c.name: c for c in shown}
        self.setWindowTitle(words.COLUMN_DIALOG)
        sized_within(self, 480, 560)
        self.search = QLineEdit()
        self.search.setPlaceholderText(words.COLUMN_FIND)
        self.search.setAccessibleName(words.COLUMN_FIND)
        self.search.textChanged.connect(self._filter)
        self.list = QListWidget()
        self.list.setObjectName("findList")
        self.list.setAccessibleName(words.COLUMN_DIALOG)
        self.list.setDragDropMode(QListWidget.DragDropMode.InternalMove)
        self._fill([c.name for c in shown])
        self.up, self.down, self.usual = (
            QPushButton(text) for text in (words.COLUMN_UP, words.COLUMN_DOWN, words.COLUMN_USUAL)
        )
        self.up.clicked.connect(lambda: self._move(-1))
        self.down.clicked.connect(lambda: self._move(1))
        self.usual.clicked.connect(self._choose_usual)
        go, stop = QPushButton(words.OK), QPushButton(words.CANCEL)
        go.setDefault(True)
        go.clicked.connect(self.accept)
        stop.clicked.connect(self.reject)
        row = QHBoxLayout()
        for button in (self.up, self.down, self.usual):
            row.addWidget(button)
        row.addStretch(1)
        for button in (stop, go):
            row.addWidget(button)
        column = QVBoxLayout(self)
        column.setSpacing(8)
        column.addWidget(self.search)
        column.addWidget(self.list, 1)
        column.addLayout(row)

    def _fill(self, ticked: Sequence[str]) -> None:
        self.list.clear()
        others = [name for name in self._table.offered if name not in ticked]
        for name in (*ticked, *others):
            offered = self._table.offered.get(name)
            kind = words.COLUMN_KINDS[offered.kind] if offered is not None else ""
            title = self._shown[name].title if name in self._shown else ""
            item = QListWidgetItem(f"{title or name}    {kind}".rstrip())
            item.setData(NAME, name)
            item.setFlags(item.flags() | Qt.ItemFlag.ItemIsUserCheckable)
            on = name in ticked
            item.setCheckState(Qt.CheckState.Checked if on else Qt.CheckState.Unchecked)
            self.list.addItem(item)
        self.list.setCurrentRow(0)

    def _filter(self, typed: str) -> None:
        parts = typed.casefold().split()
        for k in range(self.list.count()):
            item = self.list.item(k)
            item.setHidden(not all(part in item.text().casefold() for part in parts))

    def _move(self, step: int) -> None:
        row = self.list.currentRow()
        if 0 <= row + step < self.list.count():
            item = self.list.takeItem(row)
            self.list.insertItem(row + step, item)
            self.list.setCurrentRow(row + step)

    def _choose_usual(self) -> None:
        self._fill([c.name for c in usual_columns(self._table)])

    def columns(self) -> tuple[Column, ...]:
        """Return the columns that are ticked, in order."""
        items = [self.list.item(k) for k in range(self.list.count())]
        names = [i.data(NAME) for i in items if i.checkState() == Qt.CheckState.Checked]
        return tuple(self._shown.get(name, Column(name)) for name in names)


class FormulaDialog(QDialog):
    """Asks for a name and a formula over columns; says at once whether it can be read."""

    def __init__(self, parent: QWidget, table: ResultsTable, column: Column | None = None) -> None:
        super().__init__(parent)
        self._table, self._old = table, column
        self.setWindowTitle(words.FORMULA_TITLE)
        sized_within(self, 560, 460)
        self.name, self.formula = QLineEdit(), QLineEdit()
        self.name.setAccessibleName(words.FORMULA_NAME)
        self.formula.setAccessibleName(words.FORMULA_TEXT)
        self.formula.setPlaceholderText(words.COLUMN_FORMULA_HINT)
        if column is not None:
            self.name.setText(column.name)
            self.formula.setText(column.formula)
        self.list = QListWidget()
        self.list.setObjectName("findList")
        for name in table.offered:
            if column is None or name != column.name:
                self.list.addItem(name)
        self.list.itemActivated.connect(self._put_in)
        self.list.itemDoubleClicked.connect(self._put_in)
        self.said = label("", "soft")
        self.said.setWordWrap(True)
        self.said.setTextFormat(Qt.TextFormat.PlainText)
        help_text = label(words.FORMULA_HELP, "soft")
        help_text.setWordWrap(True)
        self.go, stop = QPushButton(words.OK), QPushButton(words.CANCEL)
        self.go.setDefault(True)
        self.go.clicked.connect(self.accept)
        stop.clicked.connect(self.reject)
        for field in (self.name, self.formula):
            field.textChanged.connect(self._check)
        row = QHBoxLayout()
        row.addStretch(1)
        for button in (stop, self.go):
            row.addWidget(button)
        column_ = QVBoxLayout(self)
        column_.setSpacing(6)
        for part in (
            label(words.FORMULA_NAME, "soft"),
            self.name,
            label(words.FORMULA_TEXT, "soft"),
            self.formula,
            self.said,
            help_text,
        ):
            column_.addWidget(part)
        column_.addWidget(self.list, 1)
        column_.addLayout(row)
        self._check()

    def _put_in(self, item: QListWidgetItem) -> None:
        if item is not None:
            self.formula.insert(f" {item.text()} ")
            self.formula.setFocus()

    def _check(self) -> None:
        names = tuple(n for n in self._table.offered if n != self.name.text().strip())
        units = {n: one.unit for n, one in self._table.offered.items()}
        said, good = "", bool(self.name.text().strip() and self.formula.text().strip())
        if self.formula.text().strip():
            try:
                unit = unit_of_formula(column_formula(self.formula.text(), names), units)
                said = f"= {self.name.text().strip() or '…'} ({unit or '1'})"
            except InertianError as error:
                said, good = str(error), False
        self.said.setText(said)
        self.go.setEnabled(good)

    def column(self) -> Column:
        """Return the column as it is asked for."""
        known = self._old or Column("")
        return replace(
            known, name=" ".join(self.name.text().split()), formula=self.formula.text().strip()
        )
