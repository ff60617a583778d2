"""Bodies that go round on a circle, such as a mark on a disc: what happens to them is told by the
angle, since along x and y such a motion has no steady stretches.
"""

from dataclasses import replace

import numpy as np

from inertian.motion.numerics.circles import CircleError, fit_circle
from inertian.motion.recording.trials import Body, Channel, Trial
from inertian.quantities.estimates import Array
from inertian.quantities.units import unit_of

LEAST_TURNED = 1.5 * np.pi  # rad, of an arc that is no swing
ROUND = 0.05  # of the radius, that places may scatter about a circle
FASTEST = 0.8 * np.pi  # rad from one sample to the next, that tells which way it goes
PLACES = 40  # at which the way round is looked at
ONE_WAY = 0.9  # of the whole way, that the angle gains at least
FEWEST, MOST_POINTS = 16, 2000  # samples, at least, and at most that a circle is fitted to


def arcs(trial: Trial) -> dict[str, Trial]:
    """Return, for each body that goes round on a circle, a trial of its way along it in m, (n,)."""
    found = {}
    for body in trial.followed:
        way = _way_round(body)
        if way is not None:
            channel = Channel("x", f"{body.name} along its circle", unit_of("length", "m"), way)
            found[body.name] = replace(trial, bodies=(Body(body.name, (channel,)),))
    return found


def _way_round(body: Body) -> Array | None:
    if set(body.axes) != {"x", "y"}:
        return None
    x, y = (body.channel(axis).si for axis in "xy")
    good = np.isfinite(x) & np.isfinite(y)
    if good.sum() < FEWEST:
        return None
    few = np.flatnonzero(good)[:: -(-int(good.sum()) // MOST_POINTS)]
    try:
        with np.errstate(all="ignore"):
            circle = fit_circle(x[few], y[few])
    except (CircleError, np.linalg.LinAlgError):
        return None
    u, v = x[good] - circle.x, y[good] - circle.y
    if np.sqrt(np.mean((np.hypot(u, v) - circle.r) ** 2)) > ROUND * circle.r:
        return None
    angle = np.unwrap(np.arctan2(v, u))
    if np.abs(np.diff(angle)).max() > FASTEST:
        return None
    coarse = angle[np.linspace(0, len(angle) - 1, PLACES).astype(int)]
    gained, path = abs(angle[-1] - angle[0]), np.abs(np.diff(coarse)).sum()
    if gained < max(LEAST_TURNED, ONE_WAY * path):
        return None
    way = np.full(len(x), np.nan)
    way[good] = circle.r * angle
    return way
