"""What stands on the stage while there is no trial: a sentence, and the buttons that help."""

from PyQt6.QtCore import Qt
from PyQt6.QtWidgets import QHBoxLayout, QPushButton, QVBoxLayout, QWidget

from inertian.desktop.look import words
from inertian.desktop.look.labels import label


class EmptyStage(QWidget):
    """Offers to open something, or the demo."""

    def __init__(self) -> None:
        super().__init__()
        column = QVBoxLayout(self)
        column.addStretch(2)
        text = label(words.NO_TRIAL, "heading")
        text.setAlignment(Qt.AlignmentFlag.AlignCenter)
        text.setWordWrap(True)
        column.addWidget(text)
        row = QHBoxLayout()
        row.addStretch(1)
        self.open_button = QPushButton(words.NO_TRIAL_OPEN)
        self.demo_button = QPushButton(words.NO_TRIAL_DEMO)
        for button in (self.demo_button, self.open_button):
            row.addWidget(button)
        row.addStretch(1)
        column.addSpacing(12)
        column.addLayout(row)
        column.addStretch(3)
