"""The items that draw one trace: dots or a long curve, the band of ± u, crosses, rings, fitted
pieces and curves.
"""

import numpy as np
import pyqtgraph as pg
from PyQt6.QtCore import Qt
from PyQt6.QtGui import QColor, QPainterPath

from inertian.desktop.bench.pyramid import LONG, Pyramid
from inertian.desktop.bench.traces import Points, Trace
from inertian.desktop.look import markers
from inertian.desktop.look.tokens import Theme
from inertian.quantities.estimates import Array, Rows

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
        self._tone, self._ink = markers.colour(theme, trace.place), QColor(theme.ink)
        self._shown: Trace | None = None
        self._long = trace.t.size > LONG
        self._pyramids: dict[str, Pyramid] = {}
        size = (6 if trace.u is None else 5) if trace.t.size <= DENSE else 3
        symbol = markers.marker_path(trace.place)
        self._dots = pg.ScatterPlotItem(
            symbol=symbol, size=size, pen=None, brush=pg.mkBrush(self._tone), pxMode=True
        )
        self._line = pg.PlotCurveItem(
            pen=pg.mkPen(self._tone, width=1), connect="finite", skipFiniteCheck=False
        )
        self._spots: dict[
            str, pg.ScatterPlotItem
        ] = {}  # crosses, rings, bridges: made when first needed
        for item, level in ((self._line, 1), (self._dots, 2)):
            item.setZValue(level)
            if self._long or item is self._dots:
                plot.addItem(item)
        self._bands: list[tuple[pg.PlotCurveItem, pg.PlotCurveItem, pg.FillBetweenItem]] = []
        self._pieces: list[pg.PlotCurveItem] = []
        self._curves: list[pg.PlotCurveItem] = []
        self._reach: list[pg.PlotCurveItem] = []

    def follow(self, trace: Trace) -> None:
        """Show the trace as it is now."""
        old, self._shown = self._shown, trace
        if old is None or trace.y is not old.y or trace.t is not old.t:
            self._show_samples(trace)
        for name, points, before in (
            ("cross", trace.crosses, old and old.crosses),
            ("ring", trace.rings, old and old.rings),
            ("hollow", trace.bridged, old and old.bridged),
        ):
            if points is not before and (points[0].size or name in self._spots):
                self._spot(name).setData(x=points[0], y=points[1])
        if trace.u is not None and (
            old is None or trace.u is not old.u or trace.walls != old.walls
        ):
            self._show_band(trace)
        self._show_lines(self._pieces, trace.pieces, fitted=False)
        self._show_lines(self._curves, trace.curves, fitted=True)
        self._show_lines(self._reach, trace.reach, fitted=False, dotted=True)

    def _spot(self, name: str) -> pg.ScatterPlotItem:
        """The item that draws one kind of marked samples."""
        if name not in self._spots:
            size, pen, symbol = {
                "cross": (8, pg.mkPen(QColor(self._theme.soft_ink), width=1.2), _cross()),
                "ring": (13, pg.mkPen(self._theme.brass, width=2), "o"),
                "hollow": (7, pg.mkPen(self._tone), markers.marker_path(self.key[1])),
            }[name]
            item = pg.ScatterPlotItem(symbol=symbol, size=size, pen=pen, brush=None, pxMode=True)
            item.setZValue(5 if name == "ring" else 3)
            self._plot.addItem(item)
            self._spots[name] = item
        return self._spots[name]

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
        """Return the least and greatest value that is drawn between two times, or None if there is
        none.
        """
        trace = self._shown
        if trace is None:
            return None
        if self._long:
            found = [one for p in self._pyramids.values() if (one := p.extent(*span)) is not None]
            return (min(f[0] for f in found), max(f[1] for f in found)) if found else None
        visible = [self._between(trace.t, y, span) for y in _outlines(trace)]
        visible += [
            self._between(*points, span) for points in (trace.crosses, trace.bridged, *trace.reach)
        ]
        values = np.concatenate(visible)
        values = values[np.isfinite(values)]
        return (float(values.min()), float(values.max())) if values.size else None

    @staticmethod
    def _between(t: Array, y: Array, span: tuple[float, float]) -> Array:
        low, high = np.searchsorted(t, span)
        return y[max(low - 1, 0) : high + 1]

    def _show_lines(
        self,
        items: list[pg.PlotCurveItem],
        wanted: tuple[Points, ...],
        fitted: bool,
        dotted: bool = False,
    ) -> None:
        while len(items) > len(wanted):
            self._plot.removeItem(items.pop())
        while len(items) < len(wanted):
            style = DASHES[len(items) % len(DASHES)] if fitted else Qt.PenStyle.SolidLine
            style = Qt.PenStyle.DotLine if dotted else style
            pen = pg.mkPen(
                QColor(self._theme.soft_ink) if dotted else self._ink,
                width=2 if fitted else 1,
                style=style,
            )
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
        if self._long:  # lines that let nothing through paint twice as fast
            shade = _mixed(shade, QColor(self._theme.sheet), 0.35)
        else:
            shade.setAlpha(64)
        self._bands = []
        for _ in range(count):
            up, down = pg.PlotCurveItem(pen=pg.mkPen(shade)), pg.PlotCurveItem(pen=pg.mkPen(shade))
            items = (
                (up, down) if self._long else (up, down, pg.FillBetweenItem(up, down, brush=shade))
            )
            for item in items:
                self._plot.addItem(item)
            self._bands.append((up, down, items[-1]))

    def _take_off(self, *items: object) -> None:
        for item in dict.fromkeys(items):
            self._plot.removeItem(item)

    def remove(self) -> None:
        """Take all items off the plot."""
        fixed = (self._dots, *((self._line,) if self._long else ()), *self._spots.values())
        self._take_off(
            *fixed,
            *self._pieces,
            *self._curves,
            *self._reach,
            *(item for band in self._bands for item in band),
        )


def _runs(trace: Trace) -> list[Rows]:
    gone = np.flatnonzero(~np.isfinite(trace.y))
    breaks = np.unique(np.concatenate([gone, np.searchsorted(trace.t, trace.walls)]))
    runs = [rows[np.isfinite(trace.y[rows])] for rows in np.split(np.arange(len(trace.y)), breaks)]
    return [rows for rows in runs if rows.size > 1]


def _mixed(one: QColor, other: QColor, share: float) -> QColor:
    """A colour between two; `share` is that of the first."""
    parts = zip(one.getRgb()[:3], other.getRgb()[:3], strict=True)
    return QColor(*(round(share * a + (1.0 - share) * b) for a, b in parts))


def _outlines(trace: Trace) -> list[Array]:
    return [trace.y] if trace.u is None else [trace.y - trace.u, trace.y + trace.u]
