"""Cutting a recording into stretches of steady motion: rest, a line or a parabola each, as few as
the noise allows.

Optimal partitioning (Jackson et al., IEEE Signal Process. Lett. 12 (2005) 105-108) of penalised
least squares: the cost of a stretch is Σ r²/σ² plus so much for each parameter (Schwarz, Ann. Stat.
6 (1978) 461-464) and for each cut. Sums of blocks of samples, not samples, are cut, so that the
work is linear in the samples.
"""

from collections.abc import Sequence
from dataclasses import dataclass
from functools import lru_cache

import numpy as np

from inertian.quantities.estimates import Array, Rows

BLOCKS = 320  # at most so many pieces are cut from; a block of a short recording is a sample
# Samples that count at full weight; more must not make the smallest unevenness of a lane speak
MOST_FULL_WEIGHT_SAMPLES = 4000.0
LEAST_SAMPLES = (3, 3, 4)  # samples in a stretch at rest, on a line, on a parabola
CUT_PENALTY, PARAMETER_PENALTY = 2.0, 1.0  # penalties, times the logarithm of the samples counted
BASE_PENALTY = 3.0  # added to each penalty; correlated noise looks like motion


@dataclass(frozen=True)
class SteadySegment:
    """Rows start … stop−1 of steady motion of some degree in time: 0 rest, 1 line, 2 parabola."""

    start: int
    stop: int
    degree: int


def steady_segments(
    t: Array, channels: Sequence[Array], sigmas: Sequence[Array]
) -> list[SteadySegment]:
    """Cut a body's recording into stretches of steady motion, shared by its axes, in order and
    without gaps.

    t in s, each channel in m and its σ at each sample have shape (n,), nothing missing. Cuts of
    more than BLOCKS samples lie on block boundaries, for the caller to place exactly.
    """
    n = len(t)
    if n < LEAST_SAMPLES[0]:
        return []
    edges = np.unique(np.linspace(0, n, min(BLOCKS, n) + 1).round().astype(np.intp))
    share = min(1.0, MOST_FULL_WEIGHT_SAMPLES / n)
    counted = np.log(n * share)
    tau = (2.0 * (t - t[0]) / (t[-1] - t[0])) - 1.0
    low, high = _pairs(len(edges))
    cost = np.zeros((3, len(low)))
    for x, sigma in zip(channels, sigmas, strict=True):
        cost += _squares(tau, x - x.mean(), share / sigma**2, edges)
    parameter = PARAMETER_PENALTY * counted + BASE_PENALTY
    samples = edges[high] - edges[low]
    for degree in range(3):
        cost[degree] += parameter * (degree + 1) * len(channels)
        cost[degree][samples < LEAST_SAMPLES[degree]] = np.inf
    cheapest = np.argmin(cost, axis=0)
    degrees = np.zeros((len(edges), len(edges)), dtype=np.intp)
    best = np.full((len(edges), len(edges)), np.inf)
    degrees[low, high] = cheapest
    best[low, high] = np.take_along_axis(cost, cheapest[None], axis=0)[0]
    return _cut(best, degrees, edges, CUT_PENALTY * counted + BASE_PENALTY)


def _cut(cost: Array, degrees: Rows, edges: Rows, penalty: float) -> list[SteadySegment]:
    """The cheapest partition, by dynamic programming over the last cut."""
    total, came = np.full(len(edges), np.inf), np.zeros(len(edges), dtype=int)
    total[0] = -penalty
    for j in range(1, len(edges)):
        sums = total[:j] + cost[:j, j]
        came[j] = int(np.argmin(sums))
        total[j] = sums[came[j]] + penalty
    found, j = [], len(edges) - 1
    if not np.isfinite(total[j]):
        return []
    while j > 0:
        i = int(came[j])
        found.append(SteadySegment(int(edges[i]), int(edges[j]), int(degrees[i, j])))
        j = i
    return found[::-1]


def _squares(tau: Array, x: Array, weight: Array, edges: Rows) -> Array:
    """Σ w r² of a constant, a line and a parabola between any two edges, as `_pairs` has them;
    shape (3, pairs).

    Prefix sums of the moments, moved to the centre of each stretch.
    """
    moments = []
    power = weight.copy()
    for k in range(5):
        moments.append(np.add.reduceat(power, edges[:-1]))
        if k < 3:
            moments.append(np.add.reduceat(power * x, edges[:-1]))
        if k == 0:
            squares = np.add.reduceat(power * x * x, edges[:-1])
        power = power * tau
    sums = [np.concatenate([[0.0], np.cumsum(m)]) for m in (*moments, squares)]
    low, high = _pairs(len(edges))
    with np.errstate(divide="ignore", invalid="ignore"):
        s0, t0, s1, t1, s2, t2, s3, s4, q = (m[high] - m[low] for m in sums)
        c = s1 / s0
        c2 = c * c
        c3, c4 = c2 * c, c2 * c2  # products, as powers take ten times as long
        u2 = s2 - c * s1
        u3 = s3 - 3 * c * s2 + 3 * c2 * s1 - c3 * s0
        u4 = s4 - 4 * c * s3 + 6 * c2 * s2 - 4 * c3 * s1 + c4 * s0
        y1, y2 = t1 - c * t0, t2 - 2 * c * t1 + c2 * t0
        rest = q - t0**2 / s0
        line = rest - y1**2 / u2
        bend, own = y2 - u3 / u2 * y1 - u2 / s0 * t0, u4 - u3**2 / u2 - u2**2 / s0
        parabola = line - bend**2 / own
    found = np.array([rest, line, parabola])
    return np.where(np.isfinite(found), np.maximum(found, 0.0), 0.0)


@lru_cache(maxsize=8)
def _pairs(n: int) -> tuple[Rows, Rows]:
    """All i < j < n."""
    low, high = np.triu_indices(n, 1)
    return low, high
