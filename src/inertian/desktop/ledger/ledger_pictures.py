"""Painted pictures of a ledger: intervals to scale, and the budget as bars."""

import math
from collections.abc import Callable

from PyQt6.QtCore import QPointF, QRectF, QSize, Qt
from PyQt6.QtGui import QColor, QPainter, QPaintEvent, QPen, QStaticText, QTransform
from PyQt6.QtWidgets import QSizePolicy, QWidget

from inertian.desktop.bench.rail_ruler import finer, ruler_step
from inertian.desktop.look import words
from inertian.desktop.look.number_format import format_number, format_tick
from inertian.desktop.look.theme import font
from inertian.desktop.look.tokens import SMALL, Theme
from inertian.physics.accounts.ledger import Ledger
from inertian.physics.accounts.verdicts import Expectation
from inertian.quantities.coverage import Scalar

ROW, LEAST_WIDTH = 26, 190  # px


class Intervals(QWidget):
    """Expected and found amount, and their difference, as intervals on one scale about the expected
    amount.

    The thick bar holds the true value 2 times in 3, the thin line 95 times in 100; the shaded
    stretch is what would not have been seen.
    """

    LABEL = 86

    def __init__(self, theme: Theme) -> None:
        super().__init__()
        self._theme = theme
        self._ledger: Ledger | None = None
        self.setMinimumWidth(LEAST_WIDTH)
        self.setSizePolicy(QSizePolicy.Policy.Expanding, QSizePolicy.Policy.Preferred)

    def sizeHint(self) -> QSize:
        """Qt: title, three rows and a scale."""
        return QSize(300, 3 * ROW + 44)

    def minimumSizeHint(self) -> QSize:
        """Qt: no smaller than its rows."""
        return QSize(LEAST_WIDTH, 3 * ROW + 44)

    def show_ledger(self, ledger: Ledger) -> None:
        """Show another ledger, or the same after a change."""
        self._ledger = ledger
        self.setAccessibleName(
            words.INTERVALS_TITLE.format(unit=words.ALL_IN.format(unit=ledger.unit))
        )
        self.update()

    def _rows(self, ledger: Ledger) -> list[tuple[str, float, Scalar]]:
        expected = ledger.expected
        return [
            (words.ROW_EXPECTED, 0.0, expected),
            (words.ROW_AFTER, ledger.closing.value - expected.value, ledger.closing),
            (words.ROW_LEFT, ledger.unaccounted.value, ledger.unaccounted),
        ]

    def paintEvent(self, event: QPaintEvent) -> None:
        """Qt: paint the three intervals on one scale."""
        ledger = self._ledger
        if ledger is None:
            return
        painter = QPainter(self)
        painter.setFont(font(SMALL))
        rows = self._rows(ledger)
        low = min([c - s.k95 * s.u for _, c, s in rows] + [-ledger.judgement.smallest_visible])
        high = max([c + s.k95 * s.u for _, c, s in rows] + [ledger.judgement.smallest_visible])
        pad = 0.06 * (high - low) or 1.0
        low, high = low - pad, high + pad
        left, right = float(self.LABEL), self.width() - 12.0

        def x(value: float) -> float:
            return left + (value - low) / (high - low) * (right - left)

        painter.setPen(QColor(self._theme.soft_ink))
        title = words.INTERVALS_TITLE.format(unit=words.ALL_IN.format(unit=ledger.unit))
        painter.drawText(QRectF(8, 0, self.width() - 12, 16), Qt.AlignmentFlag.AlignLeft, title)
        top, bottom = 20.0, 20.0 + 3 * ROW
        if ledger.expectation is not Expectation.NOT_CONSERVED:
            shade = QColor(self._theme.fill)
            shade.setAlpha(70)
            half = ledger.judgement.smallest_visible
            painter.fillRect(QRectF(x(-half), top, x(half) - x(-half), bottom - top), shade)
        self._paint_scale(painter, x, low, high, bottom)
        painter.setPen(QPen(QColor(self._theme.edge), 1, Qt.PenStyle.DashLine))
        painter.drawLine(QPointF(x(0.0), top), QPointF(x(0.0), bottom))
        for place, (name, centre, scalar) in enumerate(rows):
            self._paint_interval(painter, x, name, centre, scalar, top + (place + 0.5) * ROW)

    def _paint_scale(
        self, painter: QPainter, x: Callable[[float], float], low: float, high: float, y: float
    ) -> None:
        painter.setPen(QColor(self._theme.rule))
        painter.drawLine(QPointF(self.LABEL, y), QPointF(self.width() - 12, y))
        step = ruler_step(high - low, self.width() - self.LABEL - 12.0, 34.0)
        while math.floor(high / step) - math.ceil(low / step) < 1:
            step = finer(step)  # one number alone says nothing of the scale
        k = int(low / step) - 1
        while k * step <= high:
            if k * step >= low:
                painter.setPen(QColor(self._theme.rule))
                painter.drawLine(QPointF(x(k * step), y), QPointF(x(k * step), y + 4))
                painter.setPen(QColor(self._theme.soft_ink))
                box = QRectF(x(k * step) - 30, y + 4, 60, 16)
                painter.drawText(box, Qt.AlignmentFlag.AlignCenter, format_tick(k * step, step))
            k += 1

    def _paint_interval(
        self,
        painter: QPainter,
        x: Callable[[float], float],
        name: str,
        centre: float,
        s: Scalar,
        y: float,
    ) -> None:
        painter.setPen(QColor(self._theme.ink))
        box = QRectF(8, y - ROW / 2, self.LABEL - 14, ROW)
        painter.drawText(box, Qt.AlignmentFlag.AlignVCenter | Qt.AlignmentFlag.AlignLeft, name)
        painter.setPen(QPen(QColor(self._theme.ink), 1))
        painter.drawLine(QPointF(x(centre - s.k95 * s.u), y), QPointF(x(centre + s.k95 * s.u), y))
        inner = x(centre + s.k68 * s.u) - x(centre - s.k68 * s.u)
        painter.fillRect(
            QRectF(x(centre - s.k68 * s.u), y - 5, max(inner, 1.0), 10),
            QColor(self._theme.strong_fill),
        )
        painter.setPen(QPen(QColor(self._theme.sheet), 2))
        painter.drawLine(QPointF(x(centre), y - 5), QPointF(x(centre), y + 5))


