"""Changes of velocity between two stretches of steady motion: when they begin and end, and how
large they are.

Left of the change a body follows one parabola, right of it another, and position is continuous. In
between acts a pulse of acceleration ∝ u^α (1 − u)^β, u running from 0 at its start to 1 at its end:
α = β = 1 is nearly a spring, larger ones a force that fades in and out, unequal ones a hand. For
given times and shape the model is linear (Golub & Pereyra, SIAM J. Numer. Anal. 10 (1973) 413-432),
so only those are searched. A pulse too short to be seen is a kink.
"""

import math
from collections.abc import Callable, Sequence
from dataclasses import dataclass, replace
from functools import lru_cache

import numpy as np

from inertian.quantities.estimates import Array, Rows

TABLE = 257
# Samples on each side of a change that are taken singly; farther out they are averaged
SINGLE_SAMPLES = 60
BLOCK_GROWTH = 0.08  # of the blocks they are averaged in, as a share of the distance
RESOLVED_CHI2 = 14.0  # χ² a pulse must gain over a kink
USUAL, SPREAD = 0.45, 0.4  # ln α and ln β as they are expected, and the standard deviation about it
MODEL_ERROR = 0.002  # of (change of velocity × duration): no shape is exactly right
LARGEST_SHARE = 0.7  # of what is looked at that a pulse may fill
PARAMETER_GAIN = 3.0  # χ² that one more parameter must gain to be believed
LEAST_SEEN = 2.5  # steps that a pulse must last to have been followed by samples
MIDDLES = 17  # places of a kink that are tried before the best is refined
FINEST_MOMENT = 0.02  # of a step, to which the moment of a kink is searched
# Lengths and middles of a pulse that are tried, in lengths of the first guess
LENGTHS_TRIED, MIDDLES_TRIED = (0.5, 1.0, 1.7, 2.8), (-0.6, 0.0, 0.6)
MOST_ROUNDS = 60  # of a search; a cost that sinks for ever has no best place
PulseShape = tuple[float, float]  # ln α, ln β


@dataclass(frozen=True, eq=False)
class PulseSide:
    """What a body does around a change: samples, weights 1/σ², and whether it rests before or
    after.

    t has shape (n,); x and weight (axes, n). `rests` tells of before and after; `curved` whether
    either side is a parabola.
    """

    t: Array
    x: Array
    weight: Array
    rests: tuple[bool, bool]
    curved: bool


@dataclass(frozen=True, eq=False)
class Pulse:
    """A change of velocity from `start` to `stop` in s; equal where it is a kink.

    `dv` holds, for each body, the change by axis in m/s; `z` is the clearness of the change as a
    normal deviate: the root of what χ² gains over a mere change of acceleration.
    """

    start: float
    stop: float
    chi2: float
    dv: tuple[Array, ...]
    z: float

    def chi2_allowing(self, sigma: float) -> float:
        """Return χ² with the error that any assumed shape has added to the noise σ (m) of a
        reading.
        """
        wrong = MODEL_ERROR * float(np.max(np.abs(self.dv[0]))) * (self.stop - self.start)
        return self.chi2 / (1.0 + (wrong / sigma) ** 2)

    @property
    def moment(self) -> float:
        """The middle of the change in s."""
        return 0.5 * (self.start + self.stop)


def averaged_far_out(
    t: Array,
    x: Array,
    weight: Array,
    rests: tuple[bool, bool],
    curved: bool,
    about: tuple[float, float],
) -> PulseSide:
    """Return a side with single samples near a change and means of ever more samples farther out.

    t in s has shape (n,), x in m and weight in 1/m² (axes, n); `about` is from when to when it
    changes.
    """
    first, last = np.searchsorted(t, about)
    if len(t) <= 4 * SINGLE_SAMPLES:
        return PulseSide(t, x, weight, rests, curved)
    edges = _edges(len(t), int(first) - SINGLE_SAMPLES, int(last) + SINGLE_SAMPLES)
    counts = np.diff(np.append(edges, len(t)))
    total = np.add.reduceat(weight, edges, axis=1)
    mean = np.add.reduceat(x * weight, edges, axis=1) / total
    return PulseSide(np.add.reduceat(t, edges) / counts, mean, total, rests, curved)


