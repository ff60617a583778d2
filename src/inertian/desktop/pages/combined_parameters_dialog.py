"""The same curve in all trials of a series: each parameter trial by trial, and its common value."""

import html
from functools import partial
from threading import Event

from PyQt6.QtCore import Qt, pyqtSignal
from PyQt6.QtWidgets import (
    QApplication,
    QDialog,
    QHBoxLayout,
    QLabel,
    QProgressBar,
    QPushButton,
    QScrollArea,
    QVBoxLayout,
    QWidget,
)

from inertian.analysis.evaluation import Evaluator, SeriesCurve
from inertian.desktop.look import words
from inertian.desktop.look.labels import label
from inertian.desktop.look.messages import sized_within
from inertian.desktop.look.number_format import format_estimate, format_number, without_markup
from inertian.desktop.state.worker import Worker
from inertian.physics.definitions.requests import CurveRequest
from inertian.project.project import Project
from inertian.quantities.errors import InertianError


class CombinedParametersDialog(QDialog):
    """Fits the curve in every trial on a thread of its own, then shows the table; closing it stops
    the work.
    """

    _progress = pyqtSignal(int, int)

    def __init__(
        self, parent: QWidget, project: Project, series: str, request: CurveRequest
    ) -> None:
        super().__init__(parent)
        self._worker, self._cancelled = Worker(), Event()
        self.rows: list[list[str]] = []
        self.setWindowTitle(words.TOGETHER_TITLE)
        sized_within(self, 780, 540)
        column = QVBoxLayout(self)
        column.setContentsMargins(20, 16, 20, 16)
        column.setSpacing(8)
        said = words.TOGETHER_SAID.format(
            shape=request.shape, span=request.span, body=request.body, series=series
        )
        heading = label(said, "heading")
        heading.setTextFormat(Qt.TextFormat.PlainText)
        heading.setWordWrap(True)
        self.table = QLabel()
        self.table.setTextFormat(Qt.TextFormat.RichText)
        self.table.setAlignment(Qt.AlignmentFlag.AlignTop)
        self.table.setTextInteractionFlags(Qt.TextInteractionFlag.TextSelectableByMouse)
        area = QScrollArea()
        area.setWidgetResizable(True)
        area.setWidget(self.table)
        self.bar = QProgressBar()
        self.bar.setTextVisible(False)
        tip = label(words.TOGETHER_TIP, "small")
        tip.setWordWrap(True)
        row = QHBoxLayout()
        row.addStretch(1)
        self.copy, close = QPushButton(words.COPY), QPushButton(words.CLOSE_DIALOG)
        self.copy.setEnabled(False)
        self.copy.clicked.connect(
            lambda: QApplication.clipboard().setText(
                without_markup("\n".join(map("\t".join, self.rows)))
            )
        )
        close.clicked.connect(self.accept)
        close.setDefault(True)
        for button in (self.copy, close):
            row.addWidget(button)
        for part in (heading, area, self.bar, tip):
            column.addWidget(part, 1 if part is area else 0)
        column.addLayout(row)
        self._progress.connect(self._show_progress)
        self.finished.connect(self._stop)

        def report(done: int, of: int) -> bool:
            self._progress.emit(done, of)
            return not self._cancelled.is_set()

        work = partial(Evaluator().curve_in_series, project, series, request, report)
        self._worker.run("together", work, self._show, self._failed)

    def _show_progress(self, done: int, of: int) -> None:
        self.bar.setRange(0, of)
        self.bar.setValue(done)

    def _show(self, found: SeriesCurve) -> None:
        self.bar.hide()
        self.copy.setEnabled(True)
        units = [found.units.get(symbol, "") for symbol in found.symbols]
        heads = [
            f"{symbol} ({unit})" if unit else symbol
            for symbol, unit in zip(found.symbols, units, strict=True)
        ]
        self.rows = [[words.TOGETHER_TRIAL, *heads]]
        for name, result in found.trials:
            if isinstance(result, InertianError):
                self.rows.append([name, str(result)])
            else:
                values = dict(result.parameters)
                self.rows.append(
                    [name, *(format_estimate(values[s].value, values[s].u) for s in found.symbols)]
                )
        common = [found.together.get(symbol) for symbol in found.symbols]
        if any(common):
            self.rows.append(
                [
                    words.TOGETHER_ROW,
                    *(format_estimate(c.value.value, c.value.u) if c else "—" for c in common),
                ]
            )
            said = [
                (words.TOGETHER_AGREE if c.agree else words.TOGETHER_DIFFER).format(
                    chi=format_number(c.chi_squared, 3), dof=c.dof
                )
                if c
                else ""
                for c in common
            ]
            self.rows.append(["", *said])
        self.table.setText(_as_table(self.rows, bool(any(common))))

    def _failed(self, error: BaseException) -> None:
        self.reject()
        raise error

    def _stop(self) -> None:
        self._cancelled.set()
        self._worker.stop()


def _as_table(rows: list[list[str]], summed: bool) -> str:
    """The table as rich text; its last two rows stand out if they sum up the others."""
    head = "".join(f"<th align='left'>{html.escape(cell)}&nbsp;&nbsp;</th>" for cell in rows[0])
    body = []
    for place, row in enumerate(rows[1:]):
        bold = summed and place == len(rows) - 3
        cells = [f"<b>{html.escape(c)}</b>" if bold else html.escape(c) for c in row]
        span = f" colspan='{len(rows[0]) - 1}'" if len(row) == 2 < len(rows[0]) else ""
        parts = [f"<td{span if k == 1 else ''}>{c}&nbsp;&nbsp;</td>" for k, c in enumerate(cells)]
        body.append(f"<tr>{''.join(parts)}</tr>")
    return f"<table cellpadding='3'><tr>{head}</tr>{''.join(body)}</table>"