class Budget(QWidget):
    """The variance of the unaccounted amount by source, largest first."""

    NAME, VALUE = 196, 196

    def __init__(self, theme: Theme) -> None:
        super().__init__()
        self._theme = theme
        self.rows: list[tuple[str, str, float]] = []  # source, ± in words, share
        self.setSizePolicy(QSizePolicy.Policy.Expanding, QSizePolicy.Policy.Fixed)

    def sizeHint(self) -> QSize:
        """Qt: one row per source."""
        return QSize(400, max(len(self.rows), 1) * 22 + 4)

    def show_ledger(self, ledger: Ledger) -> None:
        """Show the budget of another ledger."""
        total = sum(ledger.budget.values())
        ordered = sorted(ledger.budget.items(), key=lambda item: -item[1])
        self.rows = [
            (source.name, f"± {format_number(variance**0.5, 2)} {ledger.unit}", variance / total)
            for source, variance in ordered
            if total > 0 and variance / total >= 0.0005
        ]
        self.updateGeometry()
        self.update()

    def paintEvent(self, event: QPaintEvent) -> None:
        """Qt: paint one bar per source."""
        painter = QPainter(self)
        painter.setFont(font())
        span = self.width() - self.NAME - self.VALUE - 40.0
        for place, (name, size, share) in enumerate(self.rows):
            y = place * 22.0 + 2
            painter.setPen(QColor(self._theme.ink))
            centre = Qt.AlignmentFlag.AlignVCenter
            name = painter.fontMetrics().elidedText(
                name, Qt.TextElideMode.ElideMiddle, self.NAME - 16
            )
            painter.drawText(QRectF(16, y, self.NAME - 16, 20), centre, name)
            bar = QRectF(self.NAME + 8, y + 4, max(share * span, 1.0), 12)
            painter.fillRect(
                bar, QColor(self._theme.strong_fill if place == 0 else self._theme.fill)
            )
            percent = words.BUDGET_SHARE.format(share=format_number(100 * share, 2))
            percent = words.BUDGET_NEGLIGIBLE if share < 0.005 else percent
            value = QRectF(self.width() - self.VALUE - 12, y, self.VALUE, 20)
            written = QStaticText(size)  # it raises powers of ten
            written.prepare(QTransform(), painter.font())
            top = value.center().y() - 0.5 * written.size().height()
            painter.drawStaticText(QPointF(value.left(), top), written)
            painter.setPen(QColor(self._theme.soft_ink))
            painter.drawText(value, centre | Qt.AlignmentFlag.AlignRight, percent)