def _edges(n: int, low: int, high: int) -> Rows:
    low, high = max(low, 0), min(high, n)
    inner = max(1, (high - low) // (6 * SINGLE_SAMPLES))
    steps = np.unique(
        np.floor(
            np.expm1(np.arange(0.0, np.log(n) / BLOCK_GROWTH + 1.0) * BLOCK_GROWTH) / BLOCK_GROWTH
        )
    ).astype(np.intp)
    left, right = low - 1 - steps, high + steps
    parts = [left[left >= 0][::-1], np.arange(low, high, inner), right[right < n], np.zeros(1)]
    return np.unique(np.concatenate(parts)).astype(np.intp)


@lru_cache(maxsize=4096)
def _path(shape: PulseShape) -> Array:
    u = np.linspace(0.5 / TABLE, 1.0 - 0.5 / TABLE, TABLE - 1)
    force = np.exp(np.exp(shape[0]) * np.log(u) + np.exp(shape[1]) * np.log1p(-u))
    v = np.concatenate([[0.0], np.cumsum(force)])
    v /= v[-1]
    return np.concatenate([[0.0], np.cumsum(0.5 * (v[1:] + v[:-1]))]) / (TABLE - 1)


_GRID = np.linspace(0.0, 1.0, TABLE)


def _push(t: Array, start: float, stop: float, shape: PulseShape) -> Array:
    """The path in s that a pulse of 1 m/s adds."""
    length = stop - start
    if length <= 0.0:
        return np.maximum(t - start, 0.0)
    u = (t - start) / length
    path = _path(shape)
    return np.where(u < 1.0, length * np.interp(u, _GRID, path), t - stop + length * path[-1])


class _Fit:
    """One body's least squares for any two times, with what does not depend on them taken out
    beforehand.
    """

    def __init__(self, side: PulseSide) -> None:
        t, self._side = side.t, side
        self.first, self.last = t[0], t[-1]
        self._origin, self._scale = float(t.mean()), float(np.ptp(t)) or 1.0
        tau = (t - self._origin) / self._scale
        degree = 0 if side.rests[0] else 2 if side.curved else 1
        self.base = np.vander(tau, degree + 1, increasing=True)
        self._parts = []
        for x, weight in zip(side.x, side.weight, strict=True):
            root = np.sqrt(weight)
            q, _ = np.linalg.qr(self.base * root[:, None])
            y = root * x
            self._parts.append((root, q, y - q @ (q.T @ y)))

    def solve(
        self, start: float, stop: float, shape: PulseShape, pushed: bool = True, bent: bool = True
    ) -> tuple[float, Array]:
        """Return χ² and the change of velocity by axis; `pushed` lets velocity, `bent` acceleration
        change.
        """
        side = self._side
        columns = [_push(side.t, start, stop, shape)] if pushed else []
        if bent and (side.curved or side.rests[0]):
            onset = stop if side.rests[0] else start if side.rests[1] else 0.5 * (start + stop)
            columns.insert(0, 0.5 * np.maximum(side.t - onset, 0.0) ** 2)
        chi2, dv = 0.0, []
        for root, q, y in self._parts:
            rest = y
            size = 0.0
            a: list[Array] = []
            for column in columns:
                c = root * column
                c = c - q @ (q.T @ c)
                for other in a:
                    c = c - (other @ c) / (other @ other) * other
                norm = float(c @ c)
                size = (
                    float(c @ rest) / norm
                    if norm > 1e-18 * float(column @ column) + 1e-300
                    else 0.0
                )
                if size:
                    rest = rest - size * c
                    a.append(c)
            chi2 += float(rest @ rest)
            dv.append(size)
        return chi2, np.array(dv)


def fit_pulse(
    sides: Sequence[PulseSide], guess: tuple[float, float], step: float, reach: float
) -> Pulse:
    """Return the change of velocity that all sides share, at times found from a first guess.

    `step` is the sampling step in s, `reach` how far in s the middle may lie from the guess.
    """
    fits = [_Fit(side) for side in sides]
    middle, length = 0.5 * (guess[0] + guess[1]), max(guess[1] - guess[0], step)
    reach = max(reach, 2.0 * step)
    kink = _kink(fits, middle, reach, step)
    bend = _best_moment(fits, middle, reach, step, pushed=False)[1]
    kink = replace(kink, z=math.sqrt(max(bend - kink.chi2, 0.0)))
    plain = _best_moment(fits, middle, reach, step, bent=False)[1]
    if (
        plain < bend - PARAMETER_GAIN and plain < kink.chi2 + PARAMETER_GAIN
    ):  # a change of velocity alone tells it all
        none = sum(
            fit.solve(middle, middle, (USUAL, USUAL), pushed=False, bent=False)[0] for fit in fits
        )
        kink = replace(kink, z=max(kink.z, math.sqrt(max(none - plain, 0.0))))
    found = _spread(fits, kink.start if length < 4 * step else middle, length, step)
    seen = found.stop - found.start > LEAST_SEEN * step and found.chi2 < kink.chi2 - RESOLVED_CHI2
    return replace(found, z=math.sqrt(max(bend - found.chi2, 0.0))) if seen else kink


def _result(fits: Sequence[_Fit], start: float, stop: float, shape: PulseShape) -> Pulse:
    solved = [fit.solve(start, stop, shape) for fit in fits]
    return Pulse(start, stop, sum(s[0] for s in solved), tuple(s[1] for s in solved), 0.0)


def _chi2(fits: Sequence[_Fit], start: float, stop: float, shape: PulseShape) -> float:
    return sum(fit.solve(start, stop, shape)[0] for fit in fits)


def _kink(fits: Sequence[_Fit], middle: float, reach: float, step: float) -> Pulse:
    best, _ = _best_moment(fits, middle, reach, step)
    return _result(fits, best, best, (USUAL, USUAL))


def _best_moment(
    fits: Sequence[_Fit],
    middle: float,
    reach: float,
    step: float,
    pushed: bool = True,
    bent: bool = True,
) -> tuple[float, float]:
    """The moment of the smallest χ² of a kink, or of a mere change of acceleration, and that χ²."""

    def cost(p: list[float]) -> float:
        if abs(p[0] - middle) > 2.0 * reach:
            return math.inf
        return sum(fit.solve(p[0], p[0], (USUAL, USUAL), pushed, bent)[0] for fit in fits)

    grid = (middle + reach * np.linspace(-1.0, 1.0, MIDDLES)).tolist()
    best = min(grid, key=lambda m: cost([m]))
    apart = 2.0 * reach / (MIDDLES - 1)
    best = _refined(cost, [best], [0.5 * apart], FINEST_MOMENT * step / (0.5 * apart))[0]
    return best, cost([best])


def _spread(fits: Sequence[_Fit], middle: float, length: float, step: float) -> Pulse:
    """The best pulse of some length; first with the usual shape, then with the shape free."""

    def parts(p: list[float]) -> tuple[float, float, PulseShape]:
        half = 0.5 * math.exp(p[1])
        return p[0] - half, p[0] + half, (p[2], p[3])

    first, last = min(float(f.first) for f in fits), max(float(f.last) for f in fits)

    def cost(p: list[float]) -> float:
        start, stop, _ = parts(p)
        if start < first or stop > last or stop - start > LARGEST_SHARE * (last - first):
            return math.inf
        odd = ((p[2] - USUAL) / SPREAD) ** 2 + ((p[3] - USUAL) / SPREAD) ** 2
        return _chi2(fits, *parts(p)) + odd

    starts = [
        [middle + k * 0.5 * length, math.log(length * m), USUAL, USUAL]
        for m in LENGTHS_TRIED
        for k in MIDDLES_TRIED
    ]
    best = min(starts, key=cost)
    if not math.isfinite(cost(best)):
        return _result(fits, middle, middle, (USUAL, USUAL))
    # First steps of the search: a part of the length, and of the logarithms of length and shape
    rough = _refined(lambda p: cost([*p, USUAL, USUAL]), best[:2], [0.2 * length, 0.3], 0.1)
    if math.exp(rough[1]) > 2.0 * step:
        best = _refined(
            cost, [*rough, USUAL, USUAL], [0.05 * math.exp(rough[1]), 0.1, 0.3, 0.3], 0.05
        )
    else:
        best = [*rough, USUAL, USUAL]
    return _result(fits, *parts(best))


def _refined(
    cost: Callable[[list[float]], float], place: list[float], steps: list[float], least: float
) -> list[float]:
    """A pattern search, which SciPy has not (Hooke & Jeeves, J. ACM 8 (1961) 212-229) until the
    steps are below a share of the first.
    """
    here, value = list(place), cost(place)
    scale, rounds = 1.0, 0
    while scale > least and rounds < MOST_ROUNDS:
        rounds += 1
        moved = False
        for k, step in enumerate(steps):
            for sign in (1.0, -1.0):
                trial = list(here)
                trial[k] += sign * scale * step
                trial_value = cost(trial)
                if trial_value < value:
                    here, value, moved = trial, trial_value, True
                    break
        if not moved:
            scale *= 0.5
    return here
