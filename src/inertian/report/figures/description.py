"""What stands in a figure: panels one below the other, with points, lines, bands and bars."""

from collections.abc import Sequence
from dataclasses import dataclass, field

from inertian.quantities.estimates import Array

WIDTH_MM, HEIGHT_MM = 120.0, 90.0  # of a figure that stands across a page's text
LEAST_MM, MOST_MM = 40.0, 600.0
INK, GREY = -1, -2  # the colours of text, in place of those of bodies


@dataclass(frozen=True, eq=False)
class PointMarks:
    """Points with bars of one u to either side, where there are some; `colour` and marker are those
    of a body by its place. `hollow` ones do not count.
    """

    x: Array
    y: Array
    ux: Array | None = None
    uy: Array | None = None
    colour: int = 0
    label: str = ""
    hollow: bool = False


@dataclass(frozen=True, eq=False)
class CurveMark:
    """A line; `dashes` is "", "dashed" or "dotted". Lines are told apart by them in grey, too."""

    x: Array
    y: Array
    colour: int = INK
    dashes: str = ""
    label: str = ""


@dataclass(frozen=True, eq=False)
class BandMark:
    """A band between two lines; `hatch` tells it apart in grey."""

    x: Array
    low: Array
    high: Array
    colour: int = INK
    hatch: str = ""
    label: str = ""


@dataclass(frozen=True, eq=False)
class BarMarks:
    """Bars one below the other, each with its name and what is written at its end."""

    names: tuple[str, ...]
    values: tuple[float, ...]
    texts: tuple[str, ...]


Mark = PointMarks | CurveMark | BandMark | BarMarks


@dataclass(frozen=True, eq=False)
class Panel:
    """Marks over one pair of axes; `share` of the height. A line is drawn at y = 0 if `zero`."""

    marks: tuple[Mark, ...]
    y_title: str
    share: float = 1.0
    zero: bool = False
    x_range: tuple[float, float] | None = None
    y_range: tuple[float, float] | None = None


@dataclass(frozen=True, eq=False)
class FigureDescription:
    """A figure: title, panels over one x axis, and the caption below; sizes in mm."""

    title: str
    panels: tuple[Panel, ...]
    x_title: str
    caption: str = ""
    width: float = WIDTH_MM
    height: float = HEIGHT_MM
    legend: bool = True
    name: str = field(default="figure")  # of its file

    @property
    def texts(self) -> dict[str, str]:
        """The texts that can be changed, by place."""
        found = {"title": self.title, "x": self.x_title}
        found |= {f"y{k}": panel.y_title for k, panel in enumerate(self.panels)}
        return found | {"caption": self.caption}


def capital(text: str) -> str:
    """Return a text with a capital letter at its beginning; a symbol of one letter stays."""
    return text[:1].upper() + text[1:] if text[1:2].isalpha() else text


def labelled(marks: Sequence[Mark]) -> bool:
    """Return whether several marks have a label, so that a legend tells them apart."""
    return len([m for m in marks if not isinstance(m, BarMarks) and m.label]) > 1
