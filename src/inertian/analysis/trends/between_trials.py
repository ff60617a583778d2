"""A variance between trials, beyond what the ± of their points say, by restricted maximum
likelihood.

Sources: Harville, J. Am. Stat. Assoc. 72 (1977) 320-338, for the likelihood; Viechtbauer, Stat.
Med. 26 (2007) 37-52, for the interval: the variances for which Q is no surprise; Knapp & Hartung,
Stat. Med. 22 (2003) 2693-2710, for the ± of a line through few trials; Kenward & Roger, Biometrics
53 (1997) 983-997, for its degrees of freedom.
"""

from collections.abc import Callable
from dataclasses import dataclass, replace

import numpy as np

from inertian.analysis.trends.line_fit import LineFit, TrendError, fit_line
from inertian.analysis.trends.points import Points
from inertian.analysis.trends.trend_lines import TrendLine
from inertian.quantities.coverage import P68, P95

FURTHEST = 3.0  # times the scatter about the line: no spread between trials is larger
SETTLED = 1e-7  # of the scatter: how finely a spread is found
WIDEST = 1e4  # times it, where an interval has no upper end that few trials could tell


@dataclass(frozen=True)
class BetweenTrials:
    """The standard deviation between trials in the unit of y, with u and intervals."""

    value: float
    u: float
    interval68: tuple[float, float]
    interval95: tuple[float, float]


def with_spread_between_trials(
    points: Points, line: TrendLine, formula: str = ""
) -> tuple[LineFit, BetweenTrials]:
    """Return a line fitted with a variance between trials beside what each point errs by itself.

    Raises TrendError, as `fit_line` does, and where points have no ± that it could be beyond.
    """
    plain = fit_line(points, line, formula)
    if plain.scatter:
        raise TrendError(
            "No point has a ±, so that the scatter about the line is all there is: nothing can "
            "be said to go beyond."
        )
    scale = float(np.sqrt(plain.residuals @ plain.residuals / plain.dof))
    if scale == 0.0:
        return plain, BetweenTrials(0.0, 0.0, (0.0, 0.0), (0.0, 0.0))
    fits: dict[float, LineFit] = {}

    def at(spread: float) -> LineFit:
        if spread not in fits:
            fits[spread] = fit_line(points.spread_by(spread**2), line, formula)
        return fits[spread]

    best = _most_likely(at, scale)
    fit = at(best)
    value = BetweenTrials(best, 0.0, _interval(at, scale, P68), _interval(at, scale, P95))
    value = replace(value, u=0.5 * (value.interval68[1] - value.interval68[0]))
    return _with_unsure_spread(fit, best), value


def _most_likely(at: Callable[[float], LineFit], scale: float) -> float:
    from scipy.optimize import minimize_scalar

    found = minimize_scalar(
        lambda spread: -restricted_likelihood(at(float(spread))),
        bounds=(0.0, FURTHEST * scale),
        method="bounded",
        options={"xatol": SETTLED * scale},
    )
    best = float(found.x)
    return best if restricted_likelihood(at(best)) > restricted_likelihood(at(0.0)) else 0.0


def restricted_likelihood(fit: LineFit) -> float:
    """Return the logarithm of the restricted likelihood of a line, up to a constant."""
    weights = 1.0 / fit.u**2
    matrix = fit.slopes(fit.points.x)
    information = (matrix * weights) @ matrix.T
    size = float(np.linalg.slogdet(information)[1])
    return 0.5 * float(np.sum(np.log(weights)) - size - weights @ fit.residuals**2)


def _interval(
    at: Callable[[float], LineFit], scale: float, probability: float
) -> tuple[float, float]:
    """The spreads for which Q lies between its quantiles."""
    from scipy.optimize import brentq
    from scipy.special import chdtri

    tail, dof = 0.5 * (1.0 - probability), at(0.0).dof
    ends = []
    for q in (float(chdtri(dof, tail)), float(chdtri(dof, 1.0 - tail))):

        def beyond(spread: float, q: float = q) -> float:
            return float(np.sum((at(spread).residuals / at(spread).u) ** 2)) - q

        high = FURTHEST * scale
        while beyond(high) > 0.0 and high < WIDEST * scale:
            high *= FURTHEST
        if beyond(0.0) <= 0.0:
            ends.append(0.0)
        elif beyond(high) > 0.0:
            ends.append(high)
        else:
            ends.append(float(brentq(beyond, 0.0, high, xtol=1e-3 * scale)))
    return ends[0], ends[1]


def _with_unsure_spread(fit: LineFit, spread: float) -> LineFit:
    """The same line with a ± that the scatter about it tells, not below what the points say; its
    degrees of freedom are those that so unsure a spread leaves (Satterthwaite's, with the
    information on one variance that is added to known ones: Kenward & Roger 1997).
    """
    matrix, weights = fit.slopes(fit.points.x), 1.0 / fit.u**2
    first, second, third = ((matrix * weights**k) @ matrix.T for k in (1, 2, 3))
    known = np.linalg.inv(first)
    trace = float(
        np.sum(weights**2)
        - 2.0 * np.trace(known @ third)
        + np.trace(known @ second @ known @ second)
    )
    variance = 2.0 / trace  # of the square of the spread
    changes = np.diag(known @ second @ known)
    freedom = 2.0 * np.diag(known) ** 2 / (variance * changes**2)
    freedom = np.clip(freedom, 1.0, float(fit.dof))
    ratio = max(float(weights @ fit.residuals**2) / fit.dof, 1.0)
    return replace(fit, own=np.asarray(ratio * known), spread=spread, dof_own=freedom, widened=1.0)
