"""The live preview on the intake stage: what was measured against time, before it is brought in."""

from typing import TYPE_CHECKING

import numpy as np
import pyqtgraph as pg
from PyQt6.QtGui import QColor, QPen

from inertian.desktop.look import markers, words
from inertian.desktop.look.number_format import format_tick
from inertian.desktop.look.theme import font
from inertian.desktop.look.tokens import AXIS_WIDTH, SMALL, Theme
from inertian.motion.recording.trials import Trial
from inertian.quantities.units import PIXEL, SI_SYMBOL, Unit

if TYPE_CHECKING:
    from inertian.files.cells.recipes import Recipe
    from inertian.files.interpretation.parsed_trial import ParsedChannel, ParsedTrial

DRAWN = 4000  # samples of a trace; more are thinned, as this only shows its shape
FEW = 300


class TracePreview(pg.GraphicsLayoutWidget):
    """Plots every channel of a trial as read, in SI, one small plot for each kind of quantity."""

    def __init__(self, theme: Theme) -> None:
        super().__init__()
        self._theme = theme
        self._shown: tuple[ParsedTrial | None, Recipe | None] = (None, None)
        self.setFrameShape(self.Shape.NoFrame)
        self.setAccessibleName(words.PREVIEW)
        self.ci.layout.setContentsMargins(0, 0, 12, 4)
        self.ci.layout.setSpacing(2)
        self.restyle()

    def restyle(self) -> None:
        """Wear the theme as it is now."""
        self.setBackground(self._theme.sheet)
        self.show_trial(*self._shown)

    def show_trial(self, trial: "ParsedTrial | None", recipe: "Recipe | None" = None) -> None:
        """Show one trial, or nothing."""
        self._shown = trial, recipe
        self.clear()
        if trial is None:
            return
        base = recipe.time_base.value if recipe and recipe.time_base else 1.0
        flip = set(recipe.flip) if recipe else set()
        plots: dict[str, pg.PlotItem] = {}
        for place, body in enumerate(trial.bodies):
            clock = (body.time or trial.time).seconds * base
            for channel in body.channels:
                title = _title(channel, (body.time or trial.time).unit)
                if title not in plots:
                    plots[title] = self._plot(title, len(plots), next(iter(plots.values()), None))
                along = channel.axis if channel.axis in ("x", "y") else "x"
                self._draw(
                    plots[title], clock, channel.si * (-1.0 if along in flip else 1.0), place
                )
        for plot in list(plots.values())[:-1]:
            plot.getAxis("bottom").setStyle(showValues=False)

    def show_joined(self, trial: Trial) -> None:
        """Show a trial that is made already, such as two recordings on one clock."""
        self._shown = (None, None)
        self.clear()
        plots: dict[str, pg.PlotItem] = {}
        for place, body in enumerate(trial.bodies):
            for channel in (*body.channels, *body.sensors):
                unit = SI_SYMBOL[channel.unit.kind]
                title = words.PREVIEW_TITLE[channel.axis].format(unit=unit, time=words.PREVIEW_TIME)
                if title not in plots:
                    plots[title] = self._plot(title, len(plots), next(iter(plots.values()), None))
                self._draw(plots[title], trial.t, channel.si, place)

    def _plot(self, title: str, row: int, linked: "pg.PlotItem | None") -> pg.PlotItem:
        soft = self._theme.soft_ink
        label = pg.LabelItem(title, justify="left", color=soft, size=f"{SMALL}px")
        self.addItem(label, row=2 * row, col=0)
        plot = self.addPlot(row=2 * row + 1, col=0)
        plot.hideButtons()
        plot.setMenuEnabled(False)
        if linked is not None:
            plot.setXLink(linked)
        for name in ("left", "bottom"):
            axis = plot.getAxis(name)
            axis.setPen(QPen(QColor(self._theme.rule)))
            axis.setTextPen(QColor(soft))
            axis.setStyle(tickFont=font(SMALL), tickLength=-4)
            axis.enableAutoSIPrefix(False)
            axis.tickStrings = lambda values, _scale, step: [format_tick(v, step) for v in values]
        plot.getAxis("left").setWidth(AXIS_WIDTH)
        return plot

    def _draw(self, plot: pg.PlotItem, t: np.ndarray, y: np.ndarray, place: int) -> None:
        good = np.flatnonzero(np.isfinite(y))
        if good.size > DRAWN:
            good = good[np.linspace(0, good.size - 1, DRAWN).astype(int)]
        size = 5 if good.size <= FEW else 2
        brush = pg.mkBrush(markers.colour(self._theme, place))
        plot.addItem(
            pg.ScatterPlotItem(
                x=t[good],
                y=y[good],
                symbol=markers.marker_path(place),
                size=size,
                pen=None,
                brush=brush,
            )
        )


def _title(channel: "ParsedChannel", clock: Unit) -> str:
    from inertian.files.interpretation.assembly import FRAME, ROW

    unit = (
        PIXEL
        if channel.unit.symbol == PIXEL and channel.unit.factor == 1.0
        else SI_SYMBOL[channel.unit.kind]
    )
    counted = (
        {FRAME: words.PREVIEW_FRAMES, ROW: words.PREVIEW_ROWS}.get(clock.symbol)
        if clock.factor == 1.0
        else None
    )
    return words.PREVIEW_TITLE[channel.axis].format(unit=unit, time=counted or words.PREVIEW_TIME)
