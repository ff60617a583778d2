"""Trials laid over one another on the screen, with their mean; the one apart stands out."""

import numpy as np
import pyqtgraph as pg
from PyQt6.QtCore import QPointF, Qt, pyqtSignal
from PyQt6.QtGui import QBrush, QColor
from PyQt6.QtWidgets import QCheckBox, QHBoxLayout, QVBoxLayout, QWidget
from pyqtgraph.GraphicsScene.mouseEvents import MouseClickEvent

from inertian.analysis.trends.laid_over import Anchor, LaidCurve, LaidOver, anchors_of
from inertian.desktop.look import markers, words
from inertian.desktop.look.labels import DropDown, label
from inertian.desktop.look.plot_axes import plain_axes, wear_axes
from inertian.desktop.look.tokens import AXIS_WIDTH, Theme
from inertian.desktop.state.document import Document
from inertian.desktop.state.trends_state import TrendsState
from inertian.desktop.state.view_state import possible_quantities
from inertian.physics.definitions.requests import Quantity, QuantityRef
from inertian.project.project import Entry

TITLE_WIDTH = 18  # px, for the title of an axis beside its numbers
NEAR = 10  # px, within which a curve is meant
FAINT, BAND = 150, 60  # of 255: how much of a curve's colour is seen
MOST_POINTS = 2000  # of a curve that are drawn


