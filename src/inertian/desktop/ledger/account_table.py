"""The table of an account: dates as columns, what came from outside between them, bodies and forms
as rows, and what is unaccounted at the foot.
"""

from functools import partial
from typing import NamedTuple

from PyQt6.QtCore import Qt, pyqtSignal
from PyQt6.QtWidgets import QCheckBox, QGridLayout, QLabel, QWidget

from inertian.desktop.look import words
from inertian.desktop.look.labels import BodyLabel, ExplainedLabel, label, rule
from inertian.desktop.look.number_format import format_estimate, format_number, intervals_said
from inertian.desktop.look.theme import font
from inertian.desktop.look.tokens import Theme
from inertian.physics.accounts.ledger import Ledger
from inertian.physics.accounts.statements import WHOLE, EntryOf, Unaccounted
from inertian.quantities.coverage import Scalar

NAME_WIDTH, COLUMN_WIDTH, INDENT = 104, 70, 16  # px
RIGHT = Qt.AlignmentFlag.AlignRight | Qt.AlignmentFlag.AlignVCenter


class Shape(NamedTuple):
    """What the rows and columns of a table are made from; another one needs another table."""

    dates: int
    lines: tuple[tuple[str, str], ...]  # body and form, "" for all forms of a body
    entries: tuple[str, ...]


def shape_of(ledger: Ledger) -> Shape:
    """Return the shape of an account's table: a line for each body, and for each of its forms where
    it has several.
    """
    lines: list[tuple[str, str]] = []
    for body in ledger.body_names:
        lines.append((body, ""))
        names = ledger.forms_of(body)
        lines += [(body, name) for name in names if len(names) > 1]
    entries = (*(name for name, _ in ledger.entries), *ledger.statement.off)
    return Shape(len(ledger.dates), tuple(lines), entries)


class AccountTable(QWidget):
    """Cells by row and column: rows are bodies with their forms, "total", entries and
    "unaccounted"; columns are places of dates, or of periods behind a "+".
    """

    switched = pyqtSignal(str, bool)  # an entry, and whether it is to count

    def __init__(self, theme: Theme, shape: Shape, bodies: tuple[str, ...]) -> None:
        super().__init__()
        self.shape = shape
        self.cells: dict[tuple[object, str], ExplainedLabel] = {}
        self.heads: dict[str, QLabel] = {}
        self.names: list[QWidget] = []
        grid = self.grid = QGridLayout(self)
        grid.setContentsMargins(0, 0, 0, 0)
        grid.setHorizontalSpacing(8)
        grid.setVerticalSpacing(2)
        grid.setColumnMinimumWidth(0, NAME_WIDTH)
        dates, periods = range(shape.dates), range(shape.dates - 1)
        self.columns = {str(k): 1 + 2 * k for k in dates} | {f"+{k}": 2 + 2 * k for k in periods}
        if shape.dates > 2:
            self.columns[f"+{WHOLE}"] = 2 * shape.dates
        for name, place in self.columns.items():
            head = self.heads[name] = label("", "soft")
            head.setAlignment(Qt.AlignmentFlag.AlignRight | Qt.AlignmentFlag.AlignBottom)
            grid.addWidget(head, 0, place)
        at_dates, between = [str(k) for k in dates], [c for c in self.columns if c[0] == "+"]
        row = 1
        for body, form in shape.lines:
            if form:
                self._row(row, (body, form), label(form, "soft"), at_dates, INDENT)
            else:
                head = BodyLabel(theme, bodies.index(body), body)
                head.shorten(NAME_WIDTH)
                self._row(row, (body, ""), head, at_dates)
            row += 1
        self._rule(row)
        self._row(row + 1, words.TOTAL, label(words.TOTAL), at_dates)
        row += 2
        self.switches: dict[str, QCheckBox] = {}
        for name in shape.entries:
            switch = self.switches[name] = QCheckBox(name)
            switch.setToolTip(words.SWITCH_TIP)
            switch.clicked.connect(partial(self._switched, name))
            self._row(row, name, switch, between)
            row += 1
        self._rule(row)
        self._row(row + 1, words.UNACCOUNTED, label(words.UNACCOUNTED.lower()), between)
        for column in between:
            self.cells[words.UNACCOUNTED, column].setFont(font(weight=font().Weight.DemiBold))

    def _row(
        self, row: int, key: object, head: QWidget, columns: list[str], indent: int = 0
    ) -> None:
        if indent:
            head.setContentsMargins(indent, 0, 0, 0)
        self.names.append(head)
        self.grid.addWidget(head, row, 0)
        for name in columns:
            cell = ExplainedLabel()
            cell.setAlignment(RIGHT)
            self.grid.addWidget(cell, row, self.columns[name])
            self.cells[key, name] = cell

    def _rule(self, row: int) -> None:
        self.grid.addWidget(rule(), row, 0, 1, max(self.columns.values()) + 1)

    def show_ledger(self, ledger: Ledger) -> None:
        """Show the account as it is now; its shape is that of this table."""
        for k, date in enumerate(ledger.dates):
            at = words.AT_TIME.format(time=format_number(date.t, 5))
            self.heads[str(k)].setText(f"{date.name}<br><small>{at}</small>")
            for body, form in self.shape.lines:
                self._show((body, form), str(k), ledger.amount(k, body, form), ledger)
            self._show(words.TOTAL, str(k), ledger.amount(k), ledger)
        for name, switch in self.switches.items():
            switch.setChecked(name not in ledger.statement.off)
        periods = [*ledger.statement.periods, *([WHOLE] if self.shape.dates > 2 else [])]
        for k in periods:
            name = f"+{k}"
            self.heads[name].setText(words.FIRST_TO_LAST if k == WHOLE else words.BETWEEN_DATES)
            for entry in self.shape.entries:
                if EntryOf(k, entry) in ledger.amounts:
                    self._show(entry, name, ledger.amounts[EntryOf(k, entry)], ledger)
                else:
                    self.cells[entry, name].setText("")
            self._show(words.UNACCOUNTED, name, ledger.amounts[Unaccounted(k)], ledger)

    def _show(self, row: object, column: str, scalar: Scalar, ledger: Ledger) -> None:
        cell = self.cells[row, column]
        cell.setText(format_estimate(scalar.value, scalar.u))
        cell.explain = partial(self._explained, row, scalar, ledger)

    def _switched(self, name: str, on: bool) -> None:
        self.switched.emit(name, on)

    @staticmethod
    def _explained(row: object, scalar: Scalar, ledger: Ledger) -> str:
        """What hovering over a number says: intervals, and of an entry where it comes from."""
        sources = {e.name: e.source for own in ledger.statement.entries for e in own}
        said = intervals_said(scalar, ledger.unit)
        if row not in sources:
            return said
        return f"{words.ENTRY_TIP.format(name=row, source=sources[row])}.<br>{said}"

    def parts_of(self, column: str) -> list[QLabel]:
        """Return the head and the cells of a column; none where there is no such column."""
        if column not in self.heads:
            return []
        cells = [cell for (_, name), cell in self.cells.items() if name == column]
        return [self.heads[column], *cells]
