"""Local polynomials at all samples of a recording, in one pass: any degree, any spacing, any
window.

Each estimate is a derivative, at a sample, of the polynomial fitted by least squares to the window
around it (Savitzky & Golay, Anal. Chem. 36 (1964) 1627-1639). Polynomials are expanded in functions
that are orthonormal on the samples of the window, so that far times and far origins cost no digits.
Evenly spaced runs take one set of weights, as a convolution. Elsewhere the sums over a window are
put together from sums over two blocks of samples, as running extremes are (van Herk, Pattern
Recogn. Lett. 13 (1992) 517-521), so a wide window costs no more than a narrow one.
"""

from collections.abc import Sequence
from dataclasses import dataclass
from functools import lru_cache
from itertools import pairwise
from typing import Any

import numpy as np
from numpy.lib.stride_tricks import sliding_window_view
from numpy.polynomial import legendre
from numpy.typing import NDArray

from inertian.quantities.correlation import convolved, correlated
from inertian.quantities.estimates import Array, Rows

EVEN_TOLERANCE = 1e-7  # of a step that even times may be off
LEAST_RUN_IN_WINDOWS = 1.1  # windows that an even run must hold to be worth a convolution
FOURIER_FROM = 150  # samples; above, a convolution goes through Fourier space
# Samples in all windows together up to which each has a basis of its own
MOST_WINDOW_SAMPLES_WITH_OWN_BASIS = 300_000
# Samples worked on at a time where spacing is uneven: they stay in the processor's cache
BLOCKS = 8_192
# Samples in a window of even spacing whose polynomials are worth keeping
LARGEST_REMEMBERED_WINDOW = 3_000
DerivativeRequest = tuple[int, int]  # order of a derivative, degree of the polynomial


@dataclass(frozen=True, eq=False)
class Basis:
    """Polynomials orthonormal on the samples of one window, and a derivative of each.

    `phi` has shape (w, d + 1), one column a degree; `slopes` of shape (k, d + 1) holds the
    derivative of an order of each at k times. The weights of the k estimates are slopes · phiᵀ, and
    their norms those of the rows of slopes.
    """

    phi: Array
    slopes: Array

    def norms(self, correlation: float = 0.0) -> Array:
        """Return √(wᵀRw) of each estimate, shape (k,), R the correlation ρ^|i−j| of readings i and
        j.
        """
        if not correlation:
            return np.asarray(np.linalg.norm(self.slopes, axis=1))
        inner = self.phi.T @ correlated(self.phi, correlation)
        return np.asarray(np.sqrt(np.einsum("ki,ij,kj->k", self.slopes, inner, self.slopes)))

    def of(self, x: Array, order: int) -> Array:
        """Return the k estimates from the w samples x of the window."""
        level = float(x.mean())
        found = self.slopes @ (self.phi.T @ (x - level))
        return np.asarray(found + level if order == 0 else found)


def basis(t: Array, at: Array, degree: int, order: int) -> Basis:
    """Return the polynomials of one window at times t in s, (w,), and their derivatives of an
    order at some times, (k,).
    """
    middle, scale = 0.5 * (t[0] + t[-1]), 0.5 * (t[-1] - t[0])
    phi, r = np.linalg.qr(legendre.legvander((t - middle) / scale, degree))
    raw = _legendre_slopes((at - middle) / scale, degree, order) / scale**order
    return Basis(phi, np.linalg.solve(r.T, raw.T).T)


def _legendre_slopes(at: Array, degree: int, order: int) -> Array:
    return np.asarray(legendre.legvander(at, max(degree - order, 0)) @ _derivative(degree, order))


@lru_cache(maxsize=30)
def _derivative(degree: int, order: int) -> Array:
    """The derivative of an order of P_0 … P_d in terms of P_0 … P_(d − order); shape (d − order +
    1, d + 1).
    """
    return np.asarray(
        np.stack(
            [_padded(legendre.legder(c, order), degree, order) for c in np.eye(degree + 1)], axis=1
        )
    )


def _padded(coefficients: NDArray[Any], degree: int, order: int) -> Array:
    return np.pad(coefficients, (0, max(degree - order, 0) + 1 - len(coefficients)))


@lru_cache(maxsize=400)
def even_basis(size: int, degree: int, order: int) -> Basis:
    """Return the polynomials of a window of samples one unit of time apart, with derivatives at
    each of them.
    """
    places = np.arange(size, dtype=float)
    return basis(places, places, degree, order)


def degree_for(size: int, degree: int) -> int:
    """Return the degree a window of so many samples can carry: one sample at least is left to judge
    the fit by.
    """
    return max(min(degree, size - 2), 0)


