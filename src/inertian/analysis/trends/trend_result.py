"""A trend as it was asked for: its points, the line through them, what is expected, and what there
is to say.
"""

from collections.abc import Sequence
from dataclasses import dataclass, replace

import numpy as np

from inertian.analysis.results.results_table import ResultRow, ResultsTable
from inertian.analysis.results.trial_values import IN_NAME
from inertian.analysis.trends.between_trials import BetweenTrials, with_spread_between_trials
from inertian.analysis.trends.expected import (
    Agreement,
    ExpectedLine,
    agreement,
    expected_line,
    likely_formula,
    missing_facts,
)
from inertian.analysis.trends.line_fit import LineFit, TrendError, fit_line
from inertian.analysis.trends.points import Points
from inertian.analysis.trends.remarks import ResidualRemark, residual_remarks
from inertian.analysis.trends.trend_lines import TrendLine
from inertian.analysis.trends.trend_points import points_of, rows_of_trend
from inertian.project.trend_requests import TrendRequest
from inertian.quantities.errors import InertianError

JUST = "velocity just {word} contact of {rest}"
WALL = "velocity {word} of "
# What says most where nothing was set by hand: across and up, by the beginnings of their names
PAIRS = (
    ("change of momentum", "impulse of"),
    ("velocity just before contact", "velocity just after contact"),
    ("mechanical energy before", "mechanical energy after"),
    ("momentum x expected", "momentum x after"),
    ("speed before", "speed after"),
)
HALF = 0.5  # of the points, for which something has to be true to be told


@dataclass(frozen=True, eq=False)
class TrendResult:
    """A trend: rows and points, the fit or why there is none, the variance between trials where it
    was asked for, what is expected and how both compare, or why not.
    """

    request: TrendRequest
    rows: tuple[ResultRow, ...]
    points: Points
    units: tuple[str, str]
    fit: LineFit | None = None
    refused: str = ""
    between: BetweenTrials | None = None
    remarks: tuple[ResidualRemark, ...] = ()
    expected: ExpectedLine | None = None
    agreement: Agreement | None = None
    unexpected: str = ""  # why nothing is expected, where something was asked for
    # The largest change of x or y by friction between the edges of a contact and its moment, where
    # points are velocities at the edges; in m/s
    beside_contact: float = 0.0


def usual_request(table: ResultsTable, request: TrendRequest) -> TrendRequest:
    """Return a request with what was not chosen found by the program: of the largest series of
    which trials have the same results, what is most telling.
    """
    if request.x and request.y:
        return request
    rows = [row for row in table.rows if row.entry.apart is None]
    names = list(dict.fromkeys(row.entry.series for row in rows))
    groups = {name: [r for r in rows if r.entry.series == name] for name in names}
    for series, own in sorted(groups.items(), key=lambda one: -len(one[1])):
        found = _telling(own)
        if found is None:
            continue
        x, y = request.x or found[0], request.y or found[1]
        bodies = [b.name for b in own[0].entry.trial.bodies]
        likely = likely_formula(x, y, bodies)
        known = not missing_facts(likely, own[0])
        formula = request.expected or (likely if known else "")
        through = (request.expected or likely).endswith(" x")
        line = TrendLine.ORIGIN if through else TrendLine.STRAIGHT
        only = (series,) if len(groups) > 1 and not request.series else request.series
        return replace(request, x=x, y=y, line=str(line), expected=formula, series=only)
    return request


def _telling(rows: Sequence[ResultRow]) -> tuple[str, str] | None:
    """What to show across and up for trials of a series: a variable against a reading, changes of
    velocity of two bodies against one another, or what else differs from trial to trial.
    """
    if len(rows) < 2:
        return None
    first = rows[0]
    shared = [n for n in first.values if all(_number(r, n) for r in rows)]
    varied = [n for n in shared if len({r.values[n].scalar.value for r in rows}) > 1]  # type: ignore[union-attr]
    own = [n for n in varied if n in dict(first.entry.variables)]
    named = [n.name for n in first.entry.named if n.name in varied]
    changes = [n for n in varied if n.startswith("change of velocity") and n.endswith("along x")]
    if own and (named or changes):
        return own[0], (named or changes)[0]
    if len(changes) > 1:
        return changes[0], changes[1]
    for x, y in PAIRS:
        across = [n for n in varied if n.startswith(x)]
        up = [n for n in varied if n.startswith(y) and n not in across[:1]]
        if across and up and not own:
            return across[0], up[0]
    results = [n for n in varied if n not in own and n != IN_NAME]
    if own and results:
        return own[0], results[0]
    if len(named) > 1:
        return named[0], named[1]
    return (results[0], results[1]) if len(results) > 1 else None


def _number(row: ResultRow, name: str) -> bool:
    one = row.values.get(name)
    return one is not None and one.scalar is not None and bool(np.isfinite(one.scalar.value))


def trend_result(table: ResultsTable, request: TrendRequest) -> TrendResult:
    """Return a trend. Raises TrendError where there are not even two points."""
    for name in (request.x, request.y):
        if name not in table.offered:
            raise TrendError(f"No trial has “{name}”." if name else "Choose what to show.")
    rows = tuple(rows_of_trend(table, request.x, request.y, request.series))
    points = points_of(rows, request.x, request.y)
    units = (table.offered[request.x].unit, table.offered[request.y].unit)
    made = TrendResult(request, rows, points, units, beside_contact=_beside_contact(rows, request))
    line = TrendLine(request.line)
    try:
        if request.spread:
            fit, between = with_spread_between_trials(points, line, request.formula)
            made = replace(made, fit=fit, between=between)
        else:
            made = replace(made, fit=fit_line(points, line, request.formula))
        assert made.fit is not None
        made = replace(made, remarks=residual_remarks(made.fit))
    except InertianError as error:
        made = replace(made, refused=str(error))
    if request.expected.strip():
        try:
            theory = expected_line(request.expected, rows, line, points.x)
            compared = agreement(made.fit, theory) if made.fit is not None else None
            made = replace(made, expected=theory, agreement=compared)
        except InertianError as error:
            made = replace(made, unexpected=str(error))
    return made


def at_contact_name(name: str) -> str:
    """Return the name of a velocity at a contact itself, from that at the edge of its span; other
    names as they are.
    """
    for word in ("before", "after"):
        start = WALL.format(word=word)
        if name.startswith(start):
            return JUST.format(word=word, rest=name.removeprefix(start))
    return name


def _beside_contact(rows: Sequence[ResultRow], request: TrendRequest) -> float:
    """By how much velocities at the edges of contacts differ from those just beside them, where
    that is more than what most points err by; else 0.
    """
    largest = 0.0
    for name in (request.x, request.y):
        other = at_contact_name(name)
        if other == name:
            continue
        have = [r.values for r in rows if other in r.values]
        pairs = [(own[name].scalar, own[other].scalar) for own in have]
        away = [(abs(a.value - b.value), a.u) for a, b in pairs if a is not None and b is not None]
        if sum(d > u for d, u in away) > HALF * len(rows):
            largest = max(largest, *(d for d, _ in away))
    return largest
