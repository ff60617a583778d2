"""Splines through the samples of one stretch, sorted from smooth to rough.

The components are those of Demmler & Reinsch (Numer. Math. 24 (1975) 375-382): orthonormal over the
samples, with growing roughness. Smoothing then only shrinks each of them, so that any amount of
smoothing costs no more than a product. Errors that resemble their neighbours' as ρ^k are made white
first (Box, Jenkins & Reinsel, *Time Series Analysis*, 4th ed., 2008, 3.2).
"""

import math
from dataclasses import dataclass, field, replace
from functools import lru_cache

import numpy as np

from inertian.quantities.estimates import Array

# The derivative that is penalised: estimates of acceleration then have two derivatives in hand
PENALISED = 4
DEGREE = PENALISED + 1  # of the splines: their penalised derivative is broken lines
NODES = DEGREE - PENALISED + 1  # of Gauss per interval: exact for squares of broken lines
LEAST_SMOOTHING = 1e-2  # of the penalty over the samples, both in their largest parts
# Components that even the least smoothing shrinks to less than the square of this are left out
LEAST_SEEN = 1e-2
EVEN = 1e-12  # of a stretch, that even times may be off by rounding


@dataclass(frozen=True)
class SplineSpace:
    """Splines over a stretch of time, from `start` for `duration` seconds, with evenly spread
    knots.
    """

    start: float
    duration: float
    size: int

    def at(self, times: Array, order: int = 0) -> Array:
        """Return a derivative of all splines at some times in s, (m,), as shape (m, size), in
        1/s^order; beyond the ends the last polynomial goes on.
        """
        scaled = (times - self.start) / self.duration
        inside = np.clip(scaled, 0.0, 1.0)
        made = _basis(_knots(self.size), inside, order)
        beyond = np.flatnonzero(inside != scaled)
        if beyond.size:
            away = scaled[beyond] - inside[beyond]
            for more in range(1, DEGREE - order + 1):
                term = away**more / math.factorial(more)
                made[beyond] += term[:, None] * _basis(
                    _knots(self.size), inside[beyond], order + more
                )
        return made / self.duration**order


@lru_cache(maxsize=16)
def _rough(size: int) -> tuple[Array, Array, Array]:
    """Nodes of integration on a scale from 0 to 1, (r,); the penalised derivative of all splines
    there times the root of their weights, (r, size), and the triangle of its QR.
    """
    edges = np.linspace(0.0, 1.0, size - DEGREE + 1)
    places, weights = np.polynomial.legendre.leggauss(NODES)
    step = edges[1]
    nodes = (edges[:-1, None] + step * (places + 1.0) / 2.0).ravel()
    root = np.sqrt(np.tile(step * weights / 2.0, len(edges) - 1))
    rough = _basis(_knots(size), nodes, PENALISED) * root[:, None]
    return nodes, rough, np.asarray(np.linalg.qr(rough, mode="r"))


def _knots(size: int) -> Array:
    """Knots on a scale from 0 to 1, those at the ends as often as the degree asks."""
    inner = np.linspace(0.0, 1.0, size - DEGREE + 1)
    return np.concatenate([np.zeros(DEGREE), inner, np.ones(DEGREE)])


@dataclass(frozen=True, eq=False)
class Components:
    """Splines of a space sorted from smooth to rough, over samples made white for a correlation.

    `over_samples` (n, k) are orthonormal; `coefficients` (size, k) make them of the splines;
    `roughness` (k,) is the root of each penalty, zero for the polynomials that cost nothing;
    `rough_parts` (r, k − PENALISED) are their penalised derivatives at the nodes, orthonormal.
    """

    space: SplineSpace
    correlation: float
    root_weights: Array | None
    nodes: Array
    over_samples: Array
    coefficients: Array
    roughness: Array
    rough_parts: Array
    # What was made of them before, by how many of them are used; shared by all copies
    profiles: dict[tuple[int, float], object] = field(default_factory=dict)

    def whitened(self, values: Array) -> Array:
        """Return columns over the samples, (n,) or (n, j), so that errors of them are white."""
        return whitened(values, self.correlation, self.root_weights)

    def within(self, size: int) -> "Components":
        """Return the first components only."""
        return replace(
            self,
            over_samples=self.over_samples[:, :size],
            coefficients=self.coefficients[:, :size],
            roughness=self.roughness[:size],
            rough_parts=self.rough_parts[:, : size - PENALISED],
        )

    @property
    def log_scale(self) -> float:
        """The logarithm of the determinant of the correlation matrix of the errors."""
        n = len(self.over_samples)
        weights = 0.0 if self.root_weights is None else 2.0 * float(np.log(self.root_weights).sum())
        return (n - 1) * float(np.log1p(-(self.correlation**2))) - weights

    def sample_weights(self, of_components: Array) -> Array:
        """Return weights on the samples, (j, n), of what has weights (j, k) on the components."""
        rows = of_components @ self.over_samples.T
        if self.correlation:  # the transposed of making white
            root = np.sqrt(1.0 - self.correlation**2)
            rows[:, 1:] /= root
            rows[:, :-1] -= self.correlation * rows[:, 1:]
        return rows if self.root_weights is None else rows * self.root_weights


