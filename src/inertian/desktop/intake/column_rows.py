"""The columns of a file, a line each: title, use and unit; use and unit can be changed in place."""

from typing import TYPE_CHECKING

from PyQt6.QtCore import Qt, pyqtSignal
from PyQt6.QtWidgets import QHBoxLayout, QVBoxLayout, QWidget

from inertian.desktop.look import words
from inertian.desktop.look.labels import BodyLabel, DropDown, label
from inertian.desktop.look.tokens import Theme
from inertian.quantities.units import symbols

if TYPE_CHECKING:
    from inertian.files.interpretation.grid_interpretation import ColumnView
    from inertian.files.interpretation.parsed_file import ParsedFile

MOST_COLUMNS = 16
TITLE_WIDTH, UNIT_WIDTH = 92, 54  # px
_UNITS = {
    "time": "time", "position": "length", "uncertainty": "length", "force": "force",
    "acceleration": "acceleration",
    "velocity": "speed",
}  # fmt: skip


class ColumnRows(QWidget):
    """Shows what each column is for. `role_wanted` and `unit_wanted` carry a column's place and
    what it shall be.
    """

    role_wanted = pyqtSignal(int, str)
    unit_wanted = pyqtSignal(int, str)

    def __init__(self, theme: Theme, reading: "ParsedFile") -> None:
        super().__init__()
        self._theme = theme
        self.choices: dict[str, DropDown] = {}
        column = QVBoxLayout(self)
        column.setContentsMargins(0, 0, 0, 0)
        column.setSpacing(4)
        views = reading.tables[0].columns
        fed = reading.bodies_fed(reading.tables[0])
        for view in views[:MOST_COLUMNS]:
            name = view.title or f"column {view.place + 1}"
            place = fed.get(view.place)
            title = (
                BodyLabel(theme, place, name)
                if place is not None
                else label(name, "" if not view.why else "soft")
            )
            title.setTextFormat(Qt.TextFormat.PlainText)
            room = TITLE_WIDTH - (16 if place is not None else 0)
            title.setText(title.fontMetrics().elidedText(name, Qt.TextElideMode.ElideMiddle, room))
            title.setToolTip(f"{name}: {view.why}" if view.why else name)
            title.setFixedWidth(TITLE_WIDTH)
            row = QHBoxLayout()
            row.setSpacing(2)
            row.addWidget(title)
            row.addWidget(self._role_choice(view), 1)
            kind = _UNITS.get(view.role)
            if kind and not view.why:
                unit = self._unit_choice(view, kind)
                unit.setFixedWidth(UNIT_WIDTH)
                row.addWidget(unit)
            column.addLayout(row)
        if len(views) > MOST_COLUMNS:
            column.addWidget(
                label(words.MORE_COLUMNS.format(count=len(views) - MOST_COLUMNS), "small")
            )

    def _role_choice(self, view: "ColumnView") -> DropDown:
        made = DropDown(self._theme)
        made.setProperty("role", "quiet")
        made.setAccessibleName(view.title)
        made.setSizeAdjustPolicy(DropDown.SizeAdjustPolicy.AdjustToMinimumContentsLengthWithIcon)
        made.setMinimumContentsLength(4)
        now = (
            "other"
            if view.why
            else f"position {view.axis}"
            if view.role == "position"
            else view.role
        )
        for key, name in words.ROLE_NAMES.items():
            made.addItem(
                words.LEFT_OUT.format(why=view.why) if key == "other" and view.why else name, key
            )
        made.setCurrentIndex(max(made.findData(now), 0))
        made.setToolTip(view.why)
        made.activated.connect(lambda _i: self.role_wanted.emit(view.place, made.currentData()))
        self.choices[f"role {view.place}"] = made
        return made

    def _unit_choice(self, view: "ColumnView", kind: str) -> DropDown:
        from inertian.quantities.units import kind_of, unit_of

        made = DropDown(self._theme)
        made.setProperty("role", "quiet")
        made.setAccessibleName(f"{view.title}: unit")
        for symbol in symbols(kind):
            made.addItem(symbol, symbol)
        known = unit_of(kind, view.unit).symbol if kind_of(view.unit) == kind else ""
        if not known:
            made.insertItem(0, "unit?", "")
        made.setCurrentIndex(max(made.findData(known), 0))
        made.activated.connect(lambda _i: self.unit_wanted.emit(view.place, made.currentData()))
        self.choices[f"unit {view.place}"] = made
        return made
