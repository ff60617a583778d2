"""How fast a mark that goes round on a circle turns at a date, from its angle over the whole free
stretch that the date lies in: a polynomial, one degree higher than shows.

The angle φ = atan2(y − y_c, x − x_c) is linearised at each sample, dφ = (−sin φ dx + cos φ dy)/r,
so that readings keep their weights on the samples. Without a centre that was given, it is that of
the best circle (`numerics.circles`).
"""

from dataclasses import dataclass

import numpy as np

from inertian.motion.numerics.circles import CircleError, fit_circle
from inertian.motion.numerics.residuals import PATTERN_Z, pattern_z
from inertian.motion.recording.frame import CENTRE
from inertian.physics.definitions.fact_names import TIME_BASE
from inertian.physics.evaluation.trial_context import LeftOut, NoValueError, TrialContext
from inertian.quantities.estimates import Array, Estimate, SampleWeights
from inertian.quantities.facts import FactId

LEAST, MOST = 2, 9  # degrees that are tried
SHOWS = 3.0  # u of the highest coefficient, by which a degree shows
FEWEST_MORE = 4  # samples more than a polynomial has coefficients
MISSED = "what a polynomial misses of the angle of {body}"


@dataclass(frozen=True)
class Centre:
    """Where a body turns about, in m, and the errors behind it: by coordinate and name, the
    derivative.
    """

    at: tuple[float, float]
    slopes: tuple[dict[FactId, float], dict[FactId, float]]


def centre_of(context: TrialContext, body: str) -> Centre:
    """Return the centre that was given, or that of the best circle. Raises NoValueError."""
    given = context.frame.centre
    if given is not None:
        known = tuple(
            {context.shared[name][0]: 1.0} if (name := CENTRE[axis]) in context.shared else {}
            for axis in "xy"
        )
        return Centre(given, (known[0], known[1]))
    channels = [context.trial.body(body).channel(axis).si for axis in "xy"]
    try:
        with np.errstate(all="ignore"):
            circle = fit_circle(*channels)
    except CircleError as error:
        raise NoValueError(str(error)) from None
    scope = f"trial {context.trial.id}"
    root = np.linalg.cholesky(circle.covariance[:2, :2])
    ids: list[FactId] = [
        LeftOut(f"centre of the circle of {body}", scope, (k, 0)) for k in range(2)
    ]
    slopes: list[dict[FactId, float]] = [
        {ids[k]: float(root[row, k]) for k in range(2)} for row in range(2)
    ]
    return Centre((circle.x, circle.y), (slopes[0], slopes[1]))


def turning_at(
    context: TrialContext, body: str, time: float, side: int
) -> tuple[Estimate, Estimate, Estimate]:
    """Return φ in rad, ω in rad/s and α in rad/s² of a body at a time in s, looked at from a side
    of it. Raises NoValueError where there are too few samples.
    """
    centre = centre_of(context, body)
    t = context.trial.t
    x, y = (context.trial.body(body).channel(axis).si for axis in "xy")
    low, high = _stretch(context, body, time, side)
    rows = np.flatnonzero((t >= low) & (t <= high) & np.isfinite(x) & np.isfinite(y))
    if len(rows) < LEAST + 1 + FEWEST_MORE:
        raise NoValueError(
            f"There are too few samples of {body} about {time:.4g} s to tell how fast it turns."
        )
    u, v = x[rows] - centre.at[0], y[rows] - centre.at[1]
    angle, radius = np.unwrap(np.arctan2(v, u)), np.hypot(u, v)
    weights, missed = _weights(t[rows], angle, time)
    found = []
    for order, own in enumerate(weights):
        along_x, along_y = -np.sin(angle) / radius * own, np.cos(angle) / radius * own
        slopes: dict[object, float] = {}
        for along, errors in ((along_x, centre.slopes[0]), (along_y, centre.slopes[1])):
            for name, slope in errors.items():
                slopes[name] = slopes.get(name, 0.0) - slope * float(along.sum())
        value = float(own @ angle)
        if TIME_BASE in context.shared and order:
            key, fact = context.shared[TIME_BASE]
            slopes[key] = slopes.get(key, 0.0) - order * value / fact.si
        if missed[order]:
            name = LeftOut(MISSED.format(body=body), f"trial {context.trial.id}", (rows[0], order))
            slopes[name] = missed[order]
        spread = {}
        for axis, along in (("x", along_x), ("y", along_y)):
            full = np.zeros(rows[-1] - rows[0] + 1)
            full[rows - rows[0]] = along
            spread[context.trial.channel_id(body, axis)] = SampleWeights(int(rows[0]), full)
        found.append(Estimate(value, spread, slopes))
    return found[0], found[1], found[2]


def _stretch(context: TrialContext, body: str, time: float, side: int) -> tuple[float, float]:
    """Between which times, without a wall, a date lies."""
    walls = [s for s in context.spans.of(body) if s.kind.walled]
    low, high = -np.inf, np.inf
    for wall in walls:
        if wall.stop < time or (wall.stop == time and side >= 0):
            low = max(low, wall.stop)
        elif wall.start > time or (wall.start == time and side <= 0):
            high = min(high, wall.start)
    return low, high


def _weights(t: Array, angle: Array, time: float) -> tuple[Array, tuple[float, float, float]]:
    """Weights (3, n) of angles in their value, slope and curvature at a time; and what they miss
    where even the highest degree leaves a pattern: what the degree below says otherwise.
    """
    middle, scale = 0.5 * (t[0] + t[-1]), 0.5 * (t[-1] - t[0])
    tau, at = (t - middle) / scale, (time - middle) / scale
    most = min(MOST, len(t) - 1 - FEWEST_MORE)
    degree = min(_degree(tau, angle, most) + 1, most)

    def of(degree: int) -> tuple[Array, Array]:
        design = np.polynomial.chebyshev.chebvander(tau, degree)
        gain = np.linalg.pinv(design)
        rows = [_row(degree, at, order) @ gain / scale**order for order in range(LEAST + 1)]
        return np.array(rows), angle - design @ (gain @ angle)

    weights, left = of(degree)
    if pattern_z(left, np.ones(len(t))) <= PATTERN_Z:
        return weights, (0.0, 0.0, 0.0)
    apart = np.abs((weights - of(degree - 1)[0]) @ angle)
    return weights, (float(apart[0]), float(apart[1]), float(apart[2]))


def _degree(tau: Array, angle: Array, most: int) -> int:
    """The highest degree whose own part of the angle shows; at least LEAST."""
    design, _ = np.linalg.qr(np.polynomial.chebyshev.chebvander(tau, most))
    parts = design.T @ angle
    dof = len(tau) - np.arange(1, most + 2)
    left = float(angle @ angle) - np.cumsum(parts**2)
    exact = angle - design @ parts  # without the rounding of what is subtracted above
    left = np.maximum(left, float(exact @ exact))
    shown = [k for k in range(LEAST + 1, most + 1) if parts[k] ** 2 > SHOWS**2 * left[k] / dof[k]]
    return max([LEAST, *shown])


def _row(degree: int, at: float, order: int) -> Array:
    """The order-th derivative of the Chebyshev polynomials at a place, (degree + 1,)."""
    own = np.eye(degree + 1)
    if order == 0:
        return np.asarray(np.polynomial.chebyshev.chebvander(np.array([at]), degree)[0])
    slopes = np.polynomial.chebyshev.chebder(own, order, axis=0)
    return np.asarray(np.polynomial.chebyshev.chebval(at, slopes))
