"""Local polynomial fits as linear operators on the samples: value, slope or curvature at any moment, at any spacing.

Source: Savitzky & Golay, Anal. Chem. 36 (1964) 1627-1639, for any spacing.
"""

from collections.abc import Sequence
from dataclasses import dataclass

import numpy as np
from numpy.lib.stride_tricks import sliding_window_view

from inertian.quantities.estimates import Array, Rows, SampleWeights

WINDOW = 9  # samples in a local fit
DEGREE = 2
CHUNK = 20_000  # moments worked on at a time, so that memory stays small
EVEN = 1e-7  # of a step that even times may be off


@dataclass(frozen=True, eq=False)
class Operator:
    """m estimates as sums over w samples each: estimate_j = Σ_k weights[j, k] · x[index[j, k]], both of shape (m, w).

    Weights are NaN where there are too few samples for an estimate.
    """

    index: Rows
    weights: Array

    def applied(self, x: Array) -> Array:
        """Return the estimates, shape (m,), from samples x of shape (n,)."""
        values = x[self.index]
        level = np.abs(self.weights.sum(axis=1)) < 1e-9 * np.abs(self.weights).sum(axis=1)
        if self.index.shape[1] > 1 and level.all():  # derivatives: far origins cost no digits
            values = values - values.mean(axis=1, keepdims=True)
        return np.asarray(np.einsum("ij,ij->i", self.weights, values))

    @property
    def norm(self) -> Array:
        """√Σw² of each estimate, shape (m,)."""
        return np.asarray(np.linalg.norm(self.weights, axis=1))

    def gathered(self, c: Array) -> SampleWeights:
        """Return the weights of Σ_j c_j · estimate_j on the samples; c has shape (m,)."""
        used = c != 0.0
        index, values = self.index[used], self.weights[used] * c[used, None]
        if not index.size:
            return SampleWeights(0, np.zeros(0))
        start = int(index.min())
        total = np.asarray(np.bincount((index - start).ravel(), weights=values.ravel()), dtype=np.float64)
        return SampleWeights(start, total)

    def scaled(self, factor: Array) -> "Operator":
        """Return the operator of factor_j · estimate_j; factor has shape (m,)."""
        return Operator(self.index, self.weights * factor[:, None])


def samples_themselves(rows: Rows) -> Operator:
    """Return the operator that reads samples off as they are."""
    return Operator(rows[:, None], np.ones((len(rows), 1)))


def segments(t: Array, rows: Rows, walls: Sequence[float]) -> list[Rows]:
    """Return the usable rows between walls: even places lie outside contacts, odd ones inside."""
    return np.split(rows, np.searchsorted(t[rows], sorted(walls), "left"))


def local_operator(
    t: Array, rows: Rows, times: Array, walls: Sequence[float], order: int, window: int = WINDOW, degree: int = DEGREE
) -> Operator:
    """Return value (order 0), slope (1) or second derivative (2) at some times, from usable rows of samples at times t.

    No window reaches across a wall; walls come in pairs, one at each edge of a contact. Near an edge a window keeps
    its samples and is evaluated off-centre, so u grows.
    """
    index = np.zeros((len(times), window), dtype=np.intp)
    weights = np.full((len(times), window), np.nan)
    place = np.searchsorted(np.sort(np.asarray(walls, dtype=float)), times, "right")
    for number, own in enumerate(segments(t, rows, walls)):
        size = min(window, len(own))
        fitted = min(degree, size - 2)  # three samples still make a line, but not where a hit bends it
        if fitted < max(degree if number % 2 else 1, order):
            continue
        at = np.flatnonzero(place == number)
        for chunk in np.split(at, np.arange(CHUNK, len(at), CHUNK)):
            first = np.searchsorted(t[own], times[chunk]) - size // 2
            first = np.clip(first, 0, len(own) - size)
            index[chunk, :size] = own[first[:, None] + np.arange(size)]
            index[chunk, size:] = index[chunk, :1]
            weights[chunk, size:] = 0.0
            weights[chunk, :size] = _weights(t[index[chunk, :size]], times[chunk], order, fitted)
    return Operator(index, weights)


