"""Estimates as linear operators on the samples of a channel, kept in factors so that wide windows
cost little.

An operator of m estimates is made of pieces. Each piece knows its windows among the usable samples
of the channel, and its weights: one set of weights moved along (even spacing), one window evaluated
at many places, or weights of its own for each estimate. Covariances of estimates follow from
the weights (JCGM 100:2008, 5.2.2 and F.1.2.3).
"""

from collections.abc import Sequence
from dataclasses import dataclass, replace

import numpy as np
from numpy.lib.stride_tricks import sliding_window_view

from inertian.quantities.correlation import convolved, correlated
from inertian.quantities.estimates import Array, Rows, SampleWeights

FOURIER_FROM = 150  # weights; above, a convolution goes through Fourier space
SPREAD_AT_A_TIME = 2_000_000  # weights spread out at a time


@dataclass(frozen=True, eq=False)
class SameWeights:
    """k estimates at places `at`: the same weights, (w,), on windows that begin at `first`,
    (k,).
    """

    at: Rows
    first: Rows
    weights: Array

    def values(self, x: Array, level: float) -> Array:
        """Return Σ_i w_i (x_i − level)."""
        low, stop = int(self.first.min()), int(self.first.max()) + len(self.weights)
        own = x[low:stop] - level
        if len(self.weights) > FOURIER_FROM and len(self.first) > FOURIER_FROM:
            whole = convolved(own, self.weights[::-1])[len(self.weights) - 1 : len(own)]
            return np.asarray(whole[self.first - low])
        return np.asarray(
            sliding_window_view(own, len(self.weights))[self.first - low] @ self.weights
        )

    @property
    def norms(self) -> Array:
        """√Σw² of each estimate."""
        return np.full(len(self.at), float(np.linalg.norm(self.weights)))

    def norms_under(self, share: Array) -> Array:
        """√Σ w_i² share_i of each estimate; share of shape (usable samples,)."""
        return np.asarray(
            np.sqrt(
                np.maximum(
                    SameWeights(self.at, self.first, self.weights**2).values(share, 0.0), 0.0
                )
            )
        )

    def gather(self, c: Array, total: Array) -> None:
        """Add the weights of Σ_j c_j · estimate_j to those of all usable samples."""
        low, high = int(self.first.min()), int(self.first.max()) + 1
        spread = np.asarray(
            np.bincount(self.first - low, weights=c, minlength=high - low), dtype=float
        )
        long = len(self.weights) > FOURIER_FROM and len(spread) > FOURIER_FROM
        whole = convolved(spread, self.weights) if long else np.convolve(spread, self.weights)
        total[low : low + len(whole)] += whole

    def spread(self, rows: Rows) -> tuple[Rows, Array]:
        """Return where windows begin, and weights of shape (k, w), of some of the estimates."""
        return self.first[rows], np.broadcast_to(self.weights, (len(rows), len(self.weights)))


@dataclass(frozen=True, eq=False)
class OneWindow:
    """k estimates from one window that begins at `first`: weights are slopes · phiᵀ, of shapes (k,
    d) and (w, d).

    The columns of phi are orthonormal.
    """

    at: Rows
    first: int
    slopes: Array
    phi: Array

    def values(self, x: Array, level: float) -> Array:
        """Return Σ_i w_i (x_i − level)."""
        return np.asarray(
            self.slopes @ (self.phi.T @ (x[self.first : self.first + len(self.phi)] - level))
        )

    @property
    def norms(self) -> Array:
        """√Σw² of each estimate."""
        return np.asarray(np.linalg.norm(self.slopes, axis=1))

    def norms_under(self, share: Array) -> Array:
        """√Σ w_i² share_i of each estimate; share of shape (usable samples,)."""
        inner = self.phi.T @ (self.phi * share[self.first : self.first + len(self.phi), None])
        return np.asarray(
            np.sqrt(np.maximum(np.einsum("kd,de,ke->k", self.slopes, inner, self.slopes), 0.0))
        )

    def gather(self, c: Array, total: Array) -> None:
        """Add the weights of Σ_j c_j · estimate_j to those of all usable samples."""
        total[self.first : self.first + len(self.phi)] += self.phi @ (self.slopes.T @ c)

    def spread(self, rows: Rows) -> tuple[Rows, Array]:
        """Return where windows begin, and weights of shape (k, w), of some of the estimates."""
        return np.full(len(rows), self.first), self.slopes[rows] @ self.phi.T


