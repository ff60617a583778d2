"""A figure drawn, on paper colours that print in grey as well: to bytes of a picture, SVG or PDF.

Fonts come with the program; a PDF holds those it uses as outlines that can be searched.
"""

import io
import os
from collections.abc import Callable, Sequence
from dataclasses import dataclass
from functools import lru_cache
from importlib.resources import as_file, files
from typing import TYPE_CHECKING, Any

from inertian.report.figures.description import (
    GREY,
    INK,
    BandMark,
    BarMarks,
    CurveMark,
    FigureDescription,
    Mark,
    Panel,
    PointMarks,
    labelled,
)

if TYPE_CHECKING:
    from matplotlib.axes import Axes
    from matplotlib.figure import Figure

MM_PER_INCH = 25.4
DPI = 300
FAMILY = "IBM Plex Sans"
INK_COLOUR, SOFT, RULE = "#1F2B33", "#5C6670", "#B9B2A2"
BODIES = ("#2466BA", "#D9582F", "#37521A", "#5B2A72", "#3E9587", "#6A6460")
MARKERS = ("o", "D", "^", "s", "v", "X")
HATCHES = ("", "////", "\\\\\\\\", "....", "xxxx", "----")
TEXT, SMALL, TITLE = 8.0, 7.0, 9.5  # points
MARK, LINE, THIN, BAR = 4.0, 1.1, 0.6, 0.8
DASHES = {"": "solid", "dashed": (0, (5, 3)), "dotted": (0, (1, 2))}
EVERY = (0.06, 0.12)  # of the length of a line: where it has a marker
MARGIN_MM = 2.0
LEADING = 1.35  # of lines of text
PLOT_SHARE = 0.85  # of the room of a panel, that its title may fill
LEAST_PLOT = 0.35  # of the height, however long a caption is
TITLED = "title"


@dataclass(frozen=True)
class DrawnFigure:
    """The bytes of a figure, and where its texts stand: left, bottom, right, top as shares of its
    width and height, by place.
    """

    content: bytes
    places: dict[str, tuple[float, float, float, float]]


@lru_cache(maxsize=1)
def _ready() -> None:
    """Load what draws, with the fonts that come with the program."""
    from platformdirs import user_cache_dir

    os.environ.setdefault("MPLCONFIGDIR", user_cache_dir("inertian"))
    from matplotlib import font_manager

    with as_file(files("inertian.report.figures").joinpath("fonts")) as folder:
        for path in sorted(folder.glob("*.ttf")):
            font_manager.fontManager.addfont(str(path))


def _settings() -> Any:
    return {
        "font.family": FAMILY,
        "font.size": TEXT,
        "pdf.fonttype": 42,
        "svg.fonttype": "path",
        "svg.hashsalt": "inertian",
        "text.parse_math": False,
        "axes.edgecolor": INK_COLOUR,
        "axes.labelcolor": INK_COLOUR,
        "text.color": INK_COLOUR,
        "xtick.color": INK_COLOUR,
        "ytick.color": INK_COLOUR,
        "axes.linewidth": THIN,
        "xtick.major.width": THIN,
        "ytick.major.width": THIN,
        "xtick.labelsize": SMALL,
        "ytick.labelsize": SMALL,
        "axes.unicode_minus": True,
        "hatch.linewidth": 0.5,
        "axes.spines.top": False,
        "axes.spines.right": False,
    }


def drawn(figure: FigureDescription, kind: str = "png", dpi: float = DPI) -> DrawnFigure:
    """Return a figure as the bytes of a "png" of so many dots per inch, "svg" or "pdf", with where
    its texts stand.
    """
    _ready()
    from matplotlib import rc_context
    from matplotlib.backends.backend_agg import FigureCanvasAgg
    from matplotlib.figure import Figure

    with rc_context(_settings()):
        made = Figure(figsize=(figure.width / MM_PER_INCH, figure.height / MM_PER_INCH), dpi=dpi)
        FigureCanvasAgg(made)
        texts = _laid_out(made, figure)
        made.canvas.draw()
        places = {name: _place(made, text) for name, text in texts.items()}
        out = io.BytesIO()
        kinds_of: dict[str, dict[str, Any]] = {
            "png": {"Software": "Inertian"},
            "svg": {"Date": None, "Creator": "Inertian"},
            "pdf": {"CreationDate": None, "Producer": None, "Creator": "Inertian"},
        }
        made.savefig(out, format=kind, dpi=dpi, metadata=kinds_of[kind], facecolor="white")
    return DrawnFigure(out.getvalue(), places)


def _place(made: "Figure", text: Any) -> tuple[float, float, float, float]:
    box = text.get_window_extent()
    wide, high = made.bbox.width, made.bbox.height
    return (box.x0 / wide, box.y0 / high, box.x1 / wide, box.y1 / high)


