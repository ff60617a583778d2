"""Colours, sizes and markers of the look, in one place. Paper, ink, brass."""

from dataclasses import dataclass
from typing import Any


@dataclass(frozen=True)
class Theme:
    """The colours of one theme, as #RRGGBB. `bodies` has one per marker shape, in the order of
    MARKERS.
    """

    name: str
    paper: str
    sheet: str
    rule: str
    edge: str
    ink: str
    soft_ink: str
    brass: str
    alarm: str
    bodies: tuple[str, ...]
    selection: str
    hover: str
    disabled: str
    free_tint: str
    contact_tint: str
    fill: str  # of bars and intervals in ledgers
    strong_fill: str


class ActiveTheme(Theme):
    """The theme that is worn now; widgets hold this, so a change of theme reaches them all."""

    def __init__(self, theme: Theme) -> None:
        object.__setattr__(self, "_theme", theme)

    def become(self, theme: Theme) -> None:
        """Wear another theme from now on."""
        object.__setattr__(self, "_theme", theme)

    def __getattr__(self, name: str) -> Any:
        """Return a token of the theme that is worn."""
        return getattr(object.__getattribute__(self, "_theme"), name)


LIGHT = Theme(
    name="light",
    paper="#F6F1E6",
    sheet="#FFFDF8",
    rule="#D9CFBB",
    edge="#8A8069",
    ink="#1F2B33",
    soft_ink="#5C6670",
    brass="#8A5D0C",
    alarm="#9C2F27",
    bodies=("#2466BA", "#D9582F", "#37521A", "#5B2A72", "#3E9587", "#6A6460"),
    selection="#EFE4CB",
    hover="#F3ECDC",
    disabled="#8C8676",
    free_tint="#6F8F86",
    contact_tint="#8D6E7E",
    fill="#CFC6B0",
    strong_fill="#8B836F",
)
DARK = Theme(
    name="dark",
    paper="#161A1D",
    sheet="#1E2428",
    rule="#37414A",
    edge="#6F7C87",
    ink="#E9E4D8",
    soft_ink="#A6AEB4",
    brass="#D9A441",
    alarm="#E5827A",
    bodies=("#4E7FB8", "#BE6A2C", "#B7DE71", "#DA9DF0", "#5BAE9F", "#E3DFE2"),
    selection="#37342A",
    hover="#2A3136",
    disabled="#79838B",
    free_tint="#7FA79C",
    contact_tint="#B08CA0",
    fill="#46525B",
    strong_fill="#8A97A1",
)

MARKERS = ("round", "diamond", "triangle", "square", "down-triangle", "cross")

BASE, SMALL, LARGE, TITLE = 13, 11, 15, 20  # px
STEP = 4  # px: all spacing is a multiple
SHELF_WIDTH, MARGIN_WIDTH = 216, 272
RAIL_HEIGHT, STRIP_LEAST = 44, 96
CARD_HEIGHT, ROW_HEIGHT, MANY_TRIALS = 56, 28, 14
GRIP = 8  # px
AXIS_WIDTH = 56  # px: left of every plot, so that all share one time axis
