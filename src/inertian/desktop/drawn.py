"""The items that draw one trace: dots or a long curve, the band of ± u, crosses, rings, fitted pieces and curves."""

import numpy as np
import pyqtgraph as pg
from PyQt6.QtCore import Qt
from PyQt6.QtGui import QColor, QPainterPath

from inertian.desktop import marks
from inertian.desktop.pyramid import LONG, Pyramid
from inertian.desktop.tokens import Theme
from inertian.desktop.traces import Points, Trace
from inertian.quantities.estimates import Array

DENSE = 300  # points; above it pens stay 1 px and markers small
DASHES = (Qt.PenStyle.SolidLine, Qt.PenStyle.DashLine, Qt.PenStyle.DotLine, Qt.PenStyle.DashDotLine)


def _cross() -> QPainterPath:
    path = QPainterPath()
    for x in (-0.5, 0.5):
        path.moveTo(-0.5, x)
        path.lineTo(0.5, -x)
    return path


class DrawnTrace:
    """Draws one trace on a plot and follows it; what has not changed is left as it is."""

    def __init__(self, plot: pg.PlotWidget, theme: Theme, trace: Trace) -> None:
        self.key = trace.key
        self._plot, self._theme = plot, theme
        self._tone, self._ink = marks.colour(theme, trace.place), QColor(theme.ink)
        self._shown: Trace | None = None
        self._long = trace.t.size > LONG
        self._pyramids: dict[str, Pyramid] = {}
        size = (6 if trace.u is None else 5) if trace.t.size <= DENSE else 3
        symbol = marks.marker(trace.place)
        self._dots = pg.ScatterPlotItem(symbol=symbol, size=size, pen=None, brush=pg.mkBrush(self._tone), pxMode=True)
        self._line = pg.PlotCurveItem(pen=pg.mkPen(self._tone, width=1), connect="finite", skipFiniteCheck=False)
        soft = pg.mkPen(QColor(theme.soft_ink), width=1.2)
        self._crosses = pg.ScatterPlotItem(symbol=_cross(), size=8, pen=soft, brush=None, pxMode=True)
        self._rings = pg.ScatterPlotItem(symbol="o", size=13, pen=pg.mkPen(theme.brass, width=2), brush=None)
        self._hollow = pg.ScatterPlotItem(symbol=symbol, size=7, pen=pg.mkPen(self._tone), brush=None, pxMode=True)
        for item, level in (
            (self._line, 1), (self._dots, 2), (self._crosses, 3), (self._hollow, 3), (self._rings, 5),
        ):  # fmt: skip
            item.setZValue(level)
            plot.addItem(item)
        self._bands: list[tuple[pg.PlotCurveItem, pg.PlotCurveItem, pg.FillBetweenItem]] = []
        self._pieces: list[pg.PlotCurveItem] = []
        self._curves: list[pg.PlotCurveItem] = []

    def follow(self, trace: Trace) -> None:
        """Show the trace as it is now."""
        old, self._shown = self._shown, trace
        if old is None or trace.y is not old.y or trace.t is not old.t:
            self._show_samples(trace)
        for item, points, before in (
            (self._crosses, trace.crosses, old and old.crosses),
            (self._rings, trace.rings, old and old.rings),
            (self._hollow, trace.bridged, old and old.bridged),
        ):
            if points is not before:
                item.setData(x=points[0], y=points[1])
        if trace.u is not None and (old is None or trace.u is not old.u or trace.walls != old.walls):
            self._show_band(trace)
        self._show_lines(self._pieces, trace.pieces, fitted=False)
        self._show_lines(self._curves, trace.curves, fitted=True)

    def _show_samples(self, trace: Trace) -> None:
        if self._long:
            self._pyramids = {"y": Pyramid(trace.t, trace.y)}
            self.follow_view(self._view_range())
            return
        rows = np.flatnonzero(np.isfinite(trace.y))
        self._dots.setData(x=trace.t[rows], y=trace.y[rows])

    def _view_range(self) -> tuple[float, float]:
        return tuple(self._plot.getPlotItem().vb.viewRange()[0])

    def follow_view(self, span: tuple[float, float]) -> None:
        """Draw what a long trace shows between two times."""
        if not self._pyramids:
            return
        width = max(int(self._plot.width()), 100)
        t, y = self._pyramids["y"].seen(*span, width)
        few = t.size <= 2 * DENSE
        self._line.setData(x=t, y=y)
        self._dots.setData(x=t, y=y) if few else self._dots.clear()
        if "up" in self._pyramids and self._bands:
            up, down, _fill = self._bands[0]
            for item, name in ((up, "up"), (down, "down")):
                item.setData(*self._pyramids[name].seen(*span, width), connect="finite")

    def extent(self, span: tuple[float, float]) -> tuple[float, float] | None:
        """Return the least and greatest value of a long trace between two times."""
        return self._pyramids["y"].extent(*span) if self._pyramids else None

    def _show_lines(self, items: list[pg.PlotCurveItem], wanted: tuple[Points, ...], fitted: bool) -> None:
        while len(items) > len(wanted):
            self._plot.removeItem(items.pop())
        while len(items) < len(wanted):
            style = DASHES[len(items) % len(DASHES)] if fitted else Qt.PenStyle.SolidLine
            pen = pg.mkPen(self._ink, width=2 if fitted else 1, style=style)
            line = pg.PlotCurveItem(pen=pen, antialias=True)
            line.setZValue(5 if fitted else 4)
            self._plot.addItem(line)
            items.append(line)
        for line, (t, y) in zip(items, wanted, strict=True):
            line.setData(x=t, y=y)

    def _show_band(self, trace: Trace) -> None:
        """A band of ± u on either side, broken where there is no estimate, and at walls."""
        if self._long:
            self._pyramids["up"] = Pyramid(trace.t, trace.y + trace.u)
            self._pyramids["down"] = Pyramid(trace.t, trace.y - trace.u)
            self._make_bands(1)
            self.follow_view(self._view_range())
            return
        runs = _runs(trace)
        if len(runs) != len(self._bands):
            self._make_bands(len(runs))
        for rows, (up, down, _fill) in zip(runs, self._bands, strict=True):
            up.setData(x=trace.t[rows], y=trace.y[rows] + trace.u[rows])
            down.setData(x=trace.t[rows], y=trace.y[rows] - trace.u[rows])

    def _make_bands(self, count: int) -> None:
        self._take_off(*(item for band in self._bands for item in band))
        shade = QColor(self._tone)
        shade.setAlpha(64)
        self._bands = []
        for _ in range(count):
            up, down = pg.PlotCurveItem(pen=pg.mkPen(shade)), pg.PlotCurveItem(pen=pg.mkPen(shade))
            items = (up, down) if self._long else (up, down, pg.FillBetweenItem(up, down, brush=shade))
            for item in items:
                self._plot.addItem(item)
            self._bands.append((up, down, items[-1]))

    def _take_off(self, *items: object) -> None:
        for item in dict.fromkeys(items):
            self._plot.removeItem(item)

    def remove(self) -> None:
        """Take all items off the plot."""
        fixed = (self._dots, self._line, self._crosses, self._rings, self._hollow)
        self._take_off(*fixed, *self._pieces, *self._curves, *(item for band in self._bands for item in band))


def _runs(trace: Trace) -> list[Array]:
    gone = np.flatnonzero(~np.isfinite(trace.y))
    breaks = np.unique(np.concatenate([gone, np.searchsorted(trace.t, trace.walls)]))
    runs = [rows[np.isfinite(trace.y[rows])] for rows in np.split(np.arange(len(trace.y)), breaks)]
    return [rows for rows in runs if rows.size > 1]
