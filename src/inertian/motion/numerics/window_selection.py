"""How wide a window the data allow: wide where the motion is slow to change, narrow where it is
not.

A derivative of order 1 (2) is quoted from a polynomial of degree 4 (5): two more than the degree p
that a class would take, so that what a polynomial of degree p leaves out is fitted, not silently
smoothed away (bias-corrected quotation: Calonico, Cattaneo & Farrell, J. Am. Stat. Assoc. 113
(2018) 767-779). Windows of growing size are tried all over the recording (Lepski, Theory Probab.
Appl. 35 (1991) 454-466). A misfit shows in the next two orthonormal polynomials, whose coefficients
should be noise:

- up to where degree p itself shows no misfit, the quoted degree is safe;
- where the quoted degree shows a misfit at some size, a window NARROWER times smaller is safe,
because bias against u grows with a high power of the size.

The larger of the two is taken, for each sample, from all the windows that hold the sample.
"""

from dataclasses import dataclass

import numpy as np
from numpy.lib.stride_tricks import sliding_window_view

from inertian.motion.numerics.sliding_fits import basis, even_basis, even_runs
from inertian.quantities.correlation import correlated
from inertian.quantities.estimates import Array, Mask, Rows

QUOTED_DEGREE = {0: 4, 1: 4, 2: 5}  # degree of the polynomial, by order of the derivative
LEAST_WINDOW = 7  # samples in a window
LEAST_TESTED_WINDOW = 9  # samples in the smallest window that misfits are looked for in
WINDOW_GROWTH = 1.2  # from one size that is tried to the next
# Of χ² with two degrees of freedom, and twice the logarithm of the number of samples more
MISFIT = 14.0
DOUBTFUL = 9.2  # of the same: what one in a hundred exceeds by chance
CONFIRMED = 2  # sizes that have to agree with a misfit
# Than the window at which the quoted degree shows a misfit, by order
SAFETY_FACTOR = {0: 1.7, 1: 1.7, 2: 1.65}
# Samples a window that is more than twice as wide is condensed to, where spacing is uneven
BLOCKS = 128
OVERLAP = 8  # windows tried per window length
# Samples above which one window serves a whole segment, chosen on this many
LONG_RECORDING = 20_000
ROUNDING = 1e-13  # of the largest position: noise below that is rounding
HIGHEST_TESTED_DEGREE = 7  # degree of the last polynomial whose coefficient is looked at


@dataclass(frozen=True, eq=False)
class Misfits:
    """Where polynomials in windows of one size misfit: the first sample of each window, and flags
    by degree, (k,).

    `doubtful` are windows that may misfit: one in a hundred that do not.
    """

    size: int
    first: Rows
    wrong: dict[int, Mask]
    doubtful: dict[int, Mask]

    def of(self, rows: slice | Mask, start: int = 0) -> "Misfits":
        """Return some of the windows, counted from sample `start`."""
        wrong, doubtful = (
            {p: w[rows] for p, w in flags.items()} for flags in (self.wrong, self.doubtful)
        )
        return Misfits(self.size, self.first[rows] - start, wrong, doubtful)

    def within(self, start: int, stop: int) -> "Misfits":
        """Return the windows that lie in samples start … stop − 1, counted from there."""
        return self.of(slice(*np.searchsorted(self.first, (start, stop - self.size + 1))), start)

    def seen(self, degree: int, n: int) -> Mask:
        """Return which of n samples lie in a window that misfits, shape (n,); (1,) where one window
        serves all.
        """
        if n > LONG_RECORDING:
            return np.array([bool(self.wrong[degree].any())])
        return _covered(self.first[self.wrong[degree]], self.size, n)


def candidate_sizes(n: int) -> list[int]:
    """Return sizes of windows, odd except for the whole of n samples, each about GROWTH times the
    one before.

    In long segments steps are twice as large, and no window is wider than LONG.
    """
    if n > LONG_RECORDING:
        return [size for size in candidate_sizes(LONG_RECORDING)[::2] if size % 2]
    found: list[int] = []
    size = float(LEAST_TESTED_WINDOW)
    while size < n / np.sqrt(WINDOW_GROWTH):
        odd = 2 * int(size / 2.0) + 1
        if not found or odd > found[-1]:
            found.append(odd)
        size = max(size * WINDOW_GROWTH, odd + 2.0)
    return [*found, n] if n >= LEAST_TESTED_WINDOW else []


@dataclass(frozen=True, eq=False)
class TriedWindows:
    """Windows of one size, tried all over a recording: coefficients in polynomials of their own,
    whatever the noise.

    `first` is the first sample of each window, (k,); `phi`, (w, TOP + 1), polynomials that stand
    for all of them; `coefficients` are (k, TOP + 1). Each of the w samples is the mean of `held`.
    `n` is the length of the recording, `least` what noise cannot be below.
    """

    size: int
    first: Rows
    phi: Array
    coefficients: Array
    held: int
    n: int
    least: float

    def misfits(
        self, sigma: float, correlation: float = 0.0, share: Array | None = None
    ) -> Misfits:
        """Return where they misfit, for readings of standard deviation σ with errors correlated as
        ρ^k.

        `share` is the variance of each reading over σ², shape (n,); the mean of a window counts in
        it.
        """
        sigma = max(sigma, self.least)
        if self.held > 1:  # means of so many correlated readings
            spread = np.sqrt((1.0 + correlation) / (1.0 - correlation) / self.held) * np.ones(
                HIGHEST_TESTED_DEGREE + 1
            )
        else:
            spread = np.sqrt(np.einsum("ij,ij->j", self.phi, correlated(self.phi, correlation)))
        chi = (self.coefficients / (spread * sigma)) ** 2
        if share is not None:
            sums = np.concatenate([[0.0], np.cumsum(share)])
            mean = (sums[self.first + self.size] - sums[self.first]) / self.size
            chi /= np.maximum(mean, np.finfo(float).tiny)[:, None]
        much = MISFIT + 2.0 * np.log(self.n)
        both = {p: chi[:, p + 1] + chi[:, p + 2] for p in range(2, HIGHEST_TESTED_DEGREE - 1)}
        return Misfits(
            self.size,
            self.first,
            {p: c > much for p, c in both.items()},
            {p: c > DOUBTFUL for p, c in both.items()},
        )


