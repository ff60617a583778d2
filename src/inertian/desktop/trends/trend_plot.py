"""The figure of a trend on the screen: points with bars, the line and its band, what is expected,
and the residuals below.
"""

from collections.abc import Sequence

import numpy as np
import pyqtgraph as pg
from PyQt6.QtCore import QPointF, Qt, pyqtSignal
from PyQt6.QtGui import QBrush, QColor, QFontMetrics, QPen, QResizeEvent
from PyQt6.QtWidgets import QHBoxLayout, QToolTip, QVBoxLayout, QWidget
from pyqtgraph.GraphicsScene.mouseEvents import MouseClickEvent

from inertian.analysis.trends.by_hand import bars
from inertian.analysis.trends.expected import ExpectedLine
from inertian.analysis.trends.line_fit import LineFit
from inertian.analysis.trends.trend_result import TrendResult
from inertian.desktop.look import markers, words
from inertian.desktop.look.labels import BodyLabel, empty_layout, label
from inertian.desktop.look.number_format import format_estimate, without_markup
from inertian.desktop.look.plot_axes import plain_axes, wear_axes
from inertian.desktop.look.theme import font
from inertian.desktop.look.tokens import AXIS_WIDTH, SMALL, Theme
from inertian.quantities.estimates import Array
from inertian.report.trend_figure import groups_of, hidden_bars, reach_of

MARK, CHOSEN_MARK, FEW = 8, 13, 300  # px; points up to which pens are wider
TITLE_WIDTH = 18  # px, for the title of an axis beside its numbers
NEAR = 12  # px, within which a point is meant
BAND_ALPHA, RESIDUAL_STRETCH, MAIN_STRETCH = 46, 3, 7
GRIP = 10  # px, of the ends of a line drawn by hand


