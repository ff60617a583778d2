"""Asking and telling the person in a small window of its own."""

from collections.abc import Sequence

from PyQt6.QtWidgets import QMessageBox, QWidget

BESIDE = 24  # px that stay free of the window beside a dialog


def ask(
    window: QWidget, title: str, text: str, buttons: QMessageBox.StandardButton
) -> QMessageBox.StandardButton:
    """Ask a question and return the button pressed."""
    box = QMessageBox(QMessageBox.Icon.NoIcon, title, text, buttons, window)
    return QMessageBox.StandardButton(box.exec())


def tell(window: QWidget, title: str, text: str) -> None:
    """Say what happened, what it means and what to do."""
    QMessageBox(QMessageBox.Icon.NoIcon, title, text, QMessageBox.StandardButton.Ok, window).exec()


def choose(window: QWidget, title: str, text: str, answers: Sequence[str]) -> str:
    """Ask for one of some answers, the first of which is safe; return it, or "" for none."""
    box = QMessageBox(
        QMessageBox.Icon.NoIcon, title, text, QMessageBox.StandardButton.Cancel, window
    )
    made = {box.addButton(answer, QMessageBox.ButtonRole.AcceptRole): answer for answer in answers}
    box.setDefaultButton(next(iter(made)))
    box.exec()
    return next((said for button, said in made.items() if button is box.clickedButton()), "")


def sized_within(dialog: QWidget, width: int, height: int) -> None:
    """Give a dialog a size in px, or as much of it as its window has: at 150 % a small screen has
    853 × 480.
    """
    window = dialog.parentWidget().window() if dialog.parentWidget() else None
    if window is not None:
        width = min(width, window.width() - 2 * BESIDE)
        height = min(height, window.height() - 2 * BESIDE)
    dialog.resize(width, height)
