"""The axes of plots that are no strips: numbers without prefixes, thin lines, small type."""

from collections.abc import Sequence

import pyqtgraph as pg
from PyQt6.QtGui import QColor, QPen

from inertian.desktop.look.number_format import format_tick
from inertian.desktop.look.theme import font
from inertian.desktop.look.tokens import SMALL, Theme

SIDES = ("left", "bottom")


def plain_axes(plot: pg.PlotItem, width: int) -> None:
    """Give a plot axes with plain numbers, the left one so many px wide, and no menus."""
    plot.setMenuEnabled(False)
    plot.hideButtons()
    plot.getAxis("left").setWidth(width)
    for side in SIDES:
        axis = plot.getAxis(side)
        axis.tickStrings = _ticks
        axis.enableAutoSIPrefix(False)


def _ticks(values: Sequence[float], _scale: float, step: float) -> list[str]:
    return [format_tick(value, step) for value in values]


def wear_axes(plot: pg.PlotItem, theme: Theme, line: str) -> None:
    """Let the axes of a plot wear a theme; `line` is the colour of their lines."""
    for side in SIDES:
        axis = plot.getAxis(side)
        axis.setPen(QPen(QColor(line)))
        axis.setTextPen(QColor(theme.soft_ink))
        axis.setStyle(tickFont=font(SMALL), tickLength=-4)
        axis.label.setFont(font(SMALL))