class TrendPlot(QWidget):
    """Shows a trend; a click on a point takes its trial in hand."""

    chosen = pyqtSignal(str)
    wanted = pyqtSignal(str)
    hand_moved = pyqtSignal(tuple)

    def __init__(self, theme: Theme) -> None:
        super().__init__()
        self._theme = theme
        self._made: TrendResult | None = None
        self._factors = (1.0, 1.0)
        self._trial = ""
        self.area = pg.GraphicsLayoutWidget()
        self.area.setFrameShape(self.area.Shape.NoFrame)
        self.main = self.area.addPlot(row=0, col=0)
        self.residuals = self.area.addPlot(row=1, col=0)
        self.residuals.setXLink(self.main)
        layout = self.area.ci.layout
        layout.setRowStretchFactor(0, MAIN_STRETCH)
        layout.setRowStretchFactor(1, RESIDUAL_STRETCH)
        layout.setContentsMargins(0, 4, 8, 0)
        layout.setVerticalSpacing(2)
        for plot in (self.main, self.residuals):
            plain_axes(plot, AXIS_WIDTH + TITLE_WIDTH)
        self.main.getAxis("bottom").setStyle(showValues=False)
        column = QVBoxLayout(self)
        column.setContentsMargins(0, 0, 0, 0)
        self.legend = QHBoxLayout()
        self.legend.setContentsMargins(AXIS_WIDTH + 26, 2, 12, 0)
        self.legend.setSpacing(16)
        self.hidden = label(words.BARS_HIDDEN, "small")
        column.addLayout(self.legend)
        column.addWidget(self.area, 1)
        self.area.scene().sigMouseClicked.connect(self._clicked)
        self.area.scene().sigMouseMoved.connect(self._hovered)
        self.hand: pg.LineSegmentROI | None = None
        self.points: list[pg.ScatterPlotItem] = []
        self.setMinimumSize(260, 180)
        self.restyle()

    def restyle(self) -> None:
        """Wear the theme as it is now."""
        self.area.setBackground(self._theme.sheet)
        for plot in (self.main, self.residuals):
            wear_axes(plot, self._theme, self._theme.edge)
        if self._made is not None:
            self.show_trend(self._made, self._factors, self._titles, self._trial)

    def show_trend(
        self,
        made: TrendResult | None,
        factors: tuple[float, float] = (1.0, 1.0),
        titles: tuple[str, str, str] = ("", "", ""),
        trial: str = "",
    ) -> None:
        """Show a trend; `factors` are shown units in an SI unit, across and up, `titles` those of
        the axes, that of the residuals last.
        """
        same = (
            self._made is not None
            and made is not None
            and self._made.request == made.request
            and self._factors == factors
        )
        self._made, self._factors, self._titles, self._trial = made, factors, titles, trial
        self.main.clear()
        self.residuals.clear()
        self.points = []
        self.hand = None
        if made is None:
            return
        self._draw_lines(made)
        self._draw_points(made)
        self._draw_legend(made)
        self._draw_residuals(made)
        for plot, side, text in (
            (self.residuals, "bottom", titles[0]),
            (self.main, "left", titles[1]),
            (self.residuals, "left", titles[2]),
        ):
            plot.setLabel(side, text)
        self._fit_titles()
        if not same:
            self._show_all(made)
        self.residuals.enableAutoRange(axis="y")
        self._draw_hand(made)

    def resizeEvent(self, event: QResizeEvent) -> None:
        """Qt: titles keep inside the height there is."""
        super().resizeEvent(event)
        if self._made is not None:
            self._fit_titles()

    def _fit_titles(self) -> None:
        """Shorten the titles at the left to the height of their axes; the lists above have them
        whole, and units stay.
        """
        metrics, layout = QFontMetrics(font(SMALL)), self.area.ci.layout
        layout.activate()
        for plot, text in ((self.main, self._titles[1]), (self.residuals, self._titles[2])):
            high = int(plot.vb.height())
            plot.setLabel("left", metrics.elidedText(text, Qt.TextElideMode.ElideMiddle, high))

    def _show_all(self, made: TrendResult) -> None:
        reach = reach_of(made) * self._factors[0]
        self.main.setXRange(float(reach.min()), float(reach.max()), padding=0.0)
        uy, y = bars(made.points)[1], made.points.y
        low, high = float((y - uy).min()), float((y + uy).max())
        if made.request.line == "origin":
            low, high = min(low, 0.0), max(high, 0.0)
        factor = self._factors[1]
        self.main.setYRange(low * factor, high * factor, padding=0.07)

    # -- drawing -----------------------------------------------------------------------------------

    def _draw_lines(self, made: TrendResult) -> None:
        x = reach_of(made)
        if made.expected is not None:
            middle, u = np.real(made.expected.line(x)), made.expected.u_of_line(x)
            soft = QColor(self._theme.soft_ink)
            if u.any():
                soft.setAlpha(150)
                brush = QBrush(soft, Qt.BrushStyle.BDiagPattern)
                self._band(self.main, x, middle - u, middle + u, brush)
            pen = pg.mkPen(QColor(self._theme.soft_ink), width=1.5, style=Qt.PenStyle.DashLine)
            self._line(self.main, x, middle, pen)
        if made.fit is None:
            return
        middle, u = made.fit.line(x), made.fit.u_of_line(x)
        ink = QColor(self._theme.ink)
        for wide, style in ((made.fit.u_of_point(x), Qt.PenStyle.DotLine),):
            pen = pg.mkPen(QColor(self._theme.soft_ink), width=1, style=style)
            for edge in (middle - wide, middle + wide):
                self._line(self.main, x, edge, pen)
        tint = QColor(ink)
        tint.setAlpha(BAND_ALPHA)
        self._band(self.main, x, middle - u, middle + u, QBrush(tint))
        self._line(self.main, x, middle, pg.mkPen(ink, width=1.5))

    def _line(self, plot: pg.PlotItem, x: Array, y: Array, pen: QPen) -> pg.PlotCurveItem:
        good = np.isfinite(y)
        item = pg.PlotCurveItem(
            x[good] * self._factors[0], y[good] * self._factors[1], pen=pen, antialias=True
        )
        plot.addItem(item)
        return item

    def _band(
        self, plot: pg.PlotItem, x: Array, low: Array, high: Array, brush: QBrush
    ) -> list[pg.GraphicsObject]:
        none = pg.mkPen(None)
        item = pg.FillBetweenItem(
            self._line(plot, x, low, none), self._line(plot, x, high, none), brush=brush
        )
        item.setZValue(-10)
        plot.addItem(item)
        return [item, *item.curves]

    def _draw_points(self, made: TrendResult) -> None:
        ux, uy = bars(made.points)
        groups = groups_of(made.rows, made.request.marks)
        for colour, places in enumerate(groups.values()):
            self._bars(self.main, colour, places, made.points.y, ux, uy)
            self._scatter(self.main, colour, places, made.points.y)

    def _draw_legend(self, made: TrendResult) -> None:
        """Which marks are which, where there are several kinds; and that bars are too short to be
        seen.
        """
        self.legend.removeWidget(self.hidden)
        self.hidden.setParent(self)
        empty_layout(self.legend)
        groups = groups_of(made.rows, made.request.marks)
        for colour, name in enumerate(groups if len(groups) > 1 else ()):
            self.legend.addWidget(BodyLabel(self._theme, colour, name))
        self.legend.addStretch(1)
        self.legend.addWidget(self.hidden)
        self.hidden.setVisible(hidden_bars(made))

    def _bars(
        self,
        plot: pg.PlotItem,
        colour: int,
        places: Sequence[int],
        y: Array,
        ux: Array | None,
        uy: Array,
    ) -> None:
        made = self._made
        assert made is not None
        across, up = self._factors
        thick = 1.5 if len(made.points) <= FEW else 1.0
        pen = pg.mkPen(markers.colour(self._theme, colour), width=thick)
        kept = list(places)
        x, y = made.points.x[kept] * across, y[kept] * up
        wide = None if ux is None or not ux[kept].any() else 2.0 * ux[kept] * abs(across)
        high = 2.0 * uy[kept] * abs(up)
        plot.addItem(pg.ErrorBarItem(x=x, y=y, width=wide, height=high, pen=pen))

    def _scatter(self, plot: pg.PlotItem, colour: int, places: Sequence[int], y: Array) -> None:
        made = self._made
        assert made is not None
        kept = list(places)
        tone = markers.colour(self._theme, colour)
        chosen = [made.points.trials[k] == self._trial for k in kept]
        brass = pg.mkPen(QColor(self._theme.brass), width=2)
        none = pg.mkPen(None)
        size = MARK if len(made.points) <= FEW else MARK - 3
        item = pg.ScatterPlotItem(
            x=made.points.x[kept] * self._factors[0],
            y=y[kept] * self._factors[1],
            symbol=markers.marker_path(colour),
            size=[CHOSEN_MARK if c else size for c in chosen],
            pen=[brass if c else none for c in chosen],
            brush=pg.mkBrush(tone),
            data=[made.points.trials[k] for k in kept],
        )
        item.setZValue(10)
        plot.addItem(item)
        self.points.append(item)

    def _draw_residuals(self, made: TrendResult) -> None:
        zero = pg.InfiniteLine(0.0, 0.0, pen=pg.mkPen(QColor(self._theme.rule), width=1))
        self.residuals.addItem(zero)
        if made.fit is None:
            return
        if made.expected is not None:
            self._draw_expected_residual(made, made.fit, made.expected)
        groups = groups_of(made.rows, made.request.marks)
        for colour, places in enumerate(groups.values()):
            self._bars(self.residuals, colour, places, made.fit.residuals, None, made.fit.u)
            self._scatter(self.residuals, colour, places, made.fit.residuals)

    def _draw_expected_residual(
        self, made: TrendResult, fit: LineFit, expected: ExpectedLine
    ) -> None:
        """What is expected, beside the fitted line: there small differences are seen."""
        x = reach_of(made)
        away, u = np.real(expected.line(x)) - fit.line(x), expected.u_of_line(x)
        soft = QColor(self._theme.soft_ink)
        pen = pg.mkPen(soft, width=1.5, style=Qt.PenStyle.DashLine)
        line = self._line(self.residuals, x, away, pen)
        soft.setAlpha(110)
        brush = QBrush(soft, Qt.BrushStyle.BDiagPattern)
        for item in (line, *self._band(self.residuals, x, away - u, away + u, brush)):
            self.residuals.vb.addedItems.remove(item)  # points decide what is shown

    # -- a line by hand ----------------------------------------------------------------------------

    def _draw_hand(self, made: TrendResult) -> None:
        ends = made.request.hand
        if ends is None:
            return
        across, up = self._factors
        self.hand = pg.LineSegmentROI(
            [(ends[0] * across, ends[1] * up), (ends[2] * across, ends[3] * up)],
            pen=pg.mkPen(QColor(self._theme.brass), width=1.5),
            hoverPen=pg.mkPen(QColor(self._theme.brass), width=2.5),
            handlePen=pg.mkPen(QColor(self._theme.brass), width=2),
        )
        for handle in self.hand.getHandles():
            handle.radius = GRIP / 2
            handle.buildPath()
        self.hand.sigRegionChangeFinished.connect(self._hand_moved)
        self.main.addItem(self.hand)

    def _hand_moved(self) -> None:
        assert self.hand is not None
        across, up = self._factors
        ends = [self.main.vb.mapSceneToView(p) for _, p in self.hand.getSceneHandlePositions()]
        first, last = ends
        self.hand_moved.emit((first.x() / across, first.y() / up, last.x() / across, last.y() / up))

    # -- the mouse ---------------------------------------------------------------------------------

    def _point_near(self, place: QPointF) -> str:
        """The trial of the point that is meant at a place of the scene, or ""."""
        best, least = "", float(NEAR)
        for item in self.points:
            for point in item.points():
                at = item.mapToScene(QPointF(point.pos()))
                away = float(np.hypot(at.x() - place.x(), at.y() - place.y()))
                if away < least:
                    best, least = str(point.data()), away
        return best

    def _clicked(self, event: MouseClickEvent) -> None:
        trial = self._point_near(event.scenePos())
        if trial:
            event.accept()
            (self.wanted if event.double() else self.chosen).emit(trial)

    def _hovered(self, place: QPointF) -> None:
        trial = self._point_near(place)
        made = self._made
        if not trial or made is None:
            QToolTip.hideText()
            return
        row = next(r for r in made.rows if r.trial == trial)
        said = [row.entry.trial.name]
        for name, unit in zip((made.request.y, made.request.x), reversed(made.units), strict=True):
            one = row.values[name].scalar
            if one is not None:
                value = without_markup(format_estimate(one.value, one.u, unit))
                said.append(f"{name}: {value}")
        at = self.area.mapToGlobal(self.area.mapFromScene(place))
        QToolTip.showText(at, "\n".join(said), self)