def _weights(ts: Array, at: Array, order: int, degree: int) -> Array:
    """Weights of the derivative of an order at times `at`, shape (m,), of polynomials through samples at ts, (m, w)."""
    middle = ts.mean(axis=1)
    scale = 0.5 * np.ptp(ts, axis=1)
    design = ((ts - middle[:, None]) / scale[:, None])[:, :, None] ** np.arange(degree + 1)
    normal = design.transpose(0, 2, 1) @ design
    local = (at - middle) / scale
    row = np.zeros((len(at), degree + 1))
    for k in range(order, degree + 1):
        row[:, k] = np.prod(np.arange(k - order + 1, k + 1)) * local ** (k - order) / scale**order
    dual = np.linalg.solve(normal, row[:, :, None])
    return np.asarray((design @ dual)[:, :, 0])


def at_samples(
    t: Array, x: Array, walls: Sequence[float], order: int, window: int = WINDOW, degree: int = DEGREE
) -> tuple[Array, Array]:
    """Return estimates at all samples and the norms √Σw² of their weights, NaN where there are none; shapes (n,).

    Long evenly spaced segments take one set of weights, as a convolution.
    """
    value, norm = np.full(len(t), np.nan), np.full(len(t), np.nan)
    usable = np.flatnonzero(np.isfinite(x))
    slow = [usable[:0]]
    for own in segments(t, usable, walls):
        if len(own) < 4 * window or degree != DEGREE or window % 2 == 0:
            slow.append(own)
            continue
        half = window // 2
        middle = own[half : len(own) - half]
        value[middle], norm[middle] = _in_the_middle(t[own], x[own], order, half)
        slow += [own[:half], own[len(own) - half :]]
    rows = np.concatenate(slow)
    for chunk in np.split(rows, np.arange(CHUNK, len(rows), CHUNK)):
        operator = local_operator(t, usable, t[chunk], walls, order, window, degree)
        value[chunk], norm[chunk] = operator.applied(x), operator.norm
    return value, norm


def _in_the_middle(t: Array, x: Array, order: int, half: int) -> tuple[Array, Array]:
    """Values and norms of parabolas at the middle of each full window; t and x of shape (n,), results (n − 2·half,)."""
    n, window = len(t) - 2 * half, 2 * half + 1
    if _even(t):
        weights = _weights(t[None, :window] - t[half], np.zeros(1), order, DEGREE)[0]
        base = x[0] if order else 0.0  # far origins cost no digits
        return sliding_window_view(x - base, window) @ weights, np.full(n, np.linalg.norm(weights))
    s1, s2, s3, s4, y0, y1, y2 = np.zeros((7, n))
    scale = (t[-1] - t[0]) / (len(t) - 1) * half
    at, level = t[half : half + n], x[half : half + n]
    for k in range(window):
        d, y = (t[k : k + n] - at) / scale, x[k : k + n] - level
        d2 = d * d
        s1 += d
        s2 += d2
        s3 += d2 * d
        s4 += d2 * d2
        y0 += y
        y1 += d * y
        y2 += d2 * y
    rows = (
        (s2 * s4 - s3 * s3, s2 * s3 - s1 * s4, s1 * s3 - s2 * s2),
        (s2 * s3 - s1 * s4, window * s4 - s2 * s2, s1 * s2 - window * s3),
        (s1 * s3 - s2 * s2, s1 * s2 - window * s3, window * s2 - s1 * s1),
    )  # of the adjugate of the normal matrix
    determinant = window * rows[0][0] + s1 * rows[0][1] + s2 * rows[0][2]
    a, b, c = rows[order]
    factor = (1.0, 1.0, 2.0)[order] / scale**order
    value = factor * (a * y0 + b * y1 + c * y2) / determinant + (level if order == 0 else 0.0)
    return value, factor * np.sqrt(rows[order][order] / determinant)


def _even(t: Array) -> bool:
    step = (t[-1] - t[0]) / (len(t) - 1)
    return bool(np.abs(np.diff(t) - step).max() <= EVEN * step)
