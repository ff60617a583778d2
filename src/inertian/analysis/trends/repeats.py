"""Repeats: trials with equal settings, pooled.

The mean is weighed by what each trial errs by itself; what they share errs alike in all of them and
does not average out (JCGM 100:2008, F.1.2.3 and 4.2).
"""

from collections.abc import Sequence
from dataclasses import dataclass

import numpy as np

from inertian.analysis.results.results_table import ResultRow
from inertian.analysis.trends.line_fit import TrendError, fit_line
from inertian.analysis.trends.points import Points
from inertian.analysis.trends.trend_lines import VALUE, TrendLine
from inertian.analysis.trends.trend_points import points_of
from inertian.motion.numerics.outliers import MEDIAN_TO_SIGMA
from inertian.quantities.coverage import Scalar

# Of a median against a mean of normal errors, √(π/2) (Kendall & Stuart, vol. 1, 10.11)
MEDIAN_COST = float(np.sqrt(np.pi / 2.0))


@dataclass(frozen=True)
class Repeats:
    """Trials with equal settings: how many, their mean with its u in own and shared part, their
    spread s and standard error s/√n, the u of one trial, χ² of the trials about the mean with p.

    Where the trials clearly scatter more than their ± say, the mean is the plain one, with s/√n.
    `median` is the robust alternative, with 1.25 times the robust standard error.
    """

    setting: str
    n: int
    mean: Scalar
    u_own: float
    u_shared: float
    spread: float | None
    standard_error: float | None
    u_of_one: float
    chi_squared: float | None
    p: float | None
    median: Scalar


def pooled(setting: str, points: Points) -> Repeats:
    """Return repeats of y pooled; points in SI. Raises TrendError for none."""
    y, n = points.y, len(points)
    if n == 0:
        raise TrendError("There are no trials to pool.")
    spread = float(y.std(ddof=1)) if n > 1 else None
    error = None if spread is None else spread / float(np.sqrt(n))
    middle = float(np.median(y))
    shared = np.einsum("nk,kl,nl->n", points.shared.y, points.shared.covariance, points.shared.y)
    common = float(np.sqrt(shared.mean()))
    robust = MEDIAN_TO_SIGMA * float(np.median(np.abs(y - middle)))
    known = float(np.sqrt(np.mean(points.uy**2)))
    median_u = MEDIAN_COST * max(robust, 0.0 if n > 2 else known) / np.sqrt(n)
    median = Scalar(middle, float(np.hypot(median_u, common)), float(max(n - 1, 1)))
    if n == 1:
        one = Scalar(float(y[0]), float(np.hypot(points.uy[0], common)), float(points.dof[0]))
        own = float(points.uy[0])
        return Repeats(setting, 1, one, own, common, None, None, known, None, None, median)
    fit = fit_line(points, TrendLine.CONSTANT)
    mean, own = fit.parameter(VALUE), fit.u_own(VALUE)
    if fit.widened > 1.0 and error is not None:  # then no trial deserves more weight than another
        mean = Scalar(float(y.mean()), float(np.hypot(error, common)), float(n - 1))
        own = error
    return Repeats(
        setting,
        n,
        mean,
        own,
        fit.u_shared(VALUE),
        spread,
        error,
        known,
        fit.chi_squared,
        fit.p,
        median,
    )


def repeats_of(
    rows: Sequence[ResultRow], name: str, settings: str = ""
) -> dict[str, Repeats | TrendError]:
    """Return repeats of a column, pooled by equal values of the column `settings`; all together if
    it is "".
    """
    groups: dict[str, list[ResultRow]] = {}
    for row in rows:
        groups.setdefault(setting_of(row, settings), []).append(row)
    found: dict[str, Repeats | TrendError] = {}
    for setting, own in groups.items():
        try:
            points = points_of(own, name, name) if len(own) > 1 else _one(own[0], name)
            found[setting] = pooled(setting, points)
        except TrendError as error:
            found[setting] = error
    return found


def _one(row: ResultRow, name: str) -> Points:
    both = points_of([row, row], name, name)
    return both.of(np.array([True, False]))


def setting_of(row: ResultRow, name: str) -> str:
    """Return what a trial was set to, as it is told apart by; "" where nothing is known."""
    if not name:
        return ""
    value = row.values.get(name)
    if value is None:
        return "—"
    if value.scalar is None:
        return value.text
    return f"{value.scalar.value:.6g} {value.unit}".strip()
