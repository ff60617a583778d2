"""The card that says how a number was computed: formula, result, and its budget."""

import html
import math

from PyQt6.QtCore import Qt
from PyQt6.QtWidgets import (
    QApplication,
    QDialog,
    QHBoxLayout,
    QLabel,
    QPushButton,
    QScrollArea,
    QVBoxLayout,
    QWidget,
)

from inertian.desktop.look import words
from inertian.desktop.look.labels import label
from inertian.desktop.look.messages import sized_within
from inertian.desktop.look.number_format import (
    format_estimate,
    format_number,
    intervals_said,
    without_markup,
)
from inertian.desktop.look.typeset import typeset
from inertian.desktop.pages.monte_carlo_panel import MonteCarloPanel, RunDraws
from inertian.physics.readings.budgets import BudgetLine, Explanation


class BudgetCard(QDialog):
    """Shows a result with its budget; the largest part stands first. `simulate` makes draws of
    it.
    """

    def __init__(
        self,
        parent: QWidget,
        what: str,
        body: str,
        unit: str,
        explained: Explanation,
        simulate: RunDraws,
    ) -> None:
        super().__init__(parent)
        self.setWindowTitle(words.HOW)
        self.setMinimumSize(640, 300)
        sized_within(self, 900, 380)
        column = QVBoxLayout(self)
        column.setContentsMargins(20, 16, 20, 16)
        column.setSpacing(8)
        title = label(words.CARD_TITLE.format(what=what), "heading")
        title.setTextFormat(Qt.TextFormat.PlainText)
        title.setWordWrap(True)
        column.addWidget(title)
        self.said = QLabel("<br>".join(_sentences(body, unit, explained)))
        self.said.setWordWrap(True)
        self.said.setTextInteractionFlags(Qt.TextInteractionFlag.TextSelectableByMouse)
        column.addWidget(self.said)
        self.table = QLabel(_table(unit, explained.lines) if explained.lines else words.CARD_SPREAD)
        self.table.setTextFormat(Qt.TextFormat.RichText)
        self.table.setAlignment(Qt.AlignmentFlag.AlignTop)
        self.table.setTextInteractionFlags(Qt.TextInteractionFlag.TextSelectableByMouse)
        area = QScrollArea()
        area.setWidgetResizable(True)
        area.setWidget(self.table)
        column.addWidget(area, 1)
        self.draws = MonteCarloPanel(unit, simulate)
        column.addWidget(self.draws)
        self.finished.connect(self.draws.stop)
        row = QHBoxLayout()
        row.addWidget(self.draws.button)
        row.addStretch(1)
        copy, close = QPushButton(words.COPY), QPushButton(words.CLOSE_DIALOG)
        copy.clicked.connect(
            lambda: QApplication.clipboard().setText(
                _plain(what, unit, explained) + self.draws.plain
            )
        )
        close.clicked.connect(self.accept)
        close.setDefault(True)
        row.addWidget(copy)
        row.addWidget(close)
        column.addLayout(row)


def _sentences(body: str, unit: str, explained: Explanation) -> list[str]:
    one, said = explained.result, []
    if explained.formula:
        formula = typeset(explained.formula)
        said.append(words.CARD_FORMULA.format(formula=formula, body=html.escape(body)))
        said.append(words.CARD_WINDOW)
    value = format_estimate(one.value, one.u, unit)
    said.append(words.CARD_RESULT.format(value=value, intervals=intervals_said(one, unit)))
    said.append(words.CARD_DOF.format(dof=_dof(one.dof)) + " " + words.CARD_WAYS[one.way])
    return said


def _dof(dof: float) -> str:
    return words.MANY if math.isinf(dof) else format_number(dof, 3)


def _per(unit: str, of: str) -> str:
    below = f"({of})" if set(of) & set("/·") else of
    return f"{unit or '1'}/{below}" if of else unit


def _cells(line: BudgetLine, unit: str) -> tuple[str, ...]:
    where = "" if line.kind != "fact" else words.CARD_SHARED if line.shared else words.CARD_ALONE
    return (
        line.name,
        line.stated,
        "" if line.input_u is None else f"{format_number(line.input_u, 2)} {line.unit}".strip(),
        ""
        if line.sensitivity is None
        else f"{format_number(line.sensitivity, 3)} {_per(unit, line.unit)}".strip(),
        f"{format_number(line.u, 2)} {unit}".strip(),
        f"{format_number(100.0 * line.share, 2)} %",
        _dof(line.dof),
        where,
    )


def _table(unit: str, lines: tuple[BudgetLine, ...]) -> str:
    head = "".join(f"<th align='left'>{text}&nbsp;&nbsp;</th>" for text in words.CARD_COLUMNS)
    rows = [
        "<tr>"
        + "".join(f"<td>{html.escape(cell)}&nbsp;&nbsp;</td>" for cell in _cells(line, unit))
        + "</tr>"
        for line in lines
    ]
    return f"<table cellpadding='3'><tr>{head}</tr>{''.join(rows)}</table>"


def _plain(what: str, unit: str, explained: Explanation) -> str:
    one = explained.result
    rows = [what, f"{one.value!r}\t± {one.u!r}\t{unit}", "\t".join(words.CARD_COLUMNS)]
    table = "\n".join([*rows, *("\t".join(_cells(line, unit)) for line in explained.lines)])
    return without_markup(table)