@dataclass(frozen=True, eq=False)
class OwnWeights:
    """k estimates with weights of their own, (k, w), on windows that begin at `first`, (k,)."""

    at: Rows
    first: Rows
    weights: Array

    def values(self, x: Array, level: float) -> Array:
        """Return Σ_i w_i (x_i − level)."""
        windows = sliding_window_view(x, self.weights.shape[1])[self.first]
        base = windows[:, :1] - level
        whole = self.weights.sum(axis=1)
        near = np.einsum("ij,ij->i", self.weights, windows - windows[:, :1])
        # Far origins cost no digits
        derivative = np.abs(whole) < 1e-9 * np.abs(self.weights).sum(axis=1)
        return np.asarray(near + np.where(derivative, 0.0, whole * base[:, 0]))

    @property
    def norms(self) -> Array:
        """√Σw² of each estimate."""
        return np.asarray(np.linalg.norm(self.weights, axis=1))

    def norms_under(self, share: Array) -> Array:
        """√Σ w_i² share_i of each estimate; share of shape (usable samples,)."""
        return np.asarray(
            np.sqrt(
                np.einsum(
                    "ij,ij->i",
                    self.weights**2,
                    sliding_window_view(share, self.weights.shape[1])[self.first],
                )
            )
        )

    def gather(self, c: Array, total: Array) -> None:
        """Add the weights of Σ_j c_j · estimate_j to those of all usable samples."""
        index = self.first[:, None] + np.arange(self.weights.shape[1])
        total += np.bincount(
            index.ravel(), weights=(self.weights * c[:, None]).ravel(), minlength=len(total)
        )

    def spread(self, rows: Rows) -> tuple[Rows, Array]:
        """Return where windows begin, and weights of shape (k, w), of some of the estimates."""
        return self.first[rows], self.weights[rows]


Piece = SameWeights | OneWindow | OwnWeights


@dataclass(frozen=True, eq=False)
class Operator:
    """m estimates, each `factor` times a weighted sum of usable samples of one channel; NaN where
    no piece has it.

    `usable` are the rows of the trial that the windows count in; `total` is what the weights of an
    estimate add up to: 1 for values, 0 for derivatives.
    """

    usable: Rows
    pieces: tuple[Piece, ...]
    factor: Array
    total: float = 0.0

    def applied(self, x: Array) -> Array:
        """Return the estimates, shape (m,), from samples x of shape (n,)."""
        found = np.full(len(self.factor), np.nan)
        own = x[self.usable]
        for piece in self.pieces:
            level = float(own[int(np.min(piece.first))])  # far origins cost no digits
            found[piece.at] = piece.values(own, level) + level * self.total
        return found * self.factor

    @property
    def norm(self) -> Array:
        """√Σw² of each estimate, shape (m,)."""
        found = np.full(len(self.factor), np.nan)
        for piece in self.pieces:
            found[piece.at] = piece.norms
        return np.asarray(np.abs(self.factor) * found)

    def norm_under(self, share: Array) -> Array:
        """Return √Σ w_i² share_i of each estimate, shape (m,), where samples do not err alike;
        share of shape (n,).
        """
        found, own = np.full(len(self.factor), np.nan), share[self.usable]
        for piece in self.pieces:
            found[piece.at] = piece.norms_under(own)
        return np.asarray(np.abs(self.factor) * found)

    def gathered(self, c: Array) -> SampleWeights:
        """Return the weights of Σ_j c_j · estimate_j on the samples; c has shape (m,), zero where
        one is missing.
        """
        total, pulled = np.zeros(len(self.usable)), c != 0.0
        pull = np.where(pulled, c * self.factor, 0.0)
        for piece in self.pieces:
            if pulled[piece.at].any():
                piece.gather(pull[piece.at], total)
        used = np.flatnonzero(total)
        if not used.size:
            return SampleWeights(0, np.zeros(0))
        rows = self.usable[used]
        values = np.zeros(int(rows[-1] - rows[0]) + 1)
        values[rows - rows[0]] = total[used]
        return SampleWeights(int(rows[0]), values)

    def scaled(self, factor: Array) -> "Operator":
        """Return the operator of factor_j · estimate_j; factor has shape (m,)."""
        return replace(self, factor=self.factor * factor)

    def product(self, other: "Operator") -> Array:
        """Return Σ_i w_i w'_i of each estimate with that of another operator on the same channel,
        shape (m,).
        """
        found = np.zeros(len(self.factor))
        for a in self.pieces:
            for b in other.pieces:
                shared, in_a, in_b = np.intersect1d(
                    a.at, b.at, assume_unique=True, return_indices=True
                )
                if len(shared):
                    found[shared] += _product(a, in_a, b, in_b)
        return np.asarray(found * self.factor * other.factor, dtype=np.float64)

    def product_under(self, other: "Operator", variance: Array, alike: float) -> Array:
        """As `product`, for readings of some variances, (n,), that err alike as ρ^k; in SI
        squared.
        """
        found, own = np.zeros(len(self.factor)), variance[self.usable]
        for a in self.pieces:
            for b in other.pieces:
                shared, in_a, in_b = np.intersect1d(
                    a.at, b.at, assume_unique=True, return_indices=True
                )
                if len(shared):
                    found[shared] += _side_by_side(a, in_a, b, in_b, np.sqrt(own), alike)
        return np.asarray(found * self.factor * other.factor, dtype=np.float64)

    def matrix(self) -> Array:
        """Return the weights as a matrix on the usable samples, shape (m, len(usable)), zero where
        one is missing.
        """
        found = np.zeros((len(self.factor), len(self.usable)))
        for piece in self.pieces:
            first, weights = piece.spread(np.arange(len(piece.at)))
            columns = first[:, None] + np.arange(weights.shape[1])
            found[piece.at[:, None], columns] += weights
        return np.asarray(found * np.nan_to_num(self.factor)[:, None])


