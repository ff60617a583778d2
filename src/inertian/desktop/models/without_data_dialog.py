"""The dialog of a trial without data: which bodies models move, and for how long."""

import re

from PyQt6.QtWidgets import (
    QDialog,
    QDialogButtonBox,
    QFormLayout,
    QLabel,
    QLineEdit,
    QVBoxLayout,
    QWidget,
)

from inertian.desktop.look import words
from inertian.desktop.look.labels import DropDown, label
from inertian.desktop.look.tokens import Theme
from inertian.desktop.state.document import Document
from inertian.motion.recording.without_data import trial_without_data
from inertian.project.model_edits import trial_without_data_added
from inertian.quantities.errors import InertianError
from inertian.quantities.facts import parse_fact
from inertian.quantities.units import unit_of

WIDTH = 420  # px
AXES = ("x",), ("x", "y")


class WithoutDataDialog(QDialog):
    """Asks for bodies, axes, duration and step; one edit when OK is pressed."""

    def __init__(self, parent: QWidget, theme: Theme, document: Document) -> None:
        super().__init__(parent)
        self._document = document
        self.setWindowTitle(words.WITHOUT_DATA_TITLE)
        self.setMinimumWidth(WIDTH)
        self.bodies = QLineEdit(words.WITHOUT_DATA_BODY)
        self.axes = DropDown(theme)
        self.axes.addItems(words.WITHOUT_DATA_AXES)
        self.duration, self.step = QLineEdit("4 s"), QLineEdit("0.01 s")
        self.trouble = QLabel()
        self.trouble.setProperty("role", "alarm")
        self.trouble.setWordWrap(True)
        self.trouble.hide()
        form = QFormLayout()
        form.addRow(words.WITHOUT_DATA_BODIES, self.bodies)
        form.addRow(words.WITHOUT_DATA_MOVES, self.axes)
        form.addRow(words.WITHOUT_DATA_DURATION, self.duration)
        form.addRow(words.WITHOUT_DATA_STEP, self.step)
        buttons = QDialogButtonBox(
            QDialogButtonBox.StandardButton.Ok | QDialogButtonBox.StandardButton.Cancel
        )
        buttons.accepted.connect(self._take)
        buttons.rejected.connect(self.reject)
        said = label(words.WITHOUT_DATA_SAID, "soft")
        said.setWordWrap(True)
        column = QVBoxLayout(self)
        column.setSpacing(10)
        for part in (said, form, self.trouble, buttons):
            column.addLayout(part) if isinstance(part, QFormLayout) else column.addWidget(part)
        self.bodies.selectAll()

    def _take(self) -> None:
        names = re.split(r"[,;]", self.bodies.text())
        second = unit_of("time", "s")
        try:
            duration, step = (
                parse_fact(line.text(), "time", second).si for line in (self.duration, self.step)
            )
            axes = AXES[self.axes.currentIndex()]
            made = trial_without_data(words.WITHOUT_DATA_NAME, names, axes, duration, step)
            edit = trial_without_data_added(self._document.committed, made)
        except InertianError as error:
            self.trouble.setText(str(error))
            self.trouble.show()
            return
        self._document.do(edit)
        self.accept()
