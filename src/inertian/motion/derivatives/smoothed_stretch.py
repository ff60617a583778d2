"""The smooth motion of a stretch of any length: where it holds more than one set of splines can
follow, it is smoothed in pieces that overlap. How it is had is told in docs/methods.md.
"""

from dataclasses import dataclass

import numpy as np

from inertian.motion.noise.local_noise import LocalNoise
from inertian.motion.noise.stated_noise import least_noise
from inertian.motion.numerics.operators import OneWindow, Piece
from inertian.motion.smoothing.evidence import NOTHING_KNOWN, Prior
from inertian.motion.smoothing.smooth_motion import (
    LEAST_SAMPLES,
    MOST_MODES,
    MOST_SPLINES,
    SURE,
    SmoothMotion,
    crowded,
    smoothed,
)
from inertian.motion.smoothing.smoothing_budget import HALF, SmoothingBudget, budget_of
from inertian.quantities.estimates import Array, Rows

MOST_SAMPLES = 2_000  # smoothed at a time
OVERLAP = 3.0  # details that neighbouring pieces share on either side
# Σw² of the value in the middle of a window of n samples by a quartic is this over n
QUARTIC_SHARE = 225.0 / 64.0


MOST_SHARED = 4  # parts of a stretch, up to which what is left out is told apart


@dataclass(frozen=True, eq=False)
class _Part:
    """A smooth motion of samples start … stop − 1 of a stretch, to be used before time `until` in
    s.
    """

    start: int
    stop: int
    until: float
    motion: SmoothMotion


@dataclass(frozen=True, eq=False)
class SmoothedStretch:
    """The smooth motion of one stretch of samples, in parts."""

    parts: tuple[_Part, ...]

    def at(self, times: Array, order: int) -> tuple[Array, Array, Array]:
        """Return a derivative at some times in s, (m,): values, the norms √Σw² of their weights on
        the samples, and u of what may be left out; in SI.
        """
        value, norm, missing = (np.empty(len(times)) for _ in range(3))
        for part, here in self._shared_out(times):
            motion = part.motion
            value[here], _, left_out = motion.at(times[here], order)
            missing[here] = np.sqrt(left_out)
            rows = motion.space.at(times[here], order) @ motion.factors[1].T
            norm[here] = np.linalg.norm(rows, axis=1)
        return value, norm, missing

    def left_out(self, times: Array, order: int) -> tuple[Array, Array]:
        """Return what may be left out of a derivative at some times in s, (m,), in SI: by errors
        that all times and derivatives share, (j, m), each of u = 1, and u of what is not among
        them, (m,).
        """
        rows, total = [], np.square(self.at(times, order)[2])
        for part, here in self._shared_out(times) if len(self.parts) <= MOST_SHARED else ():
            modes = part.motion.space.at(times[here], order) @ part.motion.left_out_modes
            own = np.zeros((MOST_MODES, len(times)))
            own[: modes.shape[1], here] = modes.T
            rows.append((self.parts.index(part), own))
        shared = np.zeros((len(self.parts) * MOST_MODES if rows else 0, len(times)))
        for place, own in rows:
            shared[place * MOST_MODES : (place + 1) * MOST_MODES] = own
        return shared, np.sqrt(np.maximum(total - np.sum(shared**2, axis=0), 0.0))

    def reading_variance(self, times: Array, order: int) -> Array:
        """Return the variance that the readings give a derivative at some times in s, (m,), in SI
        squared: on average over all that their errors may be like.
        """
        found = np.empty(len(times))
        for part, here in self._shared_out(times):
            found[here] = part.motion.at(times[here], order)[1]
        return found

    def pieces(self, at: Rows, times: Array, order: int, start: int) -> list[Piece]:
        """Return the estimates at some times in s, (m,), as weights on the samples, the first of
        which is `start`; `at` are their places.
        """
        found: list[Piece] = []
        for part, here in self._shared_out(times):
            phi, triangle = part.motion.factors
            slopes = part.motion.space.at(times[here], order) @ triangle.T
            found.append(OneWindow(at[here], start + part.start, slopes, phi))
        return found

    def equivalent_windows(self, times: Array) -> Rows:
        """Return how many samples a window would need in which a quartic is known as well, (m,)."""
        n = self.parts[-1].stop
        found = QUARTIC_SHARE / np.maximum(self.at(times, 0)[1] ** 2, QUARTIC_SHARE / n)
        return np.clip(np.rint(found), min(3, n), n).astype(np.intp)

    def _shared_out(self, times: Array) -> list[tuple[_Part, Rows]]:
        own = np.searchsorted([part.until for part in self.parts[:-1]], times, "right")
        shared = [(part, np.flatnonzero(own == k)) for k, part in enumerate(self.parts)]
        return [(part, here) for part, here in shared if here.size]


def smoothed_stretch(
    t: Array,
    x: Array,
    noise: LocalNoise,
    share: Array | None = None,
    part_of: int = 0,
    budget: SmoothingBudget | None = None,
) -> SmoothedStretch | None:
    """Return the smooth motion through samples x in SI at times t in s, (n,), rising; at least
    LEAST_SAMPLES. None where it would take more parts than the budget has left.

    `share` is the variance of each reading over σ². A σ that is given is taken as known; one that
    was found from `part_of` samples in all counts as far as it is from others than these.
    """
    root = None if share is None else 1.0 / np.sqrt(share)
    others = noise.dof * max(1.0 - len(t) / max(part_of, len(t)), 0.0)
    dof = SURE if noise.given else others
    known = np.isfinite(noise.sigma) and dof > 0.0
    prior = Prior(noise.sigma**2, min(dof, SURE)) if known else NOTHING_KNOWN
    budget = budget_of(1) if budget is None else budget
    if HALF * len(t) / MOST_SAMPLES > budget.left:
        return None
    found = _parts(t, x, root, prior, least_noise(noise.step), 0, np.inf, budget, 1)
    return None if found is None else SmoothedStretch(tuple(found))


def _parts(
    t: Array,
    x: Array,
    root: Array | None,
    prior: Prior,
    floor: float,
    start: int,
    until: float,
    budget: SmoothingBudget,
    cost: int,
) -> list[_Part] | None:
    """The parts of samples from `start` on, in halves where there are too many or they hold too
    much; None where the budget is used up.
    """
    n = len(t)
    motion = None
    if n <= MOST_SAMPLES:
        if not budget.take(cost):
            return None
        motion = smoothed(t, x, root, prior, floor)
        if not crowded(motion, t, x):
            return [_Part(start, start + n, until, motion)]
    details = MOST_SPLINES if motion is None else motion.detail
    margin = min(int(OVERLAP * min(n, MOST_SAMPLES) / details) + LEAST_SAMPLES, n // 4)
    middle = n // 2
    cut = 0.5 * float(t[middle - 1] + t[middle])
    found: list[_Part] = []
    for rows, end in ((slice(0, middle + margin), cut), (slice(middle - margin, n), until)):
        own = None if root is None else root[rows]
        first = start + (rows.start or 0)
        half = _parts(t[rows], x[rows], own, prior, floor, first, end, budget, HALF)
        if half is None:
            return None
        found += half
    return found


def smoothable(n: int) -> bool:
    """Return whether so many samples are enough for a smooth motion."""
    return n >= LEAST_SAMPLES