def _product(a: Piece, in_a: Rows, b: Piece, in_b: Rows) -> Array:
    """Σ_i w_i w'_i of pairs of estimates."""
    if isinstance(a, SameWeights) and isinstance(b, SameWeights):
        away = b.first[in_b] - a.first[in_a]
        if (away == away[0]).all():
            return np.full(len(in_a), _shared(a.weights, b.weights, int(away[0])))
    if isinstance(a, OneWindow) and isinstance(b, OneWindow):
        low, stop = max(a.first, b.first), min(a.first + len(a.phi), b.first + len(b.phi))
        if stop <= low:
            return np.zeros(len(in_a))
        inner = a.phi[low - a.first : stop - a.first].T @ b.phi[low - b.first : stop - b.first]
        return np.asarray(np.einsum("ij,jk,ik->i", a.slopes[in_a], inner, b.slopes[in_b]))
    return _side_by_side(a, in_a, b, in_b)


def _side_by_side(
    a: Piece, in_a: Rows, b: Piece, in_b: Rows, root: Array | None = None, alike: float = 0.0
) -> Array:
    """Σ_ij w_i R_ij w'_j of pairs of estimates, one pair a row; weights times `root` of the samples
    if given.
    """
    if isinstance(a, OneWindow) and isinstance(b, OneWindow) and a.phi is b.phi:
        stop = a.first + len(a.phi)
        scaled = a.phi if root is None else a.phi * root[a.first : stop, None]
        inner = scaled.T @ correlated(scaled, alike)
        return np.asarray(np.einsum("ij,ij->i", a.slopes[in_a] @ inner, b.slopes[in_b]))
    found = np.empty(len(in_a))
    chunk = max(SPREAD_AT_A_TIME // (_width(a) + _width(b)), 1)
    for start in range(0, len(in_a), chunk):
        part = slice(start, start + chunk)
        (first_a, w_a), (first_b, w_b) = a.spread(in_a[part]), b.spread(in_b[part])
        begin = np.minimum(first_a, first_b)
        width = int(
            max((first_a - begin).max() + w_a.shape[1], (first_b - begin).max() + w_b.shape[1])
        )
        both = np.zeros((2, len(begin), width))
        for own, first, w in zip(both, (first_a, first_b), (w_a, w_b), strict=True):
            place = first[:, None] + np.arange(w.shape[1])
            scaled = w if root is None else w * root[place]
            np.put_along_axis(own, place - begin[:, None], scaled, axis=1)
        found[part] = np.einsum("ij,ij->i", both[0], correlated(both[1].T, alike).T)
    return found


def _width(piece: Piece) -> int:
    return len(piece.phi) if isinstance(piece, OneWindow) else piece.weights.shape[-1]


def _shared(a: Array, b: Array, away: int) -> float:
    """Σ of products of weights where the window of the second begins some samples after the
    first's.
    """
    low, stop = max(away, 0), min(len(a), away + len(b))
    return float(a[low:stop] @ b[low - away : stop - away]) if stop > low else 0.0


def identity_operator(usable: Rows, rows: Rows) -> Operator:
    """Return the operator that reads samples at some rows, shape (m,), off as they are; NaN
    where a row is not usable.
    """
    first = np.clip(np.searchsorted(usable, rows), 0, max(len(usable) - 1, 0))
    here = np.flatnonzero(usable[first] == rows) if len(usable) else np.zeros(0, dtype=np.intp)
    pieces: tuple[Piece, ...] = (SameWeights(here, first[here], np.ones(1)),) if len(here) else ()
    return Operator(usable, pieces, np.ones(len(rows)), 1.0)


def operator_of_weights(usable: Rows, weights: Array) -> Operator:
    """Return the operator with some weights on all usable samples, shape (m, len(usable))."""
    every = np.arange(len(weights))
    return Operator(
        usable,
        (OwnWeights(every, np.zeros(len(every), dtype=np.intp), weights),),
        np.ones(len(every)),
    )


def operator_of_pieces(usable: Rows, m: int, pieces: Sequence[Piece], order: int) -> Operator:
    """Return the operator of m derivatives of an order that some pieces give, on the usable
    samples, whose rows have shape (n,).
    """
    return Operator(usable, tuple(pieces), np.ones(m), 1.0 if order == 0 else 0.0)


def operator_of_slopes(usable: Rows, weights: Array, slopes: Array) -> Operator:
    """Return the operator of slope_j times one weighted sum of all usable samples; weights have
    shape (n,), slopes (m,).
    """
    norm = float(np.linalg.norm(weights))
    every = np.arange(len(slopes))
    phi = weights[:, None] / norm if norm > 0.0 else np.zeros((len(weights), 1))
    return Operator(
        usable, (OneWindow(every, 0, norm * slopes[:, None], phi),), np.ones(len(slopes))
    )
