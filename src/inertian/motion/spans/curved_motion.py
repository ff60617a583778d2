"""Motion under one law that steady pieces only imitate: swings, and gliding that is slowed by what
grows with the speed.

A swing is a (damped) sine over at least one period, a glide a curve that loses speed as linear or
quadratic drag beside friction would have it. Each stands for several steady pieces where it says
the same with fewer numbers (Schwarz, Ann. Stat. 6 (1978) 461-464).
"""

from collections.abc import Callable, Sequence
from dataclasses import dataclass

import numpy as np

from inertian.motion.spans.tracks import Track
from inertian.quantities.estimates import Array

MOST_POINTS = 600  # a stretch is looked at in means, so that there are no more of them
PARTS, ONE_WAY = 16, 4.0  # of a stretch whose means are compared, and σ of a mean that they may err
LEAST_PERIODS = 1.0  # seen, for a swing
SAMPLES_A_PERIOD = 6.0  # at least; fewer say nothing of the shape
MISFIT = 0.03  # of the amplitude, that a swing may miss: a zigzag misses 0.07, large swings 0.02
NOISE_LEFT = 1.5  # times the noise of readings, that is no misfit
CLEAR = 8.0  # σ of a reading, that an amplitude must be
FASTEST_FADING = 1.2  # e-folds of the amplitude in a period; with more, it is no swing to the eye
GRID = 4  # frequencies that are tried in one over the length of the stretch
MOST_LIKELY = 4  # of them, by their periodogram, that are looked at with damping
DAMPINGS = (0.0, 1.0, 3.0)  # e-folds of the amplitude over the stretch, to start from
RATES = np.geomspace(0.1, 20.0, 30)  # e-folds of the speed over the stretch that are tried


@dataclass(frozen=True)
class Swing:
    """A swing from start to stop in s: its period in s, amplitude at the start in m, e-folds of it
    per s, and when the body turns and goes through the middle, in s.
    """

    start: float
    stop: float
    period: float
    amplitude: float
    damping: float
    turns: tuple[float, ...]
    middles: tuple[float, ...]


@dataclass(frozen=True, eq=False)
class _Stretch:
    """Means of a track from start to stop: t (m,), x and roots of weights (axes, m), and the mean
    variance of what was put together.
    """

    t: Array
    x: Array
    root: Array
    sigma: float

    def chi2(self, design: Array) -> tuple[float, Array]:
        """Return χ² of the best combination of columns (m, p), and the coefficients (p, axes)."""
        total, found = 0.0, []
        for x, root in zip(self.x, self.root, strict=True):
            c, *_ = np.linalg.lstsq(design * root[:, None], root * x, rcond=None)
            total += float(np.sum((root * (x - design @ c)) ** 2))
            found.append(c)
        return total, np.array(found).T


