"""Energy in time: the forms on top of one another, and what is no longer there."""

from dataclasses import dataclass

import numpy as np
import pyqtgraph as pg
from PyQt6.QtCore import Qt, pyqtSignal
from PyQt6.QtGui import QBrush, QColor, QPainter, QPixmap
from PyQt6.QtWidgets import QHBoxLayout, QLabel, QVBoxLayout, QWidget
from pyqtgraph.GraphicsScene.mouseEvents import MouseClickEvent

from inertian.desktop.look import words
from inertian.desktop.look.labels import empty_layout, label
from inertian.desktop.look.number_format import format_tick
from inertian.desktop.look.span_tints import tint_of
from inertian.desktop.look.theme import font
from inertian.desktop.look.tokens import SMALL, Theme
from inertian.motion.spans.spans import Span, Spans
from inertian.physics.accounts.forms import HEIGHT as RAISED
from inertian.physics.accounts.forms import KINETIC, ROTATION, SPRING
from inertian.physics.accounts.ledger import ENERGY_UNIT, Ledger
from inertian.quantities.estimates import Array, Rows

HEIGHT, SWATCH = 190, 14  # px
# Areas differ by pattern as well as by tone, so that print without colour tells them apart
PATTERNS = (
    Qt.BrushStyle.SolidPattern,
    Qt.BrushStyle.BDiagPattern,
    Qt.BrushStyle.FDiagPattern,
    Qt.BrushStyle.DiagCrossPattern,
)


SHADE = 70  # of 255, of spans behind the energies


@dataclass(frozen=True, eq=False)
class ShownEnergies:
    """What is drawn: times in s and amounts by form, (n,), on top of one another or as lines."""

    t: Array
    amounts: dict[str, Array]
    stacked: bool