def components(
    space: SplineSpace, t: Array, correlation: float = 0.0, root_weights: Array | None = None
) -> Components:
    """Return the components of a space over samples at times t in s, (n,), rising, whose errors
    are correlated as ρ^k and have the variance 1/root_weights².

    Those of even weights are remembered: all channels read at the same times share them, and all
    that are read as evenly.
    """
    if root_weights is not None:
        return _components(space, t, correlation, root_weights)
    scaled = (t - space.start) / space.duration
    even = np.linspace(0.0, 1.0, len(t))
    if np.abs(scaled - even).max() < EVEN:
        scaled = even
    found = _remembered(space.size, scaled.tobytes(), correlation)
    return replace(found, space=space)


@lru_cache(maxsize=64)
def _remembered(size: int, scaled: bytes, correlation: float) -> Components:
    return _components(SplineSpace(0.0, 1.0, size), np.frombuffer(scaled), correlation, None)


def _components(
    space: SplineSpace, t: Array, correlation: float, root_weights: Array | None
) -> Components:
    own = whitened(space.at(t), correlation, root_weights)
    nodes, rough, triangle = _rough(space.size)
    least = LEAST_SMOOTHING * float(np.linalg.norm(own) / np.linalg.norm(rough))
    # The QR of both together stays accurate where samples alone would leave splines undetermined
    q, r = np.linalg.qr(np.vstack([own, least * triangle]))
    _, found, turned = np.linalg.svd(q[len(t) :])
    sines, turned = np.zeros(len(turned)), turned[::-1].T
    sines[len(sines) - len(found) :] = np.minimum(found[::-1], 1.0)
    sines[:PENALISED] = 0.0
    cosines = np.sqrt(1.0 - sines**2)
    kept = cosines > LEAST_SEEN
    cosines, turned = cosines[kept], turned[:, kept]
    coefficients = np.linalg.solve(r, turned) / cosines
    roughness = sines[kept] / (cosines * least)
    rough_parts = rough @ coefficients[:, PENALISED:] / roughness[PENALISED:]
    over_samples = q[: len(t)] @ turned / cosines
    return Components(
        space, correlation, root_weights, nodes, over_samples, coefficients, roughness, rough_parts
    )


def whitened(values: Array, correlation: float, root_weights: Array | None) -> Array:
    """Return columns over samples, (n,) or (n, j), combined so that errors correlated as ρ^k, of
    variance 1/root_weights², become white ones of variance 1.
    """
    if root_weights is not None:
        values = (values.T * root_weights).T
    if not correlation:
        return values
    made = np.array(values)
    made[1:] = (values[1:] - correlation * values[:-1]) / np.sqrt(1.0 - correlation**2)
    return made


def _basis(knots: Array, places: Array, order: int) -> Array:
    """A derivative of all splines at some places from 0 to 1, (m, size)."""
    lowered = np.eye(len(knots) - DEGREE - 1)
    # Differences of coefficients make the derivative (de Boor, *A Practical Guide to Splines*, X)
    for degree in range(DEGREE, DEGREE - order, -1):
        inner = knots[DEGREE - degree + 1 : len(knots) - (DEGREE - degree) - 1]
        apart = inner[degree:] - inner[: len(inner) - degree]
        lowered = degree * np.diff(lowered, axis=0) / apart[:, None]
    plain = _values(knots[order : len(knots) - order], places, DEGREE - order)
    return plain @ lowered if order else plain


def _values(knots: Array, places: Array, degree: int) -> Array:
    """All B-splines of a degree at some places, (m, k), by Cox and de Boor's recurrence.

    scipy.interpolate has them, but its import alone takes longer than the first picture may.
    """
    size = len(knots) - degree - 1
    left = np.clip(np.searchsorted(knots, places, "right") - 1, degree, size - 1)
    found = np.ones((len(places), 1))
    for k in range(1, degree + 1):
        upper = knots[left[:, None] + np.arange(1, k + 1)]
        lower = knots[left[:, None] + np.arange(1 - k, 1)]
        parts = found / (upper - lower)
        found = np.zeros((len(places), k + 1))
        found[:, :-1] += (upper - places[:, None]) * parts
        found[:, 1:] += (places[:, None] - lower) * parts
    whole = np.zeros((len(places), size))
    columns = left[:, None] - degree + np.arange(degree + 1)
    np.put_along_axis(whole, columns, found, axis=1)
    return whole
