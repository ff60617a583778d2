"""A model as a program: shown, copied, saved."""

from pathlib import Path

from PyQt6.QtGui import QGuiApplication
from PyQt6.QtWidgets import (
    QDialog,
    QFileDialog,
    QHBoxLayout,
    QPlainTextEdit,
    QPushButton,
    QVBoxLayout,
    QWidget,
)

from inertian.desktop.look import words
from inertian.desktop.look.labels import label
from inertian.desktop.look.theme import font
from inertian.desktop.look.tokens import BASE, Theme

SIZE = (760, 620)


class PythonDialog(QDialog):
    """Shows a program; it can be copied and saved."""

    def __init__(self, parent: QWidget, theme: Theme, title: str, text: str) -> None:
        super().__init__(parent)
        self._theme = theme
        self.setWindowTitle(title)
        self.resize(*SIZE)
        self.text = QPlainTextEdit(text)
        self.text.setObjectName("fileView")
        self.text.setReadOnly(True)
        self.text.setFont(font(BASE))
        self.text.setLineWrapMode(QPlainTextEdit.LineWrapMode.NoWrap)
        self.text.setTabStopDistance(4 * self.text.fontMetrics().horizontalAdvance("0"))
        self.said = label("", "soft")
        self.copy = QPushButton(words.MODEL_PYTHON_COPY)
        self.copy.clicked.connect(self._copy)
        self.save = QPushButton(words.MODEL_PYTHON_SAVE)
        self.save.clicked.connect(self._ask)
        row = QHBoxLayout()
        row.addWidget(self.said, 1)
        row.addWidget(self.copy)
        row.addWidget(self.save)
        column = QVBoxLayout(self)
        column.addWidget(self.text, 1)
        column.addLayout(row)

    def _copy(self) -> None:
        QGuiApplication.clipboard().setText(self.text.toPlainText())
        self.said.setText(words.MODEL_COPIED)

    def _ask(self) -> None:
        name, _ = QFileDialog.getSaveFileName(
            self, words.MODEL_SAVE_TITLE, "model.py", words.PYTHON_FILES
        )
        if name:
            self.write(Path(name))

    def write(self, path: Path) -> None:
        """Save the program."""
        try:
            path.write_text(self.text.toPlainText(), encoding="utf-8")
        except OSError as error:
            why = error.strerror or str(error)
            self.said.setText(words.MODEL_CANNOT_WRITE.format(file=path.name, why=why))
            return
        self.said.setText(words.MODEL_SAVED.format(file=path.name))