def even_runs(t: Array, window: int) -> list[tuple[int, int]]:
    """Return where times in s, shape (n,), are evenly spaced for long enough to be worth a
    convolution, as (start, stop).
    """
    steps = np.diff(t)
    step = float(np.median(steps)) if len(steps) else 0.0
    breaks = np.flatnonzero(np.abs(steps - step) > EVEN_TOLERANCE * step) + 1
    edges = np.concatenate([[0], breaks, [len(t)]])
    long = np.flatnonzero(np.diff(edges) >= LEAST_RUN_IN_WINDOWS * window)
    return [(int(edges[i]), int(edges[i + 1])) for i in long]


def sliding_estimates(
    t: Array,
    x: Array,
    window: int,
    requests: Sequence[DerivativeRequest],
    correlation: float = 0.0,
    rows: tuple[int, int] | None = None,
) -> list[tuple[Array, Array]]:
    """Return derivatives at all samples, and the norms √(wᵀRw) of their weights, for each (order,
    degree) asked for.

    t, strictly increasing, and x have shape (n,), nothing missing; the results too. Windows hold
    `window` samples, odd, or all where there are fewer; at the ends they keep their samples and are
    evaluated off their middle. Errors of readings k samples apart have the correlation ρ^k. NaN
    where there are too few samples for the order, and outside of rows start … stop − 1, if these
    are given.
    """
    n = len(t)
    window = window if window >= n else window | 1
    size = min(window, n)
    found = [(np.full(n, np.nan), np.full(n, np.nan)) for _ in requests]
    possible = [
        k
        for k, (order, degree) in enumerate(requests)
        if degree_for(size, degree) >= order and n > 1
    ]
    own = [(requests[k][0], degree_for(size, requests[k][1])) for k in possible]
    start, stop = rows or (0, n)
    half = window // 2
    if n <= window:
        _at_end(
            t, x, slice(0, n), slice(start, stop), own, correlation, [found[k] for k in possible]
        )
        return found
    for here, around in (
        (slice(0, half), slice(0, window)),
        (slice(n - half, n), slice(n - window, n)),
    ):
        wanted = slice(max(here.start, start), min(here.stop, stop))
        if wanted.stop > wanted.start:
            _at_end(t, x, around, wanted, own, correlation, [found[k] for k in possible])
    runs = [(max(a + half, start), min(b - half, stop)) for a, b in even_runs(t, window)]
    runs = [(a, b) for a, b in runs if b > a]
    for k, (order, degree) in zip(possible, own, strict=True):
        value, norm = found[k]
        for low, high in runs:
            value[low:high], norm[low:high] = _even(
                t, x, (low, high), half, degree, order, correlation
            )
    done, last = max(half, start), max(min(n - half, stop), half)
    for low, high in (*runs, (last, last)):
        _uneven(t, x, (done, low), window, own, correlation, [found[k] for k in possible])
        done = high
    return found


def _at_end(
    t: Array,
    x: Array,
    around: slice,
    rows: slice,
    requests: Sequence[DerivativeRequest],
    correlation: float,
    found: Sequence[tuple[Array, Array]],
) -> None:
    """Fill in estimates at some rows from one window."""
    ts, places = t[around], slice(rows.start - around.start, rows.stop - around.start)
    step = (ts[-1] - ts[0]) / max(len(ts) - 1, 1)
    even = len(ts) <= LARGEST_REMEMBERED_WINDOW and bool(
        np.abs(np.diff(ts) - step).max(initial=0.0) <= EVEN_TOLERANCE * step
    )
    for (value, norm), (order, degree) in zip(found, requests, strict=True):
        if even:
            whole = even_basis(len(ts), degree, order)
            own = Basis(whole.phi, whole.slopes[places] / step**order)
        else:
            own = basis(ts, t[rows], degree, order)
        value[rows], norm[rows] = own.of(x[around], order), own.norms(correlation)


def _even(
    t: Array,
    x: Array,
    rows: tuple[int, int],
    half: int,
    degree: int,
    order: int,
    correlation: float,
) -> tuple[Array, float]:
    """The estimates of an even run: one set of weights, moved along."""
    low, high = rows
    step = (t[high + half - 1] - t[low - half]) / (high - low + 2 * half - 1)
    own = even_basis(2 * half + 1, degree, order)
    middle = Basis(own.phi, own.slopes[half : half + 1] / step**order)
    weights = (middle.slopes @ middle.phi.T)[0]
    # As they are but for rounding; and faster
    weights = 0.5 * (weights + (-1) ** order * weights[::-1])
    level = float(x[low])
    samples = x[low - half : high + half] - level
    if len(weights) > FOURIER_FROM:
        found = convolved(samples, weights[::-1])[2 * half : len(samples)]
    else:
        found = np.convolve(samples, weights[::-1], "valid")
    return (found + level if order == 0 else found), float(middle.norms(correlation)[0])


