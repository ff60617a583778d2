"""Asking and telling the person in a small window of its own."""

from PyQt6.QtWidgets import QMessageBox, QWidget


def ask(
    window: QWidget, title: str, text: str, buttons: QMessageBox.StandardButton
) -> QMessageBox.StandardButton:
    """Ask a question and return the button pressed."""
    box = QMessageBox(QMessageBox.Icon.NoIcon, title, text, buttons, window)
    return QMessageBox.StandardButton(box.exec())


def tell(window: QWidget, title: str, text: str) -> None:
    """Say what happened, what it means and what to do."""
    QMessageBox(QMessageBox.Icon.NoIcon, title, text, QMessageBox.StandardButton.Ok, window).exec()
