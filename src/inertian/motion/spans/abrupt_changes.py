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

from inertian.motion.smoothing.evidence import profile, projection, weighed
from inertian.motion.smoothing.smooth_motion import LEAST_SAMPLES, TRENDS
from inertian.motion.smoothing.spline_space import PENALISED, SplineSpace, components
from inertian.motion.spans.tracks import Track
from inertian.quantities.estimates import Array

MORE_LIKELY = 1e4  # times, that an abrupt change must be than a smooth one
MOST_SPLINES = 200  # in a stretch: eight for each of twenty swings, and some
MOST_SAMPLES = 4_000  # of a stretch that is looked at; longer ones are as they were found
MOST_CHANGES = 60  # that are looked at


def abrupt_changes(track: Track, moments: Sequence[float]) -> list[float]:
    """Return those of some moments in s, in order, at which the velocity of a body changes
    abruptly.

    One after the other, the least likely of them is given up, as long as smooth motion across it is
    likely enough.
    """
    kept = list(moments)
    if not kept or len(track.t) > MOST_SAMPLES or len(kept) > MOST_CHANGES:
        return kept
    stretches = _Stretches(track)
    if stretches.gain(0, len(track.t), [stretches.row(m) for m in kept]) <= 0.0:
        return []
    while kept:
        edges = [0, *(stretches.row(m) for m in kept), len(track.t)]
        gains = [stretches.gain(edges[k], edges[k + 2], [edges[k + 1]]) for k in range(len(kept))]
        least = int(np.argmin(gains))
        if gains[least] > 0.0:
            break
        del kept[least]
    return kept


class _Stretches:
    """How likely stretches of a track are as smooth motion, each worked out once."""

    def __init__(self, track: Track) -> None:
        self._track = track
        self._known = lru_cache(maxsize=None)(self._worked_out)

    def row(self, moment: float) -> int:
        """The first row after a moment in s."""
        return int(np.searchsorted(self._track.t, moment))

    def gain(self, start: int, stop: int, cuts: Sequence[int]) -> float:
        """By how much ln of the evidence is larger with changes at some rows than without, and than
        what an abrupt change has to be better by.
        """
        edges = [start, *cuts, stop]
        apart = sum(self._known(a, b) for a, b in pairwise(edges))
        price = np.log(max(stop - start, 2)) + np.log(MORE_LIKELY)
        return apart - self._known(start, stop) - len(cuts) * float(price)

    def _worked_out(self, start: int, stop: int) -> float:
        track, total = self._track, 0.0
        t = track.t[start:stop]
        for x, weight in zip(track.x[:, start:stop], track.weight[:, start:stop], strict=True):
            total += log_evidence_of_smooth(t, x, np.sqrt(weight), len(track.t))
        return total


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
    # As many to a second in a part as in the whole, so that no part is followed more closely
    size = max(round(n * min(1.0, MOST_SPLINES / of)), LEAST_SAMPLES - 1)
    space = SplineSpace(float(t[0]), float(t[-1] - t[0]), size)
    data = projection(components(space, t, 0.0, root_weights), x - x.mean())
    found = []
    for trend in (0.0, *TRENDS):
        one = weighed(data, profile(data.parts, trend * (data.parts.nodes - 0.5)))
        known = 0.5 * one.log_shrunk - 0.5 * one.squares * data.dof
        top = float(known.max())
        found.append(top + float(np.log(np.mean(np.exp(known - top)))))
    return max(found) - 0.5 * PENALISED * float(np.log(of))