def _uneven(
    t: Array,
    x: Array,
    rows: tuple[int, int],
    window: int,
    requests: Sequence[DerivativeRequest],
    correlation: float,
    found: Sequence[tuple[Array, Array]],
) -> None:
    """Fill in estimates at some rows, all with full windows, at any spacing."""
    low, high = rows
    if not requests or high <= low:
        return
    factors = np.ones(len(requests))
    if correlation:  # as for even spacing: readings are correlated from one to the next
        middles = [even_basis(window, degree, order) for order, degree in requests]
        factors = np.array([(m.norms(correlation) / m.norms())[window // 2] for m in middles])
    directly = (high - low) * window <= MOST_WINDOW_SAMPLES_WITH_OWN_BASIS
    chunk = max(BLOCKS // window, 1) * window
    for first in range(low, high, chunk):
        last = min(first + chunk, high)
        own = slice(first - window // 2, last + window // 2)
        parts = (_by_windows if directly else _by_blocks)(t[own], x[own], window, requests)
        for (value, norm), factor, part in zip(found, factors, parts, strict=True):
            value[first:last], norm[first:last] = part[0], factor * part[1]


def window_bases(ts: Array, at: Array, degree: int, order: int) -> tuple[Array, Array]:
    """Return orthonormal polynomials of windows at times ts, (m, w), and a derivative of each at
    one time a window.

    Shapes (m, w, d + 1) and (m, d + 1): the weights of an estimate are phi · slopes, their norm
    that of the slopes.
    """
    middle, scale = 0.5 * (ts[:, 0] + ts[:, -1]), 0.5 * (ts[:, -1] - ts[:, 0])
    phi, r = np.linalg.qr(legendre.legvander((ts - middle[:, None]) / scale[:, None], degree))
    return phi, _slopes_in(r, (at - middle) / scale, scale, degree, order)


def _slopes_in(r: Array, at: Array, scale: Array, degree: int, order: int) -> Array:
    """The derivatives of orthonormal polynomials, whose factor is r, at scaled times of windows."""
    raw = _legendre_slopes(at, degree, order) / scale[:, None] ** order
    size = degree + 1
    return np.asarray(
        np.linalg.solve(r[:, :size, :size].transpose(0, 2, 1), raw[:, :, None])[:, :, 0]
    )


def _by_windows(
    t: Array, x: Array, window: int, requests: Sequence[DerivativeRequest]
) -> list[tuple[Array, Array]]:
    """As `_by_blocks`, by an orthonormal basis of each window: slower for wide windows, and to the
    last digit.
    """
    ts, xs = sliding_window_view(t, window), sliding_window_view(x, window)
    middle, scale = 0.5 * (ts[:, 0] + ts[:, -1]), 0.5 * (ts[:, -1] - ts[:, 0])
    level = xs.mean(axis=1)
    top = max(degree for _, degree in requests)
    phi, r = np.linalg.qr(legendre.legvander((ts - middle[:, None]) / scale[:, None], top))
    coefficients = np.einsum("iw,iwk->ik", xs - level[:, None], phi)
    at = (t[window // 2 : window // 2 + len(ts)] - middle) / scale
    found = []
    for order, degree in requests:
        e = _slopes_in(r, at, scale, degree, order)
        value = np.einsum("ik,ik->i", e, coefficients[:, : degree + 1])
        found.append(
            (value + level if order == 0 else value, np.asarray(np.linalg.norm(e, axis=1)))
        )
    return found


def _by_blocks(
    t: Array, x: Array, window: int, requests: Sequence[DerivativeRequest]
) -> list[tuple[Array, Array]]:
    """Estimates at the middles of all full windows, and norms; t and x of shape (n,), results (n −
    window + 1,).

    Sums of Chebyshev polynomials of time, about the border between two blocks of `window` samples,
    are summed up towards the border from the left and away from it to the right; a window is one
    part of each. Products of two such polynomials are sums of two others, so 2d + 1 sums make the
    matrix of the normal equations.
    """
    n, degree = len(t), max(d for _, d in requests)
    count = n - window + 1
    blocks = -(-n // window) + 1
    padding = blocks * window - n
    if padding:  # never used by a full window, but keeps every frame sound
        t = np.concatenate([t, t[-1] + (t[-1] - t[-2]) * np.arange(1, padding + 1)])
        x = np.concatenate([x, np.full(padding, x[-1])])
    ts, xs = t.reshape(blocks, window), x.reshape(blocks, window)
    border = ts[1:, 0]
    scale = np.maximum(border - ts[:-1, 0], ts[1:, -1] - border)
    level = xs[1:, 0]
    left = _moments(ts[:-1], xs[:-1], border, scale, level, degree)[..., ::-1].cumsum(axis=-1)[
        ..., ::-1
    ]
    right = _moments(ts[1:], xs[1:], border, scale, level, degree).cumsum(axis=-1)
    left[..., 1:] += right[..., :-1]
    moments = left.reshape(len(left), -1)[:, :count]
    own = np.arange(count) // window
    at = (t[window // 2 : window // 2 + count] - border[own]) / scale[own]
    wanted = [_chebyshev_slopes(at, d, order) / scale[own] ** order for order, d in requests]
    parts = _solved(moments, wanted, degree)
    return [
        (value + level[own] if order == 0 else value, norm)
        for (order, _), (value, norm) in zip(requests, parts, strict=True)
    ]


def _moments(ts: Array, xs: Array, border: Array, scale: Array, level: Array, degree: int) -> Array:
    """T_0 … T_2d of scaled time, then T_0·x … T_d·x, of each sample; shape (3d + 2, blocks,
    window).
    """
    z = (ts - border[:, None]) / scale[:, None]
    found = np.empty((3 * degree + 2, *z.shape))
    found[0] = 1.0
    found[1] = z
    doubled = 2.0 * z
    for k in range(2, 2 * degree + 1):
        np.multiply(doubled, found[k - 1], out=found[k])
        found[k] -= found[k - 2]
    np.multiply(found[: degree + 1], xs - level[:, None], out=found[2 * degree + 1 :])
    return found


def _chebyshev_slopes(z: Array, degree: int, order: int) -> Array:
    """Derivatives of an order of T_0 … T_d at z, shape (d + 1, m), by T_k = 2z T_{k−1} − T_{k−2},
    differentiated.
    """
    rows = np.zeros((order + 1, degree + 1, len(z)))
    rows[0, 0] = 1.0
    for k in range(1, degree + 1):
        for o in range(order + 1):
            twice = 1.0 if k == 1 else 2.0
            rows[o, k] = twice * z * rows[o, k - 1]
            if o:
                rows[o, k] += twice * o * rows[o - 1, k - 1]
            if k > 1:
                rows[o, k] -= rows[o, k - 2]
    return np.asarray(rows[order])


def _solved(moments: Array, wanted: Sequence[Array], degree: int) -> list[tuple[Array, Array]]:
    """eᵀG⁻¹b and √(eᵀG⁻¹e) for all windows at once, for each e, by a Cholesky factor of each G;
    results (m,).

    The factor of a lower degree is the leading part of that of a higher one, so all degrees share
    it.
    """
    factor: list[list[Array]] = []
    z: list[Array] = []
    for i in range(degree + 1):
        row: list[Array] = []
        for j in range(i + 1):
            g = 0.5 * (moments[i + j] + moments[i - j])
            for k in range(j):
                g -= row[k] * (factor[j][k] if j < i else row[k])
            row.append(g * factor[j][j] if j < i else 1.0 / np.sqrt(g))
        factor.append(row)
        z.append(_forward(moments[2 * degree + 1 + i], row, z))
    results = []
    for e in wanted:
        y: list[Array] = []
        for i in range(len(e)):
            y.append(_forward(e[i], factor[i], y))
        value = np.asarray(sum(a * b for a, b in zip(y, z, strict=False)))
        results.append((value, np.sqrt(np.asarray(sum(a * a for a in y)))))
    return results


def _forward(b: Array, row: Sequence[Array], known: Sequence[Array]) -> Array:
    """One line of a forward substitution; the last of the row is the inverse of the diagonal."""
    left = b.copy()
    for a, one in zip(row, known, strict=False):
        left -= a * one
    left *= row[-1]
    return left


def equal_window_runs(sizes: Rows, rows: tuple[int, int]) -> list[tuple[int, int, int]]:
    """Return runs of equal window among rows start … stop − 1, as (start, stop, size); sizes in
    samples, shape (n,).
    """
    own = sizes[rows[0] : rows[1]]
    edges = np.concatenate([[0], np.flatnonzero(np.diff(own)) + 1, [len(own)]])
    return [(int(a) + rows[0], int(b) + rows[0], int(own[a])) for a, b in pairwise(edges)]
