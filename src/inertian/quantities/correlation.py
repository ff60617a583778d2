"""Errors that resemble those of their neighbours, and the long convolutions they need.

scipy.signal has such convolutions, equally fast, but its import alone takes over a second, which
the first trial on the bench would wait for.
"""

from functools import lru_cache

import numpy as np
from numpy.typing import NDArray

Array = NDArray[np.float64]
# From how many pieces on, and of what length, a long convolution is cut up
PIECES, PIECE = (4, 8_192)


def correlated(columns: Array, correlation: float) -> Array:
    """Return R·columns for R_ij = ρ^|i−j|, |ρ| < 1, as a convolution; columns in any unit, of
    shape (w, …).
    """
    if not correlation:
        return columns
    n = len(columns)
    kernel = correlation ** np.arange(n, dtype=float)
    found = convolved(columns, np.concatenate([kernel[:0:-1], kernel]))
    return found[n - 1 : 2 * n - 1]


def convolved(x: Array, kernel: Array) -> Array:
    """Return the full convolution along the first axis, in the product of the units, through
    Fourier space; shape (n + k − 1, …).
    """
    whole = len(x) + len(kernel) - 1
    if x.ndim == 1 and len(x) > PIECES * max(len(kernel), PIECE // 4):
        return _in_pieces(x, kernel)[:whole]
    size = _smooth(whole)
    spread = np.fft.rfft(kernel, size).reshape(-1, *[1] * (x.ndim - 1))
    return np.asarray(np.fft.irfft(np.fft.rfft(x, size, axis=0) * spread, size, axis=0)[:whole])


def _in_pieces(x: Array, kernel: Array) -> Array:
    """A long convolution in pieces that stay in the processor's cache, laid over one another
    (overlap-add).
    """
    size = _smooth(max(4 * len(kernel), PIECE))
    step = size - len(kernel) + 1
    count = -(-len(x) // step)
    padded = np.zeros(count * step)
    padded[: len(x)] = x
    found = np.fft.irfft(
        np.fft.rfft(padded.reshape(count, step), size, axis=1) * np.fft.rfft(kernel, size),
        size,
        axis=1,
    )
    whole = np.zeros((count + 1) * step)
    whole[: count * step] = found[:, :step].ravel()
    tail = size - step
    whole[step:].reshape(count, step)[:, :tail] += found[:, step:]
    return whole


@lru_cache(maxsize=400)
def _smooth(n: int) -> int:
    """The least number from n on that is a product of small primes: transforms of such a length are
    fast.
    """
    found = 1 << (n - 1).bit_length()
    for small in (3, 5, 9, 15, 25, 27, 45, 75, 81, 125, 135, 225, 243, 375, 405, 625):
        found = min(found, small << max((-(-n // small) - 1).bit_length(), 0))
    return found