def _laid_out(made: "Figure", figure: FigureDescription) -> dict[str, Any]:
    """Put title, panels and caption into a figure; return its texts by place."""
    wide, high = figure.width, figure.height
    margin = MARGIN_MM / wide
    caption = _wrapped(made, figure.caption, (1.0 - 2.0 * margin) * wide / MM_PER_INCH)
    line = SMALL * LEADING / 72.0 * MM_PER_INCH / high
    below = min(caption.count("\n") + 1 if caption else 0, 12) * line
    title = _wrapped(made, figure.title, (1.0 - 2.0 * margin) * wide / MM_PER_INCH, TITLE)
    above = (title.count("\n") + 1) * TITLE * LEADING / 72.0 * MM_PER_INCH / high if title else 0.0
    edge = MARGIN_MM / high
    bottom, top = below + 2.0 * edge, 1.0 - above - edge
    if top - bottom < LEAST_PLOT:
        bottom = max(top - LEAST_PLOT, 0.0)
    axes = made.subplots(
        len(figure.panels),
        1,
        sharex=not any(isinstance(m, BarMarks) for p in figure.panels for m in p.marks),
        squeeze=False,
        gridspec_kw={"height_ratios": [p.share for p in figure.panels]},
    )[:, 0]
    for panel, plot in zip(figure.panels, axes, strict=True):
        _draw_panel(plot, panel)
    texts: dict[str, Any] = {}
    texts["x"] = axes[-1].set_xlabel(figure.x_title)
    shares = sum(panel.share for panel in figure.panels)
    for k, (panel, plot) in enumerate(zip(figure.panels, axes, strict=True)):
        room = PLOT_SHARE * (top - bottom) * high * panel.share / shares / MM_PER_INCH
        texts[f"y{k}"] = plot.set_ylabel(_wrapped(made, panel.y_title, room, TEXT))
    made.align_ylabels(axes)
    if figure.legend and labelled(figure.panels[0].marks):
        axes[0].legend(fontsize=SMALL, frameon=False, loc="best", handlelength=2.2)
    _fit(made, (margin, bottom, 1.0 - margin, top))
    if title:
        texts[TITLED] = made.text(
            margin, 1.0 - edge, title, size=TITLE, weight="semibold", va="top", ha="left"
        )
    if caption:
        texts["caption"] = made.text(
            margin, edge, caption, size=SMALL, va="bottom", ha="left", linespacing=LEADING - 0.1
        )
    return texts


def _fit(made: "Figure", room: tuple[float, float, float, float]) -> None:
    """Let axes with their titles and numbers fill the room there is."""
    import warnings

    with warnings.catch_warnings():
        warnings.simplefilter("ignore")  # of figures that are too small for their texts
        made.tight_layout(pad=0.2, rect=room)


def _wrapped(made: "Figure", text: str, inches: float, size: float = SMALL) -> str:
    """A text in lines that are no wider than there is room."""
    if not text:
        return ""
    probe = made.text(0, 0, "", size=size, weight="semibold" if size == TITLE else "normal")
    lines: list[str] = []
    for paragraph in text.split("\n"):
        line = ""
        for word in paragraph.split(" "):
            longer = f"{line} {word}".strip()
            probe.set_text(longer)
            if line and probe.get_window_extent().width > inches * made.dpi:
                lines.append(line)
                line = word
            else:
                line = longer
        lines.append(line)
    probe.remove()
    return "\n".join(lines)


def _draw_panel(plot: "Axes", panel: Panel) -> None:
    for mark in panel.marks:
        _DRAWN[type(mark)](plot, mark)
    if panel.zero:
        plot.axhline(0.0, color=SOFT, linewidth=THIN, zorder=0)
    if panel.x_range is not None:
        plot.set_xlim(*panel.x_range)
    if panel.y_range is not None:
        plot.set_ylim(*panel.y_range)
    plot.tick_params(length=2.5)


def _colour(place: int) -> str:
    return {INK: INK_COLOUR, GREY: SOFT}.get(place) or BODIES[place % len(BODIES)]


def _draw_points(plot: "Axes", mark: PointMarks) -> None:
    colour = _colour(mark.colour)
    plot.errorbar(
        mark.x,
        mark.y,
        yerr=mark.uy,
        xerr=mark.ux,
        fmt=MARKERS[mark.colour % len(MARKERS)],
        markersize=MARK if len(mark.x) <= 100 else MARK / 2,
        color=colour,
        markerfacecolor="white" if mark.hollow else colour,
        elinewidth=BAR,
        markeredgewidth=BAR,
        label=mark.label or None,
        zorder=3,
    )


def _draw_curve(plot: "Axes", mark: CurveMark) -> None:
    # Bodies differ by their markers, so that print without colour tells them apart
    of_body = mark.colour >= 0
    plot.plot(
        mark.x,
        mark.y,
        color=_colour(mark.colour),
        linewidth=LINE,
        linestyle=DASHES[mark.dashes],
        marker=MARKERS[mark.colour % len(MARKERS)] if of_body else None,
        markersize=MARK,
        markevery=EVERY if of_body else None,
        label=mark.label or None,
        zorder=2,
    )


def _draw_band(plot: "Axes", mark: BandMark) -> None:
    plot.fill_between(
        mark.x,
        mark.low,
        mark.high,
        facecolor=_colour(mark.colour),
        alpha=0.22 if not mark.hatch else 0.3,
        edgecolor="none" if not mark.hatch else _colour(mark.colour),
        hatch=mark.hatch or None,
        linewidth=0.0,
        label=mark.label or None,
        zorder=1,
    )


def _draw_bars(plot: "Axes", mark: BarMarks) -> None:
    places = list(range(len(mark.names)))
    plot.barh(places, mark.values, height=0.6, color=RULE, edgecolor=INK_COLOUR, linewidth=THIN)
    plot.set_yticks(places, mark.names)
    plot.invert_yaxis()
    for place, value, text in zip(places, mark.values, mark.texts, strict=True):
        plot.annotate(
            text, (value, place), (3, 0), textcoords="offset points", va="center", size=SMALL
        )
    plot.margins(x=0.2)


_DRAWN: dict[type[Mark], Callable[[Any, Any], None]] = {
    PointMarks: _draw_points,
    CurveMark: _draw_curve,
    BandMark: _draw_band,
    BarMarks: _draw_bars,
}


def hatch_of(place: int) -> str:
    """Return the hatch that tells an area apart in grey, by its place."""
    return HATCHES[place % len(HATCHES)]


def kinds() -> Sequence[str]:
    """Return the kinds of files that a figure can be written as."""
    return ("png", "svg", "pdf")
