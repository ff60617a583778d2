"""A body that comes to rest inside a free span, too slow to be seen doing so: when it stops, by the
deceleration that its other spans show (uniformly decelerated motion; least squares, Gauss 1823).
"""

from dataclasses import dataclass

import numpy as np

from inertian.motion.fits.free_motion import BodyFit
from inertian.quantities.estimates import Array

MOMENTS = 64  # at which it may stop, that are tried
CLEARLY = 9.0  # σ² by which χ² is less if it stops: 3 normal deviates
UNSEEN = 16.0  # χ² that a stop must be worth on the mean, to be seen nearly always
FEWEST = 4  # samples before it stops, from which its speed can be had


@dataclass(frozen=True)
class Stop:
    """Until when in s a body may move, and which way it does: 1, −1, or 0 where it is not seen."""

    time: float
    way: float


def stop_of(fit: BodyFit, deceleration: float, sigma: float) -> Stop | None:
    """Return when a body stops that is slowed by `deceleration` in m/s², where this explains its
    samples along one axis better, by 9 in χ², than that it rests all along, and not worse than that
    it goes on; σ of a reading in m. Where it does not, until when it may have moved without being
    seen. None if it is too fast to stop.

    Least squares over the moment t_s: x = x₀ ± ½ a (t_s² − (t_s − τ)²) until then.
    """
    if len(fit.fits) != 1 or deceleration <= 0.0 or sigma <= 0.0:
        return None
    axis, own = next(iter(fit.fits.items()))
    seen = own.root > 0.0
    tau = (own.tau * own.scale + own.t0 - fit.span.start)[seen]
    x = (own.x / np.where(own.root > 0.0, own.root, 1.0))[seen]
    weight = own.root[seen] ** 2
    length = fit.span.length
    # One that stops inside has less than half of the speed that it loses in the whole time, on
    # the mean
    if len(tau) < 2 * FEWEST or abs(own.at(own.t0, 1)) > 0.5 * deceleration * length:
        return None
    going = float(np.sum(fit.residuals(axis, deceleration) ** 2))
    resting = _left(x, weight, np.zeros(len(x)))
    best = min(resting - CLEARLY * sigma**2, going + CLEARLY * sigma**2)
    found: Stop | None = None
    unseen = 0.0
    for stop in np.linspace(tau[FEWEST], length, MOMENTS, endpoint=False):
        way = _way(tau, float(stop), deceleration)
        if _left(way, weight, np.zeros(len(x))) < UNSEEN * sigma**2:
            unseen = float(stop)
        for sign in (-1.0, 1.0):
            left = _left(x, weight, sign * way)
            if left < best:
                best, found = left, Stop(fit.span.start + float(stop), sign)
    if found is not None:
        return found
    return Stop(fit.span.start + max(unseen, float(tau[FEWEST])), 0.0)


def _way(tau: Array, stop: float, deceleration: float) -> Array:
    """The way gone by a body that stops at a time, in m."""
    left = np.maximum(stop - tau, 0.0)
    return np.asarray(0.5 * deceleration * (stop**2 - left**2))


def _left(x: Array, weight: Array, way: Array) -> float:
    """Σ of squares about a way from a start of its own."""
    off = x - way
    return float(weight @ (off - np.average(off, weights=weight)) ** 2)
