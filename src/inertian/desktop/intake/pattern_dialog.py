"""Files that are treated like a pattern: progress while they are read, then who needs a look."""

from collections.abc import Sequence

from PyQt6.QtCore import Qt, pyqtSignal
from PyQt6.QtWidgets import (
    QDialog,
    QHBoxLayout,
    QListView,
    QListWidget,
    QListWidgetItem,
    QProgressBar,
    QPushButton,
    QVBoxLayout,
    QWidget,
)

from inertian.desktop.look import words
from inertian.desktop.look.labels import label
from inertian.desktop.look.messages import sized_within

TRIAL_ROLE = Qt.ItemDataRole.UserRole


def counted(count: int) -> str:
    """Return so many trials in words."""
    return words.ONE_TRIAL if count == 1 else words.MANY_TRIALS_SAID.format(count=count)


class PatternDialog(QDialog):
    """Shows how far the files are, and in the end what is to be looked at. Signals: `stopped` by
    the person, `wanted` a trial by its id.
    """

    stopped = pyqtSignal()
    wanted = pyqtSignal(str)

    def __init__(self, parent: QWidget, pattern: str, count: int) -> None:
        super().__init__(parent)
        self.setWindowTitle(words.TREAT_FILES_TITLE.format(name=pattern))
        sized_within(self, 520, 420)
        self._count, self._done = count, False
        self.said = label(words.TREAT_FILES_READING.format(done=0, count=count))
        self.said.setWordWrap(True)
        self.bar = QProgressBar()
        self.bar.setTextVisible(False)
        self.bar.setRange(0, count)
        self.list = QListWidget()
        self.list.setObjectName("findList")
        self.list.setWordWrap(True)
        self.list.setHorizontalScrollBarPolicy(Qt.ScrollBarPolicy.ScrollBarAlwaysOff)
        self.list.setResizeMode(QListView.ResizeMode.Adjust)
        self.list.setAccessibleName(self.windowTitle())
        self.list.itemActivated.connect(self._take)
        self.list.itemDoubleClicked.connect(self._take)
        self.button = QPushButton(words.TREAT_FILES_STOP)
        self.button.clicked.connect(self.reject)
        row = QHBoxLayout()
        row.addStretch(1)
        row.addWidget(self.button)
        column = QVBoxLayout(self)
        column.setSpacing(10)
        for part in (self.said, self.bar, self.list):
            column.addWidget(part)
        column.addLayout(row)

    def show_progress(self, done: int) -> None:
        """Show how many files are read; those of a folder that is followed are none of these."""
        if self._done:
            return
        self.bar.setValue(done)
        text = words.TREAT_FILES_READING.format(done=done, count=self._count)
        if done == self._count:
            self.bar.setRange(0, 0)  # how long the rest takes is not known
            text = words.TREAT_FILES_LOOKING.format(count=self._count)
        self.said.setText(text)

    def show_outcome(
        self,
        count: int,
        doubtful: Sequence[tuple[str, str, Sequence[str]]],
        refused: Sequence[tuple[str, str]],
    ) -> None:
        """Show what became of the files: trials that need a look, by id and name with why, and
        files that gave none.
        """
        self._done = True
        self.bar.hide()
        text = words.TREAT_FILES_DONE if not doubtful else words.TREAT_FILES_LOOK
        said = text.format(count=counted(count), look=counted(len(doubtful)))
        if refused:
            said += " " + words.TREAT_FILES_REFUSED.format(count=len(refused)) + "."
        self.said.setText(said)
        for trial, name, reasons in doubtful:
            item = QListWidgetItem(f"{name}\n" + "\n".join(f"  {why}" for why in reasons))
            item.setData(TRIAL_ROLE, trial)
            self.list.addItem(item)
        for file, why in refused:
            item = QListWidgetItem(f"{file}\n  {why}")
            item.setFlags(item.flags() & ~Qt.ItemFlag.ItemIsSelectable)
            self.list.addItem(item)
        self.button.setText(words.TREAT_FILES_CLOSE)
        self.button.setDefault(True)
        self.button.setFocus()

    def _take(self, item: QListWidgetItem) -> None:
        trial = item.data(TRIAL_ROLE)
        if trial:
            self.wanted.emit(trial)
            self.accept()

    def reject(self) -> None:
        """Qt: stop if it is still under way, else close."""
        if not self._done:
            self.stopped.emit()
        super().reject()
