"""What a person sees when something went wrong that no one thought of: the work is kept, and the
report can be copied.
"""

import platform
import sys
import threading
import traceback
from collections.abc import Callable
from pathlib import Path
from types import TracebackType

from PyQt6.QtCore import QObject, Qt, pyqtSignal
from PyQt6.QtWidgets import (
    QApplication,
    QDialog,
    QDialogButtonBox,
    QPlainTextEdit,
    QVBoxLayout,
    QWidget,
)

from inertian.desktop.look import words
from inertian.desktop.look.labels import label
from inertian.desktop.look.theme import decimal_mark
from inertian.quantities.errors import unforeseen

WIDTH, DETAIL_HEIGHT = 560, 180  # px


class ErrorReports(QObject):
    """Shows a report for each unforeseen error of any thread, the same one only once.

    `keep` writes the open work to its recovery copy and returns where that is, or None.
    """

    _arrived = pyqtSignal(object)

    def __init__(self, window: QWidget, keep: Callable[[], Path | None]) -> None:
        super().__init__(window)
        self._window, self._keep = window, keep
        self._told: set[str] = set()
        self.dialog: QDialog | None = None
        self._before = sys.excepthook, threading.excepthook
        self._arrived.connect(self.tell)

    def watch(self) -> None:
        """Take errors from now on, in place of the interpreter."""
        sys.excepthook = self._of_this_thread
        threading.excepthook = self._of_other_thread

    def leave(self) -> None:
        """Give errors back to the interpreter."""
        sys.excepthook, threading.excepthook = self._before

    def _of_this_thread(
        self, kind: type[BaseException], error: BaseException, _trace: TracebackType | None
    ) -> None:
        if issubclass(kind, KeyboardInterrupt):
            QApplication.quit()
        else:
            self.tell(error)

    def _of_other_thread(self, args: threading.ExceptHookArgs) -> None:
        if args.exc_value is not None:
            self._arrived.emit(args.exc_value)

    def tell(self, error: BaseException) -> None:
        """Keep the work, then show what happened."""
        detail = details_of(error)
        print(detail, file=sys.stderr)
        if detail in self._told or self.dialog is not None:
            return
        self._told.add(detail)
        try:
            kept = self._keep()
        except Exception:  # a report must come, whatever else fails
            kept = None
        self.dialog = _Report(self._window, unforeseen(error), kept, detail)
        self.dialog.finished.connect(self._closed)
        self.dialog.open()

    def _closed(self, _result: int) -> None:
        if self.dialog is not None:
            self.dialog.deleteLater()
        self.dialog = None


def details_of(error: BaseException) -> str:
    """Return an error with the program, its platform and the way to it, without names of folders
    of this machine.
    """
    from importlib.metadata import version

    home = str(Path.home())
    steps = "".join(traceback.format_exception(error)).replace(home, "~")
    for root in sorted(sys.path, key=len, reverse=True):
        steps = steps.replace(f"{root}/", "") if len(root) > 1 else steps
    return (
        f"Inertian {version('inertian')}, Python {platform.python_version()}, "
        f"{platform.system()} {platform.release()}, decimal mark {decimal_mark()}\n{steps}"
    )


class _Report(QDialog):
    def __init__(self, window: QWidget, said: str, kept: Path | None, detail: str) -> None:
        super().__init__(window)
        self.setWindowTitle(words.ERROR_TITLE)
        self.setMinimumWidth(WIDTH)
        where = words.ERROR_KEPT.format(folder=kept) if kept else words.ERROR_NOT_KEPT
        column = QVBoxLayout(self)
        column.setContentsMargins(16, 16, 16, 16)
        column.setSpacing(8)
        for text in (said[0].upper() + said[1:], where):
            line = label(text)
            line.setWordWrap(True)
            line.setTextFormat(Qt.TextFormat.PlainText)
            line.setTextInteractionFlags(Qt.TextInteractionFlag.TextSelectableByMouse)
            column.addWidget(line)
        self.detail = QPlainTextEdit(detail)
        self.detail.setReadOnly(True)
        self.detail.setAccessibleName(words.ERROR_DETAIL)
        self.detail.setFixedHeight(DETAIL_HEIGHT)
        column.addWidget(self.detail)
        buttons = QDialogButtonBox(QDialogButtonBox.StandardButton.Close)
        self.copy = buttons.addButton(words.ERROR_COPY, QDialogButtonBox.ButtonRole.ActionRole)
        self.copy.clicked.connect(lambda: QApplication.clipboard().setText(f"{said}\n{detail}"))
        buttons.rejected.connect(self.reject)
        column.addWidget(buttons)
