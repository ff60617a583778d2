"""Which changes of velocity are abrupt: those that no smooth motion through the same samples makes
as likely.

A smooth motion through all samples of a stretch is held against two of them that meet at the
change. Both are weighed with the noise of the samples and with every amount of smoothing, the four
polynomials that cost nothing by the information of one sample (Schwarz, Ann. Stat. 6 (1978)
461-464). Abrupt is what is MOST_LIKELY times as likely as smooth; what is not is no wall.
"""

from collections.abc import Sequence
from functools import lru_cache
from itertools import pairwise

import numpy as np

from inertian.motion.smoothing.evidence import projection, trended, weighed
from inertian.motion.smoothing.smooth_motion import LEAST_SAMPLES, TRENDS
from inertian.motion.smoothing.spline_space import PENALISED, SplineSpace, components
from inertian.motion.spans.tracks import Track
from inertian.quantities.estimates import Array

MORE_LIKELY = 1e4  # times, that an abrupt change must be than a smooth one
# Samples on either side that are looked at, and means of so many of them that they are summed up in
REACH, POINTS = 320, 40
FARTHER, SCALES = 4, 4  # from one reach to the next, and how many are tried
MOST_CHANGES = 100  # that are looked at


def abrupt_changes(track: Track, moments: Sequence[float]) -> list[float]:
    """Return those of some moments in s, in order, at which the velocity of a body changes
    abruptly.

    One after the other, the least likely of them is given up, as long as smooth motion across it is
    likely enough.
    """
    kept = list(moments)
    if len(kept) > MOST_CHANGES:
        return kept
    stretches = _Stretches(track)
    while kept:
        edges = [0, *(stretches.row(m) for m in kept), len(track.t)]
        gains = [stretches.gain(*edges[k : k + 3]) for k in range(len(kept))]
        least = int(np.argmin(gains))
        if gains[least] > 0.0:
            break
        del kept[least]
    return kept


class _Stretches:
    """How much likelier changes of a track are to be abrupt, each worked out once."""

    def __init__(self, track: Track) -> None:
        self._track = track
        self.gain = lru_cache(maxsize=None)(self._gain)

    def row(self, moment: float) -> int:
        """The first row after a moment in s."""
        return int(np.searchsorted(self._track.t, moment))

    def _gain(self, start: int, cut: int, stop: int) -> float:
        """By how much ln of the evidence is larger with a change at a row than without, and than
        what an abrupt change has to be better by; where samples are dense, as far around as shows
        it best.
        """
        widest = max(cut - start, stop - cut)
        reaches = [REACH]
        while reaches[-1] < widest and len(reaches) < SCALES:
            reaches.append(FARTHER * reaches[-1])
        found = -np.inf
        for reach in reaches:
            found = max(
                found, self._gain_within(max(start, cut - reach), cut, min(stop, cut + reach))
            )
            if found > 0.0:
                break
        return found

    def _gain_within(self, start: int, cut: int, stop: int) -> float:
        left = self._points(cut, start, -1)[::-1]
        right = self._points(cut, stop, 1)
        found = -float(np.log(max(len(left) + len(right), 2)) + np.log(MORE_LIKELY))
        for axis in range(len(self._track.x)):
            before, after = self._means(axis, left), self._means(axis, right)
            whole = np.concatenate([before, after], axis=1)
            apart = _log_evidence(before) + _log_evidence(after)
            found += apart - _log_evidence(whole)
        return found

    def _points(self, cut: int, end: int, way: int) -> list[slice]:
        """Rows that are taken together, from a cut to an end before or after it."""
        size = max(-(-abs(end - cut) // POINTS), 1)
        edges = [*range(cut, end, way * size), end]
        return [slice(min(a, b), max(a, b)) for a, b in pairwise(edges)]

    def _means(self, axis: int, points: Sequence[slice]) -> Array:
        """Times in s, means in SI and the roots of their weights, (3, m)."""
        track = self._track
        weights = [track.weight[axis, rows] for rows in points]
        return np.array(
            [
                (track.t[rows].mean(), track.x[axis, rows] @ w / w.sum(), np.sqrt(w.sum()))
                for rows, w in zip(points, weights, strict=True)
            ]
        ).T.reshape(3, -1)


def _log_evidence(points: Array) -> float:
    return log_evidence_of_smooth(points[0], points[1], points[2], 2 * POINTS)


def log_evidence_of_smooth(t: Array, x: Array, root_weights: Array, of: int) -> float:
    """Return ln of the evidence for a smooth motion through samples x in SI at times t in s, (n,),
    whose σ are 1/root_weights, as part of a recording of so many samples.
    """
    n = len(t)
    if n < LEAST_SAMPLES:
        size = min(n, PENALISED - 1)
        if not size:
            return 0.0
        design = np.vander((t - t[0]) / (np.ptp(t) or 1.0), size) * root_weights[:, None]
        q, _ = np.linalg.qr(design)
        y = root_weights * x
        return -0.5 * float(np.sum((y - q @ (q.T @ y)) ** 2)) - 0.5 * size * float(np.log(of))
    space, x = SplineSpace(float(t[0]), float(t[-1] - t[0]), n), x - x.mean()
    if np.ptp(root_weights) == 0.0:  # then the components are remembered
        data = projection(components(space, t), root_weights * x)
    else:
        data = projection(components(space, t, 0.0, root_weights), x)
    found = []
    for trend in (0.0, *TRENDS):
        one = weighed(data, trended(data.parts, trend))
        known = 0.5 * one.log_shrunk - 0.5 * one.squares * data.dof
        top = float(known.max())
        found.append(top + float(np.log(np.mean(np.exp(known - top)))))
    return max(found) - 0.5 * PENALISED * float(np.log(of))
