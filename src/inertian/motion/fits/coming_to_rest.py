"""A body that comes to rest inside a free span, too slow to be seen doing so: when it stops, by the
deceleration that its other spans show (uniformly decelerated motion; least squares, Gauss 1823).
"""

from collections.abc import Mapping
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
    """Until when in s a body may move, and the cosines of its way by axis; none where that is not
    seen.
    """

    time: float
    way: Mapping[str, float]


def stop_of(fit: BodyFit, deceleration: float, sigma: float) -> Stop | None:
    """Return when a body stops that is slowed by `deceleration` in m/s², where this explains its
    samples better, by 9 in χ², than that it rests all along, and not worse than that it goes on; σ
    of a reading in m. Where it does not, until when it may have moved without being seen. None if
    it is too fast to stop.

    Least squares over the moment t_s: x = x₀ + ½ a n (t_s² − (t_s − τ)²) until then, n the unit
    vector that a way of free length along each axis points in.
    """
    if deceleration <= 0.0 or sigma <= 0.0:
        return None
    axes, fits = list(fit.fits), list(fit.fits.values())
    own = fits[0]
    seen = np.all([one.root > 0.0 for one in fits], axis=0)
    tau = (own.tau * own.scale + own.t0 - fit.span.start)[seen]
    length = fit.span.length
    # One that stops inside has less than half of the speed that it loses in the whole time, on
    # the mean
    if len(tau) < 2 * FEWEST or fit.speed() > 0.5 * deceleration * length:
        return None
    weight = own.root[seen] ** 2
    x = np.array([one.x[seen] / one.root[seen] for one in fits])
    x -= np.average(x, axis=1, weights=weight)[:, None]
    going = sum(float(np.sum(fit.residuals(axis, deceleration) ** 2)) for axis in axes)
    resting = float(np.sum(weight * x**2))
    best = min(resting - CLEARLY * sigma**2, going + CLEARLY * sigma**2)
    found: Stop | None = None
    unseen = 0.0
    for stop in np.linspace(tau[FEWEST], length, MOMENTS, endpoint=False):
        way = _way(tau, float(stop), deceleration)
        way -= np.average(way, weights=weight)
        if float(weight @ way**2) < UNSEEN * sigma**2:
            unseen = float(stop)
        along = (weight * x) @ way
        size = float(np.linalg.norm(along))
        if size == 0.0:
            continue
        cosines = along / size
        left = float(np.sum(weight * (x - cosines[:, None] * way) ** 2))
        if left < best:
            told = dict(zip(axes, cosines.tolist(), strict=True))
            best, found = left, Stop(fit.span.start + float(stop), told)
    if found is not None:
        return found
    return Stop(fit.span.start + max(unseen, float(tau[FEWEST])), {})


def _way(tau: Array, stop: float, deceleration: float) -> Array:
    """The way gone by a body that stops at a time, in m."""
    left = np.maximum(stop - tau, 0.0)
    return np.asarray(0.5 * deceleration * (stop**2 - left**2))
