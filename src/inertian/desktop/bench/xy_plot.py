"""One quantity against another: the path y over x, velocity over position, force over position,
energy over time.
"""

import numpy as np
import pyqtgraph as pg
from PyQt6.QtWidgets import QGridLayout, QLabel, QVBoxLayout, QWidget

from inertian.desktop.bench.traces import traces_of
from inertian.desktop.look import markers, words
from inertian.desktop.look.labels import DropDown
from inertian.desktop.look.plot_axes import plain_axes, wear_axes
from inertian.desktop.look.tokens import AXIS_WIDTH, Theme
from inertian.desktop.state.document import Document
from inertian.desktop.state.view_state import ViewState, possible_quantities
from inertian.physics.definitions.requests import Quantity, QuantityRef
from inertian.quantities.estimates import Array

MOST = 20_000  # points of a body that are drawn
TIME = QuantityRef(Quantity.POSITION, "time")  # stands for the time axis


class XYPlot(QWidget):
    """Plots any quantity of the trial in hand against any other, or against time."""

    def __init__(self, document: Document, theme: Theme, view: ViewState) -> None:
        super().__init__()
        self._document, self._theme, self._view = document, theme, view
        self.across, self.up = DropDown(theme), DropDown(theme)
        self._offered: list[QuantityRef] = []
        self.plot = pg.PlotWidget(background=theme.sheet)
        self.plot.setFrameShape(self.plot.Shape.NoFrame)
        plain_axes(self.plot.getPlotItem(), AXIS_WIDTH)
        grid = QGridLayout()
        grid.setContentsMargins(8, 6, 8, 0)
        for row, (text, choice) in enumerate(
            ((words.SIDE_UP, self.up), (words.SIDE_ACROSS, self.across))
        ):
            title = QLabel(text)
            title.setProperty("role", "soft")
            grid.addWidget(title, row, 0)
            grid.addWidget(choice, row, 1)
            choice.setAccessibleName(text)
            choice.activated.connect(self._chosen)
        grid.setColumnStretch(1, 1)
        column = QVBoxLayout(self)
        column.setContentsMargins(0, 0, 0, 0)
        column.addLayout(grid)
        column.addWidget(self.plot, 1)
        self.setMinimumWidth(220)
        self.restyle()

    def restyle(self) -> None:
        """Wear the theme as it is now."""
        self.plot.setBackground(self._theme.sheet)
        wear_axes(self.plot.getPlotItem(), self._theme, self._theme.rule)

    def _chosen(self) -> None:
        self._view.side = (self.across.currentData(), self.up.currentData())
        self.refresh()

    def refresh(self) -> None:
        """Show the trial in hand as it is now."""
        entry = self._document.entry
        if entry is None or not self.isVisible():
            return
        offered = [TIME, *possible_quantities(self._document.project, entry)]
        if offered != self._offered:
            self._offered = offered
            for choice in (self.across, self.up):
                choice.clear()
                for one in offered:
                    choice.addItem(words.SIDE_TIME if one is TIME else words.strip_title(one), one)
        across, up = self._pair(offered, entry.trial.axes)
        self.across.setCurrentIndex(offered.index(across))
        self.up.setCurrentIndex(offered.index(up))
        self.plot.clear()
        path = (across.axis, up.axis) == (
            "x",
            "y",
        ) and across.quantity is up.quantity is Quantity.POSITION
        self.plot.setAspectLocked(path)
        for body, place, x, y in self._points(across, up):
            rows = np.flatnonzero(np.isfinite(x) & np.isfinite(y))
            rows = rows[:: max(1, rows.size // MOST)]
            tone = markers.colour(self._theme, place)
            self.plot.plot(
                x[rows],
                y[rows],
                name=body,
                pen=pg.mkPen(tone, width=1),
                symbol=markers.marker_path(place),
                symbolSize=5,
                symbolPen=None,
                symbolBrush=pg.mkBrush(tone),
            )
        item = self.plot.getPlotItem()
        item.setLabel("bottom", self._axis(across))
        item.setLabel("left", self._axis(up))
        self.plot.autoRange()

    def _axis(self, shown: QuantityRef) -> str:
        if shown is TIME:
            return words.TIME_AXIS
        return (
            f"{words.strip_title(shown)} "
            f"{words.STRIP_UNIT.format(unit=self._view.unit(shown.unit))}"
        )

    def _pair(
        self, offered: list[QuantityRef], axes: tuple[str, ...]
    ) -> tuple[QuantityRef, QuantityRef]:
        if self._view.side and all(s in offered for s in self._view.side):
            across, up = self._view.side
            return (TIME if across == TIME else across), (TIME if up == TIME else up)
        if len(axes) > 1:
            return QuantityRef(Quantity.POSITION, axes[0]), QuantityRef(Quantity.POSITION, axes[1])
        if axes:
            return QuantityRef(Quantity.POSITION, axes[0]), QuantityRef(Quantity.VELOCITY, axes[0])
        return TIME, offered[-1]

    def _points(self, across: QuantityRef, up: QuantityRef) -> list[tuple[str, int, Array, Array]]:
        entry = self._document.entry
        found: list[tuple[str, int, Array, Array]] = []
        columns = []
        for one in (across, up):
            traces = [] if one is TIME else traces_of(self._document, self._view, entry, one)[0]
            columns.append({t.body: t for t in traces})
        zero = entry.frame.time_zero
        for place, body in enumerate(entry.trial.bodies):
            pair = []
            for one, own in zip((across, up), columns, strict=True):
                if one is TIME:
                    pair.append(entry.trial.t - zero)
                elif body.name in own:
                    pair.append(own[body.name].y)
            if len(pair) == 2:
                found.append((body.name, place, pair[0], pair[1]))
        return found
