"""What a class does by hand, beside the fit and never mixed up with it: a slope from two points of
a line drawn by eye, the steepest and the flattest line through all bars, the mean of all ratios.
"""

from dataclasses import dataclass

import numpy as np

from inertian.analysis.trends.points import Points
from inertian.quantities.estimates import Array


@dataclass(frozen=True)
class SlopeByHand:
    """A slope as it is had by hand, in SI, with the ± that this way gives it, None where it gives
    none; `ends` are slopes and intercepts of the lines behind it, the flattest first.
    """

    value: float
    plus_minus: float | None
    ends: tuple[tuple[float, float], ...] = ()


def slope_of_two_points(x1: float, y1: float, x2: float, y2: float) -> SlopeByHand | None:
    """Return (y₂ − y₁)/(x₂ − x₁) of two points on a line drawn by eye; None where both x agree."""
    if x1 == x2:
        return None
    slope = (y2 - y1) / (x2 - x1)
    return SlopeByHand(slope, None, ((slope, y1 - slope * x1),))


def steepest_and_flattest(points: Points, whole: bool = True) -> SlopeByHand | None:
    """Return the mean of the steepest and the flattest line that pass through the bars of all
    points, and half their difference as its ±; None where no line does. Bars reach one u to either
    side; with `whole`, shared errors included.

    A line y = k x + c meets the box of a point where |y − k x − c| ≤ u_y + |k| u_x: for each sign
    of k a linear programme in k and c.
    """
    from scipy.optimize import linprog

    ux, uy = bars(points) if whole else (points.ux, points.uy)
    scale = float(np.ptp(points.y)) / float(np.ptp(points.x) or 1.0) or 1.0
    lines: list[tuple[float, float]] = []
    for sign in (1.0, -1.0):
        # sign·k ≥ 0, so that |k| u_x is sign·k·u_x; k in units of the whole slope
        rows = np.concatenate(
            [
                np.stack([scale * (points.x - sign * ux), np.ones(len(points))], axis=1),
                np.stack([-scale * (points.x + sign * ux), -np.ones(len(points))], axis=1),
            ]
        )
        limits = np.concatenate([points.y + uy, uy - points.y])
        bounds = [(0.0, None) if sign > 0 else (None, 0.0), (None, None)]
        for way in (1.0, -1.0):
            found = linprog([way, 0.0], A_ub=rows, b_ub=limits, bounds=bounds, method="highs")
            if found.status == 0 and found.x is not None:
                lines.append((float(found.x[0]) * scale, float(found.x[1])))
    if not lines:
        return None
    low, high = min(lines), max(lines)
    middle = 0.5 * (low[0] + high[0])
    ends = (high, low) if middle < 0.0 else (low, high)
    return SlopeByHand(middle, 0.5 * (high[0] - low[0]), ends)


def bars(points: Points) -> tuple[Array, Array]:
    """Return the whole standard uncertainties of x and y of each point, shared errors included."""
    shared = points.shared
    along = [np.einsum("nk,kl,nl->n", s, shared.covariance, s) for s in (shared.x, shared.y)]
    return (
        np.asarray(np.sqrt(points.own[:, 0, 0] + along[0])),
        np.asarray(np.sqrt(points.own[:, 1, 1] + along[1])),
    )


def mean_of_ratios(points: Points) -> SlopeByHand | None:
    """Return the mean of y/x over all points, and the standard deviation of that mean,
    √(Σ(r − r̄)²/(n(n − 1))); None where an x is zero, or for one point.
    """
    if len(points) < 2 or (points.x == 0.0).any():
        return None
    ratios = points.y / points.x
    return SlopeByHand(float(ratios.mean()), float(ratios.std(ddof=1) / np.sqrt(len(ratios))))