def _stretch(track: Track, start: float, stop: float) -> _Stretch:
    low, high = np.searchsorted(track.t, [start, stop])
    rows = slice(int(low), int(high) + 1)
    t, x, weight = track.t[rows], track.x[:, rows], track.weight[:, rows]
    sigma = float(np.sqrt(np.mean(1.0 / weight)))
    size = -(-len(t) // MOST_POINTS)
    if size > 1:
        edges = np.arange(0, len(t), size)
        total = np.add.reduceat(weight, edges, axis=1)
        x = np.add.reduceat(x * weight, edges, axis=1) / total
        t = np.add.reduceat(t, edges) / np.diff(np.append(edges, len(t)))
        weight = total
    return _Stretch(t, x, np.sqrt(weight), sigma)


def _never_returns(own: _Stretch) -> bool:
    """Whether a body goes on one way along every axis, as no swing does: means of parts of the
    stretch only rise, or only fall, as far as noise lets them, and nothing goes on inside a part.
    """
    parts = [p for p in np.array_split(np.arange(len(own.t)), PARTS) if p.size]
    means = np.array([own.x[:, rows].mean(axis=1) for rows in parts])
    inside = np.array([np.ptp(own.x[:, rows], axis=1) for rows in parts]).max(axis=0)
    changes = np.diff(means, axis=0)
    slack = ONE_WAY * own.sigma * np.sqrt(2.0 * PARTS / len(own.t))
    one_way = (changes > -slack).all(axis=0) | (changes < slack).all(axis=0)
    quiet = inside < 3.0 * np.abs(changes).max(axis=0) + CLEAR * own.sigma
    return bool(np.all(one_way & quiet))


def swing_of(track: Track, start: float, stop: float) -> Swing | None:
    """Return the swing that a body makes from start to stop, in s, or None if it does not."""
    own = _stretch(track, start, stop)
    n, length = len(own.t), stop - start
    if n < 2.0 * SAMPLES_A_PERIOD or length <= 0.0 or _never_returns(own):
        return None
    tau = own.t - start

    def design(values: Array) -> Array:
        phases = [values[0] * tau]
        if len(own.x) > 1:  # a bob in the plane rises twice in a period
            phases.append(2.0 * values[0] * tau)
        waves = [
            np.exp(-k * values[1] * tau) * wave
            for k, phase in enumerate(phases, 1)
            for wave in (np.cos(phase), np.sin(phase))
        ]
        return np.column_stack([np.ones(n), *waves])

    most = len(tau) / SAMPLES_A_PERIOD
    rates = 2.0 * np.pi / length * np.arange(LEAST_PERIODS * GRID, most * GRID + 1.0) / GRID
    if not len(rates):
        return None
    waves = np.exp(1j * np.outer(rates, tau))
    strong = np.abs(waves @ (own.x - own.x.mean(1, keepdims=True)).T) ** 2
    likely = rates[np.argsort(strong.sum(1))[-MOST_LIKELY:]]
    tried = [
        (own.chi2(design(values))[0], tuple(values))
        for damping in DAMPINGS
        for values in np.column_stack([likely, np.full(len(likely), damping / length)])
    ]
    best = _refined(
        lambda values: own.chi2(design(values))[0],
        np.array(min(tried)[1]),
        np.array([np.pi / GRID, 1.0]) / length,
    )
    squares, c = own.chi2(design(best))
    amplitude = float(np.hypot.reduce(c[1:3].ravel()))
    points = own.x.size
    missed = np.sqrt(squares / points) * own.sigma * np.sqrt(n / (_count(track, start, stop)))
    usual = amplitude * float(np.sqrt(np.mean(np.exp(-2.0 * max(best[1], 0.0) * tau))))
    too_few = best[0] * length < 2.0 * np.pi * LEAST_PERIODS
    if too_few or abs(best[1]) * 2.0 * np.pi > FASTEST_FADING * best[0]:
        return None
    if usual < CLEAR * own.sigma or missed > np.hypot(MISFIT * usual, NOISE_LEFT * own.sigma):
        return None
    axis = int(np.argmax(np.hypot(c[1], c[2])))
    phase = float(np.arctan2(c[2, axis], c[1, axis]))
    # cos(ωτ − phase) e^(−δτ): in the middle where the cosine is 0, turning where its rate is
    lag = phase - float(np.arctan2(best[1], best[0]))
    moments = [
        tuple(
            float(start + at)
            for k in range(-2, int(best[0] * length / np.pi) + 3)
            if 0.0 < (at := (offset + k * np.pi) / best[0]) < length
        )
        for offset in (lag, phase + 0.5 * np.pi)
    ]
    return Swing(
        start, stop, 2.0 * np.pi / float(best[0]), amplitude, float(best[1]), moments[0], moments[1]
    )


def _count(track: Track, start: float, stop: float) -> int:
    low, high = np.searchsorted(track.t, [start, stop])
    return int(high - low + 1)


def _refined(cost: Callable[[Array], float], values: Array, steps: Array) -> Array:
    """The values near a start with the least cost, by steps that are halved where none helps."""
    least = cost(values)
    for _ in range(60):
        for k in range(len(values)):
            for way in (-1.0, 1.0):
                moved = values.copy()
                moved[k] += way * steps[k]
                if (other := cost(moved)) < least:
                    values, least = moved, other
                    break
            else:
                steps[k] *= 0.5
    return values


def _fading(z: Array) -> Array:
    return np.asarray(np.exp(-z))


def slows_as_one(track: Track, pieces: Sequence[tuple[float, float]]) -> bool:
    """Return whether one curve of drag beside friction says what parabolas through some pieces say,
    each from start to stop in s, with fewer numbers.
    """
    own = _stretch(track, pieces[0][0], pieces[-1][1])
    length = pieces[-1][1] - pieces[0][0]
    tau = (own.t - pieces[0][0]) / length
    axes, n = own.x.shape
    apart = 0.0
    for start, stop in pieces:
        rows = (own.t >= start) & (own.t <= stop)
        if rows.sum() > 3:
            one = _Stretch(own.t[rows], own.x[:, rows], own.root[:, rows], own.sigma)
            apart += one.chi2(np.vander(tau[rows], 3))[0]

    def missed(shape: Callable[[Array], Array], rate: float) -> float:
        return own.chi2(np.column_stack([np.ones(n), tau, shape(rate * tau)]))[0]

    def least(shape: Callable[[Array], Array]) -> float:
        _, first = min((missed(shape, rate), rate) for rate in RATES)
        step = 0.5 * np.log(RATES[1] / RATES[0])
        best = _refined(
            lambda values: missed(shape, float(np.exp(values[0]))),
            np.array([np.log(first)]),
            np.array([step]),
        )
        return missed(shape, float(np.exp(best[0])))

    together = min(least(_fading), least(np.log1p))
    saved = len(pieces) * (3 * axes + 1) - 1 - (3 * axes + 1)
    return bool(together < apart + saved * np.log(n * axes))
