"""The plots of the models stage: samples with the models' curves and bands, and what is left."""

from collections.abc import Sequence

import numpy as np
import pyqtgraph as pg
from PyQt6.QtCore import Qt
from PyQt6.QtGui import QBrush, QColor
from PyQt6.QtWidgets import QVBoxLayout, QWidget

from inertian.analysis.models.model_results import ModelResult
from inertian.analysis.models.shown_curves import ShownCurve, seen_of_motion
from inertian.desktop.look import markers, words
from inertian.desktop.look.labels import tight_column
from inertian.desktop.look.plot_axes import plain_axes, wear_axes
from inertian.desktop.look.tokens import AXIS_WIDTH, Theme
from inertian.desktop.state.models_state import ModelsState
from inertian.physics.definitions.requests import Quantity, QuantityRef
from inertian.quantities.estimates import Array

TITLE_WIDTH = 18  # px, for the title of an axis beside its numbers
MOST_DOTS = 1500  # samples that are drawn
DOT, BAND, FAINT = 5, 60, 120
DASHES = (
    Qt.PenStyle.SolidLine, Qt.PenStyle.DashLine, Qt.PenStyle.DotLine, Qt.PenStyle.DashDotLine,
)  # fmt: skip


class PlainPlot(QWidget):
    """A plot with the axes that all plots of the stage share."""

    def __init__(self, theme: Theme, time_axis: bool) -> None:
        super().__init__()
        self._theme, self._time_axis = theme, time_axis
        self.plot = pg.PlotWidget(background=theme.sheet)
        self.plot.setFrameShape(self.plot.Shape.NoFrame)
        self.item = self.plot.getPlotItem()
        plain_axes(self.item, AXIS_WIDTH + TITLE_WIDTH)
        if not time_axis:
            self.item.getAxis("bottom").setStyle(showValues=False)
            self.item.getAxis("bottom").setHeight(8)
        column = QVBoxLayout(self)
        column.setContentsMargins(0, 0, 0, 0)
        column.addWidget(self.plot)
        self.restyle()

    def restyle(self) -> None:
        """Wear the theme as it is now."""
        self.plot.setBackground(self._theme.sheet)
        wear_axes(self.item, self._theme, self._theme.edge)

    def name_axes(self, left: str) -> None:
        """Say what is up; across is the time."""
        self.item.setLabel("left", left)
        self.item.getAxis("left").resizeEvent()  # else the title stays where a shorter one was
        if self._time_axis:
            self.item.setLabel("bottom", words.MODEL_TIME_AXIS)

    def line(
        self, t: Array, y: Array, tone: QColor, style: Qt.PenStyle, width: float = 1.6
    ) -> None:
        """Draw a curve."""
        self.plot.addItem(
            pg.PlotCurveItem(
                t, y, pen=pg.mkPen(tone, width=width, style=style), antialias=True,
                connect="finite",
            )
        )  # fmt: skip

    def zero_line(self) -> None:
        """Draw where nothing is left."""
        self.plot.addItem(pg.InfiniteLine(0.0, 0, pen=pg.mkPen(QColor(self._theme.edge), width=1)))

    def dots(self, t: Array, y: Array, place: int, faint: bool = False) -> None:
        """Draw samples with the marker of a body."""
        step = max(1, len(t) // MOST_DOTS)
        tone = QColor(markers.colour(self._theme, place))
        tone.setAlpha(FAINT if faint else 255)
        self.plot.addItem(
            pg.ScatterPlotItem(
                t[::step], y[::step], symbol=markers.marker_path(place), size=DOT,
                pen=pg.mkPen(None), brush=QBrush(tone),
            )
        )  # fmt: skip

    def band(self, t: Array, low: Array, high: Array) -> None:
        """Draw a band of the ink's colour."""
        tint = QColor(self._theme.ink)
        tint.setAlpha(BAND)
        none = pg.mkPen(None)
        edges = [pg.PlotCurveItem(t, y, pen=none) for y in (low, high)]
        for edge in edges:
            self.plot.addItem(edge)
        self.plot.addItem(pg.FillBetweenItem(*edges, brush=QBrush(tint)))


class QuantityPlot(PlainPlot):
    """A strip: the samples of all bodies in one quantity, and the curves of all models shown."""

    def __init__(self, theme: Theme, state: ModelsState) -> None:
        super().__init__(theme, True)
        self._state = state
        self.shown: QuantityRef | None = None
        self._tried: dict[str, pg.PlotCurveItem] = {}

    def show_quantity(self, shown: QuantityRef | None) -> None:
        """Show a quantity."""
        self.shown = shown
        self.refresh()

    def refresh(self) -> None:
        """Draw samples and curves as they are known."""
        self.plot.clear()
        self._tried = {}
        state, shown = self._state, self.shown
        model = state.model
        if shown is None or model is None:
            return
        self.name_axes(f"{words.strip_title(shown)} ({shown.unit})")
        names = [n for n in state.shown_models() if (n, shown) in state.curves]
        places = {b.name: k for k, b in enumerate(state.entry.trial.bodies)} if state.entry else {}
        drawn: set[str] = set()
        for name in names:
            for one in state.curves[name, shown]:
                if one.body not in drawn:
                    drawn.add(one.body)
                    good = np.isfinite(one.data)
                    self.dots(one.t[good], one.data[good], places.get(one.body, 0))
        for number, name in enumerate(names):
            self._draw_curves(state.curves[name, shown], number, name == model.name)
        self.follow()

    def _draw_curves(self, curves: Sequence[ShownCurve], number: int, in_hand: bool) -> None:
        for one in curves:
            if in_hand:
                self.band(one.moments, one.curve - 2.0 * one.u, one.curve + 2.0 * one.u)
            tone = QColor(self._theme.ink)
            tone.setAlpha(255 if in_hand else FAINT)
            style = DASHES[0] if in_hand else DASHES[1 + number % (len(DASHES) - 1)]
            self.line(one.moments, one.curve, tone, style, 1.4 if in_hand else 1.2)

    def follow(self) -> None:
        """Draw the curve of what is tried, or take it away."""
        state, shown = self._state, self.shown
        motion, result = state.tried_motion, state.result
        if motion is None or result is None or shown is None:
            for item in self._tried.values():
                self.plot.removeItem(item)
            self._tried = {}
            return
        for one in state.curves.get((result.model.name, shown), ()):
            values = seen_of_motion(result, motion, one.body, shown, state.tried_values)
            item = self._tried.get(one.body)
            if item is None:
                pen = pg.mkPen(QColor(self._theme.brass), width=2)
                item = self._tried[one.body] = pg.PlotCurveItem(pen=pen, antialias=True)
                self.plot.addItem(item, ignoreBounds=True)
            item.setData(motion.t, np.where(np.isfinite(values), values, np.nan), connect="finite")


class LeftPlot(PlainPlot):
    """What is left of the samples when the model in hand is taken away."""

    def __init__(self, theme: Theme, state: ModelsState) -> None:
        super().__init__(theme, True)
        self._state = state

    def refresh(self) -> None:
        """Draw what is left, body by body and axis by axis."""
        self.plot.clear()
        result = self._state.result
        if result is None or self._state.entry is None:
            self.name_axes("")
            return
        places = {b.name: k for k, b in enumerate(self._state.entry.trial.bodies)}
        samples, others = result.trial.made.samples, self._others(result)
        compared = [result.trial.residuals] if samples else [apart for _, _, apart in others]
        largest = max((float(np.nanmax(np.abs(y), initial=0.0)) for y in compared), default=0.0)
        factor, unit = next((f, u) for f, u in _SIZES if largest * f >= 1.0 or u == "µm")
        said = words.MODEL_LEFT_AXIS if samples else words.MODEL_OTHERS_AXIS
        self.name_axes(said.format(unit=unit, name=result.model.name))
        self.zero_line()
        tone = QColor(self._theme.ink)
        tone.setAlpha(FAINT)
        for number, moments, apart in others:
            style = DASHES[1 + number % (len(DASHES) - 1)]
            curve = pg.PlotCurveItem(
                moments, apart * factor, pen=pg.mkPen(tone, width=1.2, style=style),
                antialias=True, connect="finite",
            )  # fmt: skip
            self.plot.addItem(curve, ignoreBounds=bool(samples))
        row = 0
        for one in samples:
            rows = slice(row, row + len(one.x))
            row += len(one.x)
            left = result.trial.residuals[rows] * factor
            self.dots(one.t, left, places[one.body], faint=one.axis != "x")
        if samples:
            sigma = float(np.sqrt(np.mean(result.trial.sigma**2))) * factor
            for sign in (-2.0, 2.0):
                line_pen = pg.mkPen(QColor(self._theme.edge), style=DASHES[1])
                self.plot.addItem(pg.InfiniteLine(sign * sigma, 0, pen=line_pen))

    def _others(self, result: ModelResult) -> list[tuple[int, Array, Array]]:
        """The other models that are shown less the one in hand: which in order, moments in s, and
        by how much in m.
        """
        state, found = self._state, []
        axis = result.trial.made.context.trial.axes[0]
        samples = result.trial.made.samples
        shown = QuantityRef(Quantity.POSITION, samples[0].axis if samples else axis)
        mine = {c.body: c for c in state.curves.get((result.model.name, shown), ())}
        names = [n for n in state.shown_models() if n != result.model.name]
        for number, name in enumerate(names):
            for one in state.curves.get((name, shown), ()):
                if one.body in mine:
                    base = mine[one.body]
                    apart = np.interp(base.moments, one.moments, one.curve) - base.curve
                    inside = (base.moments >= one.moments[0]) & (base.moments <= one.moments[-1])
                    found.append((number, base.moments, np.where(inside, apart, np.nan)))
        return found


_SIZES = ((1.0, "m"), (100.0, "cm"), (1e3, "mm"), (1e6, "µm"))


class StepPlots(QWidget):
    """How far the rule is from the reference, and the energy that it makes up, in time."""

    def __init__(self, theme: Theme, state: ModelsState) -> None:
        super().__init__()
        self._theme, self._state = theme, state
        self.apart, self.drift = PlainPlot(theme, False), PlainPlot(theme, True)
        self.drift.item.setXLink(self.apart.item)
        column = tight_column(self)
        column.addWidget(self.apart, 1)
        column.addWidget(self.drift, 1)

    def restyle(self) -> None:
        """Wear the theme as it is now."""
        self.apart.restyle()
        self.drift.restyle()

    def refresh(self) -> None:
        """Draw both as they are known."""
        for one in (self.apart, self.drift):
            one.plot.clear()
        result = self._state.result
        if result is None:
            return
        stepping, ink = result.stepping, QColor(self._theme.ink)
        turning = any(b.turning for b in result.trial.made.system.bodies)
        largest = float(np.nanmax(stepping.apart, initial=0.0))
        factor, unit = next((f, u) for f, u in _SIZES if largest * f >= 1.0 or u == "µm")
        if turning:
            factor, unit = 1.0, "rad"
        self.apart.name_axes(words.MODEL_APART_AXIS.format(unit=unit))
        self.drift.name_axes(words.MODEL_DRIFT_AXIS)
        for one, y in ((self.apart, stepping.apart * factor), (self.drift, stepping.drift)):
            one.zero_line()
            one.line(stepping.motion.t, y, ink, DASHES[0])
