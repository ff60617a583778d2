"""Figures written to files."""

from pathlib import Path

from inertian.quantities.errors import Refusal
from inertian.report.figures.description import FigureDescription
from inertian.report.figures.drawing import drawn, kinds


def check_figure_ending(out: Path) -> str:
    """Return the kind of file that a name asks for. Raises Refusal where it is none of a figure."""
    kind = out.suffix.casefold().removeprefix(".")
    if kind not in kinds():
        raise Refusal(f"{out}: figures are written as NAME.png, NAME.svg or NAME.pdf.")
    return kind


def write_figure(figure: FigureDescription, out: Path) -> None:
    """Write a figure; a picture has 300 dots per inch. Raises OSError, or Refusal for a name with
    another ending.
    """
    from inertian.project.saving import write_whole

    write_whole(out, drawn(figure, check_figure_ending(out)).content)
