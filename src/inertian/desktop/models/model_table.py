"""The table of models: what was fitted, χ², what is left, the error of stepping."""

from PyQt6.QtCore import Qt, pyqtSignal
from PyQt6.QtGui import QKeyEvent
from PyQt6.QtWidgets import QAbstractItemView, QHeaderView, QTableWidget, QTableWidgetItem

from inertian.desktop.look import words
from inertian.desktop.look.number_format import format_number, without_markup
from inertian.desktop.look.theme import decimal_mark
from inertian.desktop.look.typeset import typeset_plain
from inertian.desktop.state.models_state import ModelsState
from inertian.quantities.errors import InertianError
from inertian.report.model import has_energy, parameter_words, pattern_words

ROW = 26  # px
NAME, FITTED, CHI, LEFT, STEPS = 1, 2, 3, 4, 5


class ModelTable(QTableWidget):
    """A row for each model; the one in hand is selected, a tick shows its curve."""

    shown_changed = pyqtSignal()
    remove_wanted = pyqtSignal()

    def __init__(self, state: ModelsState) -> None:
        super().__init__(0, len(words.MODEL_TABLE_HEADS))
        self.setObjectName("resultsTable")
        self.setAccessibleName(words.MODELS)
        self.setHorizontalHeaderLabels(words.MODEL_TABLE_HEADS)
        self.verticalHeader().hide()
        self.verticalHeader().setDefaultSectionSize(ROW)
        self.setSelectionBehavior(QAbstractItemView.SelectionBehavior.SelectRows)
        self.setSelectionMode(QAbstractItemView.SelectionMode.SingleSelection)
        self.setEditTriggers(QAbstractItemView.EditTrigger.NoEditTriggers)
        self.setShowGrid(False)
        self.setWordWrap(False)
        self.setTabKeyNavigation(False)
        head = self.horizontalHeader()
        head.setHighlightSections(False)
        head.setDefaultAlignment(Qt.AlignmentFlag.AlignLeft)
        for column in range(self.columnCount()):
            head.setSectionResizeMode(column, QHeaderView.ResizeMode.ResizeToContents)
        for column in (FITTED, LEFT):
            head.setSectionResizeMode(column, QHeaderView.ResizeMode.Stretch)
        self._state = state
        self.itemSelectionChanged.connect(self._chosen)
        self.itemChanged.connect(self._ticked)

    def refresh(self) -> None:
        """Show all models as they are known."""
        self.blockSignals(True)
        models = self._state.models
        self.setRowCount(len(models))
        for row, model in enumerate(models):
            tick = QTableWidgetItem()
            tick.setFlags(Qt.ItemFlag.ItemIsEnabled | Qt.ItemFlag.ItemIsUserCheckable)
            on = model.name not in self._state.hidden
            tick.setCheckState(Qt.CheckState.Checked if on else Qt.CheckState.Unchecked)
            tick.setToolTip(words.MODEL_COLUMN_TIP)
            self.setItem(row, 0, tick)
            for column, text in enumerate(self._cells(model.name), 1):
                item = QTableWidgetItem(text)
                item.setFlags(Qt.ItemFlag.ItemIsEnabled | Qt.ItemFlag.ItemIsSelectable)
                item.setToolTip(text)
                self.setItem(row, column, item)
        chosen = self._state.model
        if chosen is not None:
            self.selectRow([m.name for m in models].index(chosen.name))
        self.blockSignals(False)

    def _cells(self, name: str) -> list[str]:
        answer = self._state.answers.get(name)
        if answer is None:
            return [name, "…", "", "", ""]
        if isinstance(answer, InertianError):
            return [name, "", "", str(answer), ""]
        free = [s for s in answer.settings if s.free and s.force >= 0]
        fitted = "; ".join(
            f"{typeset_plain(s.symbol or s.name)} {parameter_words(answer, s.code)}" for s in free
        )
        chi = words.MODEL_CHI.format(
            chi=format_number(answer.fit.chi_squared, 3), dof=answer.fit.dof
        )
        if not answer.trial.made.samples:
            chi = ""
        steps = format_number(answer.stepping.position, 2) + " m"
        if not answer.stepping.follows:
            steps = words.MODEL_RUNS_AWAY
        elif has_energy(answer):
            steps += f"; {format_number(answer.stepping.energy, 2)} J"
        mark = decimal_mark()
        shown = fitted.replace(".", mark) if mark != "." else fitted
        return [name, shown, without_markup(chi), pattern_words(answer), without_markup(steps)]

    def _chosen(self) -> None:
        rows = self.selectionModel().selectedRows()
        models = self._state.models
        if rows and rows[0].row() < len(models):
            self._state.choose(models[rows[0].row()].name)

    def _ticked(self, item: QTableWidgetItem) -> None:
        models = self._state.models
        if item.column() or item.row() >= len(models):
            return
        name = models[item.row()].name
        if item.checkState() == Qt.CheckState.Checked:
            self._state.hidden.discard(name)
        else:
            self._state.hidden.add(name)
        self.shown_changed.emit()

    def keyPressEvent(self, event: QKeyEvent) -> None:
        """Qt: Delete takes the model away, Space shows or hides its curve."""
        if event.key() == Qt.Key.Key_Delete:
            self.remove_wanted.emit()
        elif event.key() == Qt.Key.Key_Space and self.currentRow() >= 0:
            tick = self.item(self.currentRow(), 0)
            on = tick.checkState() == Qt.CheckState.Checked
            tick.setCheckState(Qt.CheckState.Unchecked if on else Qt.CheckState.Checked)
        else:
            super().keyPressEvent(event)
