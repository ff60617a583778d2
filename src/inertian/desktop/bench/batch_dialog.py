"""Treating other trials like the one in hand: which, with progress, and what to look at
afterwards.
"""

from functools import partial
from threading import Event

from PyQt6.QtCore import Qt, pyqtSignal
from PyQt6.QtWidgets import (
    QDialog,
    QHBoxLayout,
    QListWidget,
    QListWidgetItem,
    QProgressBar,
    QPushButton,
    QVBoxLayout,
    QWidget,
)

from inertian.analysis.batch_treatment import BatchResult, treat_alike
from inertian.desktop.look import words
from inertian.desktop.look.labels import label
from inertian.desktop.look.messages import sized_within
from inertian.desktop.state.document import Document
from inertian.desktop.state.worker import Worker


class BatchDialog(QDialog):
    """Asks which trials, works on another thread, and makes one edit."""

    _progress = pyqtSignal(int, int)

    def __init__(self, parent: QWidget, document: Document, worker: Worker) -> None:
        super().__init__(parent)
        self._document, self._worker, self._cancelled = document, worker, Event()
        self.treated: BatchResult | None = None
        entry = document.entry
        assert entry is not None
        self._source = entry.trial.id
        self.setWindowTitle(words.TREAT_TITLE.format(name=entry.trial.name))
        sized_within(self, 420, 440)
        self.list = QListWidget()
        self.list.setObjectName("findList")
        self.list.setAccessibleName(self.windowTitle())
        for other in document.project.entries_of(entry.series):
            if other.trial.id != self._source:
                item = QListWidgetItem(other.trial.name)
                item.setFlags(item.flags() | Qt.ItemFlag.ItemIsUserCheckable)
                item.setCheckState(Qt.CheckState.Checked)
                item.setData(Qt.ItemDataRole.UserRole, other.trial.id)
                self.list.addItem(item)
        self.list.itemChanged.connect(self._count)
        text = label(words.TREAT_TEXT, "soft")
        text.setWordWrap(True)
        self.bar = QProgressBar()
        self.bar.setTextVisible(False)
        self.bar.hide()
        self.go, self.stop = QPushButton(), QPushButton(words.TREAT_CANCEL)
        self.go.setDefault(True)
        self.go.clicked.connect(self._start)
        self.stop.clicked.connect(self.reject)
        row = QHBoxLayout()
        row.addStretch(1)
        for button in (self.stop, self.go):
            row.addWidget(button)
        column = QVBoxLayout(self)
        column.setSpacing(10)
        for part in (text, self.list, self.bar):
            column.addWidget(part)
        column.addLayout(row)
        self._progress.connect(self._show_progress)
        self._count()

    def chosen(self) -> list[str]:
        """Return the ids of the trials that are checked."""
        items = [self.list.item(k) for k in range(self.list.count())]
        return [
            i.data(Qt.ItemDataRole.UserRole)
            for i in items
            if i.checkState() == Qt.CheckState.Checked
        ]

    def _count(self) -> None:
        count = len(self.chosen())
        self.go.setText(words.TREAT_ONE if count == 1 else words.TREAT_BUTTON.format(count=count))
        self.go.setEnabled(count > 0)

    def _start(self) -> None:
        project, targets = self._document.committed, self.chosen()
        self.go.setEnabled(False)
        self.list.setEnabled(False)
        self.bar.setRange(0, len(targets))
        self.bar.show()

        def report(done: int, of: int) -> bool:
            self._progress.emit(done, of)
            return not self._cancelled.is_set()

        work = partial(treat_alike, project, self._source, targets, report)
        self._worker.run("treat", work, self._finished, self._failed)

    def _show_progress(self, done: int, _of: int) -> None:
        self.bar.setValue(done)

    def _finished(self, treated: BatchResult) -> None:
        if treated.complete and not self._cancelled.is_set():
            self.treated = treated
            self.accept()

    def _failed(self, error: BaseException) -> None:
        self.reject()
        raise error

    def reject(self) -> None:
        """Qt: stop; nothing is changed."""
        self._cancelled.set()
        super().reject()