def misfits(
    t: Array, x: Array, sigma: float, correlation: float = 0.0, share: Array | None = None
) -> list[Misfits]:
    """Return where windows of growing size misfit; t and x of shape (n,), nothing missing.

    `sigma` is the standard deviation of a reading, `share` the variance of each over σ², if they
    differ; errors k samples apart have the correlation ρ^k.
    """
    return [one.misfits(sigma, correlation, share) for one in tried_windows(t, x)]


def tried_windows(t: Array, x: Array) -> list[TriedWindows]:
    """Return windows of growing size on a recording; t in s and x in SI of shape (n,), nothing
    missing.
    """
    n = len(t)
    even = even_runs(t, n // 2) == [(0, n)]
    least = max(ROUNDING * float(np.abs(x).max(initial=0.0)), np.finfo(float).tiny)
    sizes = candidate_sizes(n)
    held = [1 if even or size < 2 * BLOCKS else size // BLOCKS for size in sizes]
    return [_of_size(t, x, size, even, many, least) for size, many in zip(sizes, held, strict=True)]


def _of_size(t: Array, x: Array, size: int, even: bool, held: int, least: float) -> TriedWindows:
    """Windows of one size; wide ones at uneven spacing on means over `held` samples: polynomials
    hardly bend in one.
    """
    whole = len(t) // held * held
    if held > 1:
        t_of, x_of = (a[:whole].reshape(-1, held).mean(axis=1) for a in (t, x))
    else:
        t_of, x_of = t, x
    n, w = len(t_of), size // held
    most = max(LONG_RECORDING * (OVERLAP if len(t) <= LONG_RECORDING else 1) // (w * held), 8)
    step = max(w // OVERLAP, -(-(n - w) // most), 1)
    first = np.unique(np.append(np.arange(0, n - w + 1, step), n - w))
    windows = sliding_window_view(x_of, w)[first]
    windows = windows - windows.mean(axis=1, keepdims=True)
    if even:
        phi = even_basis(w, HIGHEST_TESTED_DEGREE, 0).phi
        coefficients = windows @ phi
    else:
        phi, coefficients = _uneven(t_of, windows, first, w)
    first = first * held
    first[-1] += len(t) - whole  # the last stands for what is left over as well
    return TriedWindows(w * held, first, phi, coefficients, held, len(t), least)


def _uneven(t: Array, windows: Array, first: Rows, size: int) -> tuple[Array, Array]:
    """Coefficients of the windows in polynomials of their own, and one basis that stands for
    all.
    """
    ts = sliding_window_view(t, size)[first]
    z = 2.0 * (ts - ts[:, :1]) / np.ptp(ts, axis=1, keepdims=True) - 1.0
    coefficients = np.empty((len(first), HIGHEST_TESTED_DEGREE + 1))
    for rows in np.array_split(np.arange(len(first)), max(len(first) * size // 100_000, 1)):
        phi = np.linalg.qr(np.polynomial.legendre.legvander(z[rows], HIGHEST_TESTED_DEGREE))[0]
        coefficients[rows] = np.einsum("iw,iwk->ik", windows[rows], phi)
    middle = t[first[len(first) // 2] :][:size]
    return basis(middle, middle, HIGHEST_TESTED_DEGREE, 0).phi, coefficients


def _covered(first: Rows, size: int, n: int) -> Mask:
    """Which of n samples lie in a window that begins at one of some rows."""
    ends = np.zeros(n + 1)
    np.add.at(ends, first, 1.0)
    np.add.at(ends, first + size, -1.0)
    return np.asarray(np.cumsum(ends[:-1]) > 0.5)


def selected_windows(order: int, tried: list[Misfits], n: int) -> Rows:
    """Return the size of the window for a derivative at each of n samples, shape (n,), from where
    windows misfit.
    """
    if not tried:
        return np.full(n, n)
    last = n if n <= LONG_RECORDING else tried[-1].size
    sizes = np.array([m.size for m in tried] + [int(last * WINDOW_GROWTH)])
    plain = _first_misfit(tried, QUOTED_DEGREE[order] - 2, n)
    quoted = _first_misfit(tried, QUOTED_DEGREE[order], n)
    narrower = (sizes[quoted] / SAFETY_FACTOR[order]).astype(np.intp) // 2 * 2 + 1
    chosen = np.where(plain == len(tried), last, np.maximum(narrower, LEAST_WINDOW))
    if n <= LONG_RECORDING and order == 2 and not tried[-1].doubtful[QUOTED_DEGREE[order]].any():
        chosen = np.where(quoted == len(tried), n, chosen)
    return np.asarray(np.broadcast_to(np.minimum(chosen, n), (n,)), dtype=np.intp)


def _first_misfit(tried: list[Misfits], degree: int, n: int) -> Rows:
    """Which size is the first that misfits around each sample, one more than the last if none.

    A misfit that the next sizes do not confirm is taken as chance.
    """
    flags = np.array([m.seen(degree, n) for m in tried])
    for _ in range(CONFIRMED):
        flags[:-1] &= flags[1:]
    return np.asarray(np.where(flags.any(axis=0), flags.argmax(axis=0), len(tried)), dtype=np.intp)
