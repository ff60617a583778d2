"""A strip of the bench as a figure that is ready to show."""

import numpy as np

from inertian.desktop.bench.traces import Trace
from inertian.desktop.look import words
from inertian.desktop.look.markers import ALL_TOGETHER
from inertian.project.project import Entry
from inertian.quantities.estimates import Array, Rows
from inertian.report.figures.description import (
    INK,
    BandMark,
    CurveMark,
    FigureDescription,
    Mark,
    Panel,
    PointMarks,
    capital,
)

MOST = 4000  # points of a body that a figure on paper can tell apart
MOST_MARKS = 400  # samples that are drawn as marks; more as a line


def strip_figure(
    entry: Entry, title: str, unit: str, traces: list[Trace], seen: tuple[float, float]
) -> FigureDescription:
    """Return what a strip shows between two times in s as a figure; values in their unit."""
    marks = [mark for trace in traces for mark in _marks_of(trace, seen)]
    said = [words.FIGURE_TRIAL.format(name=entry.trial.name)]
    if any(trace.u is not None for trace in traces):
        said.append(words.FIGURE_BAND)
    if any(len(trace.crosses[0]) for trace in traces):
        said.append(words.FIGURE_ASIDE)
    if any(trace.pieces or trace.curves for trace in traces):
        said.append(words.FIGURE_FITS)
    y_title = f"{title} ({unit})" if unit else title
    zero = entry.frame.time_zero
    ends = (seen[0] - zero, seen[1] - zero)
    return FigureDescription(
        f"{title}, {entry.trial.name}",
        (Panel(tuple(_shifted(mark, zero) for mark in marks), y_title, x_range=ends),),
        capital(words.TIME_AXIS),
        " ".join(said),
        name=f"{title} {entry.trial.name}",
    )


def _marks_of(trace: Trace, seen: tuple[float, float]) -> list[Mark]:
    colour = INK if trace.place == ALL_TOGETHER else trace.place
    inside = (trace.t >= seen[0]) & (trace.t <= seen[1])
    kept = np.flatnonzero(inside & np.isfinite(trace.y))
    kept = kept[:: max(1, len(kept) // MOST)]
    t, y = trace.t[kept], trace.y[kept]
    found: list[Mark] = []
    if trace.u is not None:
        u = trace.u[kept]
        found += [BandMark(*run, colour) for run in _runs(trace, kept, y - u, y + u)]
    if trace.u is None and len(t) <= MOST_MARKS:
        found.append(PointMarks(t, y, None, None, colour, trace.body))
    else:
        whole = np.where(inside, trace.y, np.nan)
        step = max(1, len(whole) // MOST)
        found.append(CurveMark(trace.t[::step], whole[::step], colour, "", trace.body))
    for x, values in (*trace.pieces, *trace.curves):
        found.append(CurveMark(x, values, INK, "dashed"))
    crosses = trace.crosses
    if len(crosses[0]):
        found.append(PointMarks(crosses[0], crosses[1], None, None, colour, "", True))
    return found


def _runs(trace: Trace, kept: Rows, low: Array, high: Array) -> list[tuple[Array, Array, Array]]:
    """A band in pieces: nothing across a gap."""
    step = np.median(np.diff(kept)) if len(kept) > 1 else 1
    breaks = np.flatnonzero(np.diff(kept) > step) + 1
    places = np.split(np.arange(len(kept)), breaks)
    return [(trace.t[kept[p]], low[p], high[p]) for p in places if len(p) > 1]


def _shifted(mark: Mark, zero: float) -> Mark:
    """A mark in the time that the strip shows, from time zero."""
    match mark:
        case PointMarks():
            return PointMarks(
                mark.x - zero, mark.y, None, None, mark.colour, mark.label, mark.hollow
            )
        case CurveMark():
            return CurveMark(mark.x - zero, mark.y, mark.colour, mark.dashes, mark.label)
        case BandMark():
            return BandMark(mark.x - zero, mark.low, mark.high, mark.colour)
        case _:
            return mark
