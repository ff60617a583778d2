"""The deceleration of each body that all trials of a series share, as a fact with its
covariance.
"""

from collections.abc import Mapping, Sequence
from dataclasses import dataclass

import numpy as np

from inertian.motion.fits.free_motion import BodyFit
from inertian.motion.noise.reading_noise import READINGS, STAMP_SOURCE, InstrumentNoise
from inertian.physics.definitions.fact_names import deceleration_key
from inertian.quantities.coverage import Scalar
from inertian.quantities.estimates import ErrorSource, Pools, SampleWeights, SharedPart, overlap
from inertian.quantities.facts import FactId


@dataclass(frozen=True, eq=False)
class SharedDecelerations:
    """The shared decelerations of a series in m/s²: values by body, and their covariance by
    source.
    """

    values: Mapping[str, float]
    parts: tuple[SharedPart, ...]
    scope: str

    def key(self, body: str) -> tuple[FactId, float] | None:
        """Return identity and value of one body's deceleration, or None if it has none."""
        if body not in self.values:
            return None
        return FactId(deceleration_key(body), self.scope), self.values[body]

    def estimate(self, body: str, pools: Pools) -> Scalar:
        """Return one body's deceleration in m/s² with its uncertainty. Raises KeyError."""
        key = FactId(deceleration_key(body), self.scope)
        by_pool: dict[str, float] = {}
        for p in self.parts:
            if key in p.ids:
                place = p.ids.index(key)
                known = by_pool.get(p.source.pool, 0.0)
                by_pool[p.source.pool] = known + float(p.covariance[place, place])
        return Scalar(self.values[body], sum(by_pool.values()) ** 0.5, pools.dof(by_pool))


def shared_decelerations(
    spans: Sequence[Sequence[BodyFit]],
    values: Mapping[str, float],
    noise: InstrumentNoise,
    scope: str,
) -> SharedDecelerations:
    """Return the shared decelerations with covariance from reading noise and from the time stamps
    they share.
    """
    keys = {body: FactId(deceleration_key(body), scope) for body in values}
    fits = {b: [f for group in spans for f in group if f.body == b and f.moving] for b in values}
    information = {b: sum(f.information for f in fits[b]) for b in values}
    parts = [
        SharedPart.single(
            ErrorSource(deceleration_key(b), "fact", READINGS),
            keys[b],
            noise.reading / np.sqrt(information[b]),
        )
        for b in values
    ]
    order = tuple(values)
    matrix = np.zeros((len(order), len(order)))
    for group in spans:
        pulled = {
            f.body: SampleWeights(
                next(iter(f.fits.values())).start,
                np.sum([f.bent[a] * f.velocity(a, values[f.body]) for a in f.fits], axis=0)
                / information[f.body],
            )
            for f in group
            if f.body in values and f.moving
        }
        for i, b1 in enumerate(order):
            for j, b2 in enumerate(order):
                if b1 in pulled and b2 in pulled:
                    left, right, _rows = overlap(pulled[b1], pulled[b2])
                    matrix[i, j] += noise.stamp**2 * float(left @ right)
    if noise.stamp > 0.0 and order:
        parts.append(SharedPart(STAMP_SOURCE, tuple(keys[b] for b in order), matrix))
    return SharedDecelerations(dict(values), tuple(parts), scope)
