"""A trend as a figure that is ready to show: points with bars, the line with its band, what is
expected, residuals, and a caption that says what all of it is.
"""

from collections.abc import Mapping, Sequence

import numpy as np

from inertian.analysis.results.results_table import ResultRow
from inertian.analysis.trends.by_hand import bars
from inertian.analysis.trends.line_fit import LineFit
from inertian.analysis.trends.repeats import setting_of
from inertian.analysis.trends.trend_result import TrendResult
from inertian.quantities.estimates import Array
from inertian.quantities.rounding import chance_words, write_estimate
from inertian.report.figures.description import (
    GREY,
    INK,
    BandMark,
    CurveMark,
    FigureDescription,
    Mark,
    Panel,
    PointMarks,
    capital,
)
from inertian.report.trend import parameter_unit, si_unit, verdict_words

PLACES = 200  # of a line that may bend
BEYOND = 0.05  # of the width, that lines reach beyond the points
RESIDUAL_SHARE = 0.35
MARK_SHARE = 0.012  # of the height of a figure, that half a mark takes
FORMULAS = {
    "straight": "y = intercept + slope · x",
    "origin": "y = slope · x",
    "constant": "y = value",
    "power": "y = factor · x^exponent",
    "exponential": "y = factor · e^(rate · x)",
}


def reach_of(made: TrendResult) -> Array:
    """Return the places x in SI that lines are drawn over, shape (PLACES,)."""
    x = made.points.x
    low, high = float(x.min()), float(x.max())
    if made.request.line == "origin":
        low, high = min(low, 0.0), max(high, 0.0)
    wide = (high - low) or abs(high) or 1.0
    places = np.linspace(low - BEYOND * wide, high + BEYOND * wide, PLACES)
    return places[places > 0.0] if made.request.line == "power" else places


def axis_title(name: str, unit: str) -> str:
    """Return the title of an axis with its unit."""
    unit = si_unit(unit)
    return f"{name} ({unit})" if unit else name


def groups_of(rows: Sequence[ResultRow], marks: str) -> dict[str, list[int]]:
    """Return the places of rows by what tells them apart: a column, or their series."""
    found: dict[str, list[int]] = {}
    for place, row in enumerate(rows):
        key = setting_of(row, marks) if marks else row.entry.series
        found.setdefault(key, []).append(place)
    return found


def hidden_bars(made: TrendResult) -> bool:
    """Return whether most bars are shorter than the marks of their points."""
    uy, high = bars(made.points)[1], float(np.ptp(made.points.y)) or 1.0
    return bool(np.median(uy) < MARK_SHARE * high)


def caption_of(made: TrendResult) -> str:
    """Return the caption of a trend: how many trials, what bars mean, the fit with its ±."""
    fit = made.fit
    said = [f"{len(made.points)} trials; bars show one standard uncertainty u to either side."]
    if hidden_bars(made):
        said[0] = said[0].replace("side.", "side, where they are longer than the marks.")
    if fit is None:
        return " ".join(said)
    formula = FORMULAS.get(made.request.line, f"y = {made.request.formula}")
    values = ", ".join(
        f"{name} {write_estimate(one.value, one.u, parameter_unit(name, made.units))}"
        for name, one in fit.parameters.items()
    )
    said.append(f"Fitted {formula}: {values}.")
    if fit.scatter:
        said.append("The ± come from the scatter about the line.")
    elif fit.chi_squared is not None:
        p = "" if fit.p is None else f" (p {chance_words(fit.p)})"
        said.append(f"χ² = {fit.chi_squared:.1f} for {fit.dof} degrees of freedom{p}.")
    if made.between is not None:
        spread = write_estimate(made.between.value, made.between.u, si_unit(made.units[1]))
        said.append(f"A spread between trials of {spread} was added.")
    if made.agreement is not None:
        words = verdict_words(made.agreement, parameter_unit(made.agreement.parameter, made.units))
        said.append(f"Dashed: expected, with its band; {words}.")
    return " ".join(said)


def trend_figure(made: TrendResult, titles: Mapping[str, str] | None = None) -> FigureDescription:
    """Return a trend as a figure; `titles` are those of columns, by name."""
    shown = titles or {}
    x_name, y_name = (shown.get(n, n) for n in (made.request.x, made.request.y))
    reach, marks = reach_of(made), _lines(made)
    ux, uy = bars(made.points)
    groups = groups_of(made.rows, made.request.marks)
    for colour, (label, places) in enumerate(groups.items()):
        marks.append(
            PointMarks(
                made.points.x[places],
                made.points.y[places],
                ux[places],
                uy[places],
                colour,
                label if len(groups) > 1 else "",
            )
        )
    ends = float(reach.min()), float(reach.max())
    panels = [Panel(tuple(marks), capital(axis_title(y_name, made.units[1])), x_range=ends)]
    if made.fit is not None:
        panels.append(_residuals(made, made.fit, groups, ends))
    return FigureDescription(
        capital(f"{y_name} against {x_name}"),
        tuple(panels),
        capital(axis_title(x_name, made.units[0])),
        caption_of(made),
        name=f"{y_name} against {x_name}",
        height=110.0,
    )


def _lines(made: TrendResult) -> list[Mark]:
    """The fitted line with its band, and what is expected with its own."""
    x = reach_of(made)
    found: list[Mark] = []
    if made.expected is not None:
        middle, u = np.real(made.expected.line(x)), made.expected.u_of_line(x)
        if u.any():
            found.append(BandMark(x, middle - u, middle + u, GREY, "////"))
        found.append(CurveMark(x, middle, GREY, "dashed", "expected"))
    if made.fit is not None:
        middle, u = made.fit.line(x), made.fit.u_of_line(x)
        found.append(BandMark(x, middle - u, middle + u, INK))
        found.append(CurveMark(x, middle, INK, "", "fitted"))
    return found


def _residuals(
    made: TrendResult, fit: LineFit, groups: Mapping[str, list[int]], ends: tuple[float, float]
) -> Panel:
    marks = tuple(
        PointMarks(made.points.x[places], fit.residuals[places], None, fit.u[places], colour)
        for colour, places in enumerate(groups.values())
    )
    unit = si_unit(made.units[1])
    title = f"y − line ({unit})" if unit else "y − line"
    return Panel(marks, title, RESIDUAL_SHARE, True, ends)