class LaidOverPlot(QWidget):
    """Asks for trials to be laid over one another, and shows them; a click takes one in hand."""

    chosen = pyqtSignal(str)

    def __init__(self, document: Document, theme: Theme, state: TrendsState) -> None:
        super().__init__()
        self._document, self._theme, self._state = document, theme, state
        self.laid: LaidOver | None = None
        self._offered: list[QuantityRef] = []
        self.quantity, self.body, self.zero = (DropDown(theme) for _ in range(3))
        self.scaled = QCheckBox(words.LAID_SCALED)
        self.scaled.setToolTip(words.LAID_SCALED_TIP)
        row = QHBoxLayout()
        row.setContentsMargins(8, 6, 8, 4)
        row.addWidget(self.quantity)
        row.addWidget(label(words.LAID_BODY, "soft"))
        row.addWidget(self.body)
        row.addWidget(label(words.LAID_ZERO, "soft"))
        row.addWidget(self.zero)
        row.addWidget(self.scaled)
        row.addStretch(1)
        for choice, name in (
            (self.quantity, words.LAID_VIEW),
            (self.body, words.LAID_BODY),
            (self.zero, words.LAID_ZERO),
        ):
            choice.setAccessibleName(name)
            choice.activated.connect(self.ask)
        self.scaled.toggled.connect(self.ask)
        self.plot = pg.PlotWidget(background=theme.sheet)
        self.plot.setFrameShape(self.plot.Shape.NoFrame)
        plain_axes(self.plot.getPlotItem(), AXIS_WIDTH + TITLE_WIDTH)
        self.plot.scene().sigMouseClicked.connect(self._clicked)
        self.said = label("", "small")
        self.said.setTextFormat(Qt.TextFormat.PlainText)
        self.said.setWordWrap(True)
        self.said.setContentsMargins(12, 0, 8, 4)
        column = QVBoxLayout(self)
        column.setContentsMargins(0, 0, 0, 0)
        column.setSpacing(2)
        column.addLayout(row)
        column.addWidget(self.plot, 1)
        column.addWidget(self.said)
        state.laid.connect(self._show)
        self.restyle()

    def restyle(self) -> None:
        """Wear the theme as it is now."""
        self.plot.setBackground(self._theme.sheet)
        wear_axes(self.plot.getPlotItem(), self._theme, self._theme.edge)
        if self.laid is not None:
            self._show(self.laid)

    def _entries(self) -> list[Entry]:
        wanted = self._state.request.series
        return [
            e
            for e in self._document.project.entries
            if e.apart is None and (not wanted or e.series in wanted)
        ]

    def refresh(self) -> None:
        """Offer what these trials have, and lay them over one another."""
        entries = self._entries()
        if not self.isVisible() or not entries:
            return
        first = entries[0]
        offered = possible_quantities(self._document.project, first)
        if offered != self._offered:
            self._offered = offered
            before = self.quantity.currentData()
            self.quantity.clear()
            for one in offered:
                self.quantity.addItem(words.strip_title(one), one)
            usual = (
                QuantityRef(Quantity.VELOCITY, first.trial.axes[0]) if first.trial.axes else None
            )
            wanted = before if before in offered else usual
            self.quantity.setCurrentIndex(offered.index(wanted) if wanted in offered else 0)
        bodies = [b.name for b in first.trial.bodies]
        if [self.body.itemText(k) for k in range(self.body.count())] != bodies:
            self.body.clear()
            for name in bodies:
                self.body.addItem(name, name)
        anchors = [str(a) for a in anchors_of(entries)]
        if [self.zero.itemData(k) for k in range(self.zero.count())] != anchors:
            self.zero.clear()
            for anchor in anchors:
                self.zero.addItem(words.LAID_ANCHORS[anchor], anchor)
        self.ask()

    def ask(self) -> None:
        """Ask for what is chosen now."""
        shown, zero = self.quantity.currentData(), self.zero.currentData()
        if shown is None or zero is None or not self.isVisible():
            return
        self._state.lay_over(
            self._state.request.series,
            shown,
            self.body.currentData() or "",
            Anchor(zero),
            self.scaled.isChecked(),
        )

    def _show(self, laid: LaidOver) -> None:
        self.laid = laid
        self.plot.clear()
        place = max(self.body.currentIndex(), 0)
        for curve in laid.curves:
            self._draw(curve, place)
        self._draw_mean(laid)
        self.plot.addItem(pg.InfiniteLine(0.0, 90, pen=pg.mkPen(QColor(self._theme.edge), width=1)))
        shown = self.quantity.currentData()
        item = self.plot.getPlotItem()
        unit = "" if self.scaled.isChecked() or shown is None else f" ({shown.unit})"
        item.setLabel("left", f"{words.strip_title(shown)}{unit}" if shown is not None else "")
        item.setLabel("bottom", words.LAID_TIME.format(moment=self.zero.currentText()))
        said = [words.LAID_SAID.format(count=len(laid.curves))]
        apart = [c.name for c in laid.curves if c.apart]
        if apart:
            said.append(words.LAID_APART.format(names=", ".join(apart)))
        if laid.missing:
            said.append(words.LAID_MISSING.format(count=len(laid.missing)))
        self.said.setText("; ".join(said))
        self.plot.autoRange()

    def _draw(self, curve: LaidCurve, place: int) -> None:
        tone, chosen = markers.colour(self._theme, place), self._document.entry
        wide, style = 1.0, Qt.PenStyle.SolidLine
        if curve.apart:
            tone, wide, style = QColor(self._theme.alarm), 2.0, Qt.PenStyle.DashLine
        elif chosen is not None and chosen.trial.id == curve.trial:
            tone, wide = QColor(self._theme.brass), 2.0
        else:
            tone.setAlpha(FAINT)
        step = max(1, len(curve.t) // MOST_POINTS)
        self.plot.addItem(
            pg.PlotCurveItem(
                curve.t[::step],
                curve.values[::step],
                pen=pg.mkPen(tone, width=wide, style=style),
                connect="finite",
                antialias=True,
            )
        )

    def _draw_mean(self, laid: LaidOver) -> None:
        good = np.isfinite(laid.mean)
        if not good.any():
            return
        pen, none = pg.mkPen(QColor(self._theme.ink), width=2), pg.mkPen(None)
        tint = QColor(self._theme.ink)
        tint.setAlpha(BAND)
        known = np.flatnonzero(good & np.isfinite(laid.spread))
        for run in np.split(known, np.flatnonzero(np.diff(known) > 1) + 1):
            edges = [
                pg.PlotCurveItem(laid.t[run], (laid.mean + sign * laid.spread)[run], pen=none)
                for sign in (-1.0, 1.0)
            ]
            for edge in edges:
                self.plot.addItem(edge)
            self.plot.addItem(pg.FillBetweenItem(*edges, brush=QBrush(tint)))
        self.plot.addItem(
            pg.PlotCurveItem(laid.t, laid.mean, pen=pen, antialias=True, connect="finite")
        )

    def trial_near(self, place: QPointF) -> str:
        """Return the trial whose curve passes a place of the scene, or ""."""
        box = self.plot.getPlotItem().vb
        best, least = "", float(NEAR)
        for curve in self.laid.curves if self.laid is not None else ():
            good = np.flatnonzero(np.isfinite(curve.values))
            if not good.size:
                continue
            at = box.mapSceneToView(place)
            k = good[np.argmin(np.abs(curve.t[good] - at.x()))]
            seen = box.mapViewToScene(QPointF(curve.t[k], curve.values[k]))
            away = float(np.hypot(seen.x() - place.x(), seen.y() - place.y()))
            if away < least:
                best, least = curve.trial, away
        return best

    def _clicked(self, event: MouseClickEvent) -> None:
        trial = self.trial_near(event.scenePos())
        if trial:
            self.chosen.emit(trial)