class EnergyPicture(QWidget):
    """Stacked areas of the forms; lines where one of them is negative. The total has its ± u, where
    that is known; dates are marked. A click puts the plumb line of the bench there: `clicked`
    carries a time in s.
    """

    clicked = pyqtSignal(float)

    def __init__(self, theme: Theme) -> None:
        super().__init__()
        self._theme = theme
        self.plot = pg.PlotWidget(background=theme.sheet)
        self.plot.setFixedHeight(HEIGHT)
        self.plot.setFrameShape(self.plot.Shape.NoFrame)
        item = self.plot.getPlotItem()
        item.hideButtons()
        item.setMenuEnabled(False)
        item.setMouseEnabled(x=True, y=False)
        self.plot.scene().sigMouseClicked.connect(self._click)
        self.line = pg.InfiniteLine(angle=90)
        self.shown: ShownEnergies | None = None
        self.reason = label("", "soft")
        self.reason.setContentsMargins(16, 10, 16, 10)
        self.legend = QHBoxLayout()
        self.legend.setContentsMargins(56, 0, 16, 0)
        self.legend.setSpacing(16)
        column = QVBoxLayout(self)
        column.setContentsMargins(0, 6, 0, 0)
        column.setSpacing(2)
        column.addLayout(self.legend)
        column.addWidget(self.reason)
        column.addWidget(self.plot)
        left = item.getAxis("left")
        left.setWidth(56)
        left.tickStrings = lambda values, _scale, step: [format_tick(v, step) for v in values]
        self._wear()

    def _wear(self) -> None:
        """Wear the theme as it is now."""
        theme = self._theme
        self.plot.setBackground(theme.sheet)
        self.line.setPen(pg.mkPen(theme.brass, width=1))
        for name in ("left", "bottom"):
            axis = self.plot.getPlotItem().getAxis(name)
            axis.setPen(pg.mkPen(theme.rule))
            axis.setTextPen(QColor(theme.soft_ink))
            axis.setStyle(tickFont=font(SMALL), tickLength=-4)
            axis.enableAutoSIPrefix(False)

    def show_amounts(
        self,
        ledger: Ledger,
        t: Array,
        amounts: dict[str, Array],
        u: Array | None,
        line: float | None,
        spans: Spans,
    ) -> None:
        """Show the forms of an account at times t in s, (n,), in its unit, and u of their sum;
        `line` is where the plumb line stands. Behind them lie the spans in which something happens.
        """
        told = bool(amounts) and ledger.unit == ENERGY_UNIT
        self.plot.setVisible(told)
        self.reason.setVisible(not told)
        self.reason.setText(words.NO_ENERGY)
        empty_layout(self.legend)
        self.plot.clear()
        self._wear()
        self.shown = None
        if not told:
            return
        names = [n for n in FORM_ORDER if n in amounts]
        rows = np.flatnonzero(np.all([np.isfinite(amounts[n]) for n in names], axis=0))
        inside = rows[(t[rows] >= ledger.opens_at - 1e-9) & (t[rows] <= ledger.closes_at + 1e-9)]
        rows = inside if len(inside) > 1 else rows
        if len(rows) < 2:
            return
        times = t[rows]
        stacked = all(np.nanmin(amounts[n][rows]) > -0.01 * _largest(amounts, rows) for n in names)
        below = np.zeros(len(rows))
        self.shown = ShownEnergies(times, {n: amounts[n][rows] for n in names}, stacked)
        for place, name in enumerate(names):
            self._add(name, place, times, below, amounts[name][rows], stacked)
            below = below + amounts[name][rows]
        if u is not None:
            self._band(times, below, u[rows])
        opening = ledger.opening.value
        if stacked:
            self._curve(times, np.full(len(times), opening), Qt.PenStyle.DashLine)
            self._legend(words.STACK_REST, None)
        else:
            self._curve(times, below, Qt.PenStyle.DashLine)
            self._legend(words.TOTAL, None)
        for date in ledger.dates:
            self._mark(date.t, Qt.PenStyle.DotLine, self._theme.soft_ink)
        for span in spans:
            if span.kind.event:
                self._shade(span)
        self.plot.addItem(self.line, ignoreBounds=True)
        self.move_line(line)
        self.legend.addStretch(1)
        self.legend.addWidget(label(words.ALL_IN.format(unit=ledger.unit), "soft"))

    def _band(self, t: Array, total: Array, u: Array) -> None:
        """A band of ± u about the total."""
        shade = QColor(self._theme.ink)
        shade.setAlpha(60)
        edges = [pg.PlotCurveItem(t, total + sign * u) for sign in (-1.0, 1.0)]
        self.plot.addItem(pg.FillBetweenItem(*edges, brush=QBrush(shade)))

    def _shade(self, span: Span) -> None:
        """A span as a faint band, in the tint that it has on the bench."""
        tint = tint_of(self._theme, span.kind)
        tint.setAlpha(SHADE)
        band = pg.LinearRegionItem(
            (span.start, span.stop), movable=False, brush=QBrush(tint), pen=pg.mkPen(None)
        )
        band.setZValue(-10)
        band.setToolTip(f"{span.name}: {words.SPAN_KINDS[span.kind]}")
        self.plot.addItem(band, ignoreBounds=True)

    def move_line(self, time: float | None) -> None:
        """Put the plumb line at a time in s, or take it away."""
        self.line.setVisible(time is not None)
        if time is not None:
            self.line.setValue(time)

    def _click(self, event: MouseClickEvent) -> None:
        place = self.plot.getPlotItem().vb.mapSceneToView(event.scenePos())
        self.clicked.emit(float(place.x()))

    def _add(
        self, name: str, place: int, t: Array, below: Array, own: Array, stacked: bool
    ) -> None:
        brush = self._brush(place)
        upper = self._curve(t, below + own if stacked else own, Qt.PenStyle.SolidLine)
        if stacked:
            lower = pg.PlotCurveItem(t, below)
            self.plot.addItem(pg.FillBetweenItem(lower, upper, brush=brush))
        else:
            upper.setPen(pg.mkPen(self._theme.ink, style=STYLES[place % len(STYLES)]))
        self._legend(name, brush if stacked else None)

    def _brush(self, place: int) -> QBrush:
        tone = self._theme.strong_fill if place % 2 == 0 else self._theme.soft_ink
        return QBrush(QColor(tone), PATTERNS[place % len(PATTERNS)])

    def _curve(self, t: Array, y: Array, style: Qt.PenStyle) -> pg.PlotCurveItem:
        curve = pg.PlotCurveItem(t, y, pen=pg.mkPen(self._theme.ink, width=1, style=style))
        self.plot.addItem(curve)
        return curve

    def _mark(self, at: float, style: Qt.PenStyle, tone: str) -> None:
        mark = pg.InfiniteLine(at, angle=90, pen=pg.mkPen(tone, width=1, style=style))
        self.plot.addItem(mark, ignoreBounds=True)

    def _legend(self, name: str, brush: QBrush | None) -> None:
        swatch = QLabel()
        swatch.setFixedSize(SWATCH, SWATCH)
        swatch.setPixmap(_swatch(self._theme, brush))
        row = QWidget()
        inner = QHBoxLayout(row)
        inner.setContentsMargins(0, 0, 0, 0)
        inner.setSpacing(4)
        inner.addWidget(swatch)
        inner.addWidget(label(name, "soft"))
        self.legend.addWidget(row)


FORM_ORDER = (RAISED, SPRING, ROTATION, KINETIC)  # from below
STYLES = (Qt.PenStyle.SolidLine, Qt.PenStyle.DotLine, Qt.PenStyle.DashDotLine)


def _largest(amounts: dict[str, Array], rows: Rows) -> float:
    return max(float(np.nanmax(np.abs(one[rows]))) for one in amounts.values())


def _swatch(theme: Theme, brush: QBrush | None) -> QPixmap:
    made = QPixmap(SWATCH, SWATCH)
    made.fill(QColor(theme.sheet))
    painter = QPainter(made)
    painter.setPen(QColor(theme.ink))
    if brush is None:
        painter.setPen(pg.mkPen(theme.ink, width=1, style=Qt.PenStyle.DashLine))
        painter.drawLine(0, SWATCH // 2, SWATCH, SWATCH // 2)
    else:
        painter.fillRect(0, 0, SWATCH - 1, SWATCH - 1, brush)
        painter.drawRect(0, 0, SWATCH - 1, SWATCH - 1)
    painter.end()
    return made
