"""A field for one statement of a recipe: a scale, a frame rate, a time base."""

from collections.abc import Callable

from PyQt6.QtCore import Qt, pyqtSignal
from PyQt6.QtWidgets import QLineEdit, QVBoxLayout, QWidget

from inertian.desktop.look.labels import label
from inertian.quantities.errors import InertianError

Reader = Callable[[str], dict[str, object]]  # from what is typed to parts of a recipe


class RecipeField(QWidget):
    """Emits `changed` with what the recipe shall say, by the names of its parts; says what is wrong
    below the line.
    """

    changed = pyqtSignal(dict)

    def __init__(self, text: str, hint: str, now: str, read: Reader) -> None:
        super().__init__()
        self._now, self._read = now, read
        self.line, self._trouble = QLineEdit(now), label("", "alarm")
        self._trouble.setWordWrap(True)
        self._trouble.setTextFormat(Qt.TextFormat.PlainText)
        self._trouble.hide()
        self.line.setPlaceholderText(hint)
        self.line.setAccessibleName(text)
        self.line.editingFinished.connect(self._take)
        column = QVBoxLayout(self)
        column.setContentsMargins(0, 0, 0, 0)
        column.setSpacing(4)
        for part in (label(text), self.line, self._trouble):
            column.addWidget(part)

    def _take(self) -> None:
        if self.line.text().strip() == self._now:
            return
        try:
            changes = self._read(self.line.text().strip())
        except InertianError as error:
            self._trouble.setText(str(error))
            self._trouble.show()
            return
        self.changed.emit(changes)


def scale_of(text: str) -> dict[str, object]:
    """Return what a typed scale says. Raises InertianError."""
    from inertian.files.cells.stated_scales import parse_scale

    return {"scale": parse_scale(text) if text else None}


def rate_of(text: str) -> dict[str, object]:
    """Return what a typed frame rate says. Raises InertianError."""
    from inertian.files.cells.stated_scales import parse_rate

    return {"frame_rate": parse_rate(text) if text else None}


def time_base_of(text: str) -> dict[str, object]:
    """Return what a typed time base says. Raises InertianError."""
    from inertian.files.cells.stated_scales import parse_time_base

    return {"time_base": parse_time_base(text) if text else None}
