"""Velocity and acceleration of one stretch by local polynomials in windows that the data choose, or
by hand.

The uncertainty of each holds what the quoted polynomial may leave out: the next two degrees, in a
window WIDER times larger, say how much that is, less what noise alone would make of it (JCGM
100:2008, 4.3).
"""

from collections.abc import Sequence
from dataclasses import dataclass

import numpy as np

from inertian.motion.noise.local_noise import LocalNoise
from inertian.motion.numerics.local_polynomials import local_operator
from inertian.motion.numerics.sliding_fits import (
    DerivativeRequest,
    equal_window_runs,
    sliding_estimates,
)
from inertian.motion.numerics.window_selection import (
    LEAST_TESTED_WINDOW,
    LONG_RECORDING,
    QUOTED_DEGREE,
    Misfits,
    selected_windows,
)
from inertian.quantities.errors import InertianError, Refusal
from inertian.quantities.estimates import Array, Rows
from inertian.quantities.facts import parse_positive
from inertian.quantities.units import unit_of

# Times the window, in which the next two degrees tell what the quoted one leaves out
MISFIT_WINDOW_FACTOR = 1.4
# Power of the size with which that is carried down to the window itself, by order
BIAS_POWER = {0: 4, 1: 3, 2: 2}
# Variances of noise alone that are taken off, by order
NOISE_VARIANCES_TAKEN_OFF = {0: 1.0, 1: 1.0, 2: 2.0}
ENOUGH_DOF = 10.0  # degrees of freedom of σ from which few samples are enough to tell a misfit by
BIAS_ALLOWANCE = 1.3  # times what it changes: it leaves out something itself
# Ratio of mean squares, with one degree of freedom, that chance hardly ever reaches
MISFIT_RATIO = 100.0
FEW_WINDOWS = 9  # windows in a stretch, or samples in a window, by which a speed is told roughly
PLACE_SAMPLES, PLACES = 600, 8  # samples in a place that long stretches are looked at, and how many
NARROWEST_WINDOW = {0: 3, 1: 3, 2: 4}  # samples in a window by hand


@dataclass(frozen=True)
class WindowRequest:
    """A window by hand: so many samples, or so many seconds at the usual step of the trial. By the
    data if neither.
    """

    samples: int | None = None
    seconds: float | None = None

    def odd(self, step: float, order: int) -> int | None:
        """Return the window in samples, odd, or None for one by the data; step in s."""
        if self.samples is None and self.seconds is None:
            return None
        wanted = self.samples if self.samples is not None else round((self.seconds or 0.0) / step)
        return max(int(wanted) // 2 * 2 + 1, NARROWEST_WINDOW[order] // 2 * 2 + 1)


BY_DATA = WindowRequest()
MOST_WINDOW_DIGITS = 9  # of a number of samples


def parse_window(text: str) -> WindowRequest:
    """Read what was typed for the window: "0.2 s", "200 ms", "15" or "15 samples". Raises
    Refusal or UnitError.
    """
    plain = text.strip().lower()
    if plain in ("", "auto"):
        return WindowRequest()
    number = plain.removesuffix("samples").strip()
    if number.isdecimal():
        if len(number) > MOST_WINDOW_DIGITS:
            raise Refusal(f"“{number[:20]}”: no recording has so many samples.")
        if int(number) < 3:
            raise Refusal(f"“{text}”: a window needs at least 3 samples.")
        return WindowRequest(samples=int(number))
    try:
        return WindowRequest(seconds=parse_positive(text, "time", unit_of("time", "s")).si)
    except InertianError:
        raise Refusal(
            f"“{text.strip()[:40]}” is not a window. Write a time or a number of samples: 0.2 s, "
            "15 samples."
        ) from None


def window_sizes(
    t: Array, tried: list[Misfits], window: WindowRequest = BY_DATA
) -> dict[int, Rows]:
    """Return how many samples of one stretch each estimate is to be made of, by order, shape (n,)
    each.
    """
    n = len(t)
    step = float(np.median(np.diff(t))) if n > 1 else 1.0
    by_hand = {order: window.odd(step, order) for order in QUOTED_DEGREE}
    return {
        order: selected_windows(order, tried, n) if size is None else np.full(n, min(size, n))
        for order, size in by_hand.items()
    }


def noise_in_windows(
    t: Array, x: Array, noise: LocalNoise, share: Array | None = None
) -> tuple[float, float, Array | None]:
    """Return σ, ρ and the variance of each reading over σ², (n,), by which windows are chosen; None
    if all are alike.

    Errors of the time stamps grow with the speed, for which that of a coarse local parabola does. t
    and x have shape (n,).
    """
    n = len(t)
    if noise.stamp == 0.0 or n < FEW_WINDOWS:
        return noise.sigma, noise.correlation, share
    speed = np.nan_to_num(
        sliding_estimates(t, x, max(n // FEW_WINDOWS, FEW_WINDOWS) | 1, [(1, 2)])[0][0]
    )
    variance = noise.sigma**2 * (1.0 if share is None else share) + (noise.stamp * speed) ** 2
    sigma = float(np.sqrt(variance.mean()))
    return sigma, noise.correlation, variance / sigma**2


def sliding_with_sizes(
    t: Array,
    x: Array,
    sizes: Rows,
    requests: Sequence[DerivativeRequest],
    correlation: float = 0.0,
    rows: tuple[int, int] | None = None,
) -> list[tuple[Array, Array]]:
    """As `sliding_estimates`, with a window of its own for each sample; only what a run of equal
    windows needs is worked out.

    t in s, x in SI, `sizes` in samples and the results have shape (n,); NaN at samples outside of
    rows start … stop − 1, if these are given.
    """
    n = len(t)
    found = [(np.full(n, np.nan), np.full(n, np.nan)) for _ in requests]
    for start, stop, size in equal_window_runs(sizes, rows or (0, n)):
        low, high = max(start - size, 0), min(stop + size, n)
        if high - low < size:
            low, high = 0, n
        own = sliding_estimates(
            t[low:high], x[low:high], size, requests, correlation, (start - low, stop - low)
        )
        for (value, norm), (part, own_norm) in zip(found, own, strict=True):
            value[start:stop] = part[start - low : stop - low]
            norm[start:stop] = own_norm[start - low : stop - low]
    return found


def possible_bias(
    t: Array, x: Array, order: int, sizes: Rows, noise: LocalNoise, share: Array | None = None
) -> Array:
    """Return what the quoted degree may leave out at each sample of a stretch, with its sign, less
    what is noise; (n,).

    `share` is the variance of each reading over σ², where they differ; shape (n,). Zero for
    positions and velocities where all samples of the stretch were used, and were enough to see a
    misfit by. In long stretches it is looked at in some places only, and has no sign.
    """
    n = len(t)
    if n <= np.min(sizes, initial=n) and n >= LEAST_TESTED_WINDOW and order < 2:
        return np.zeros(n)
    if 0 < n < LEAST_TESTED_WINDOW and noise.dof < ENOUGH_DOF:
        return _left_out_of_few(t, x, order)
    if n <= LONG_RECORDING:
        return _left_out_here(t, x, order, sizes, noise, share=share)
    half = half_place(sizes)
    places = np.linspace(half, n - half, PLACES).astype(int)
    parts = [slice(max(p - half, 0), min(p + half, n)) for p in places]
    found = [mean_square_bias(t[p], x[p], order, sizes[p], noise) for p in parts]
    if max(found) <= 1e-3 * noise.sigma**2 / np.ptp(t) ** 2:
        return np.zeros(n)
    return np.asarray(np.sqrt(np.interp(np.arange(n), places, found)))


def _left_out_of_few(t: Array, x: Array, order: int) -> Array:
    """As `possible_bias` where there are too few samples to tell misfit and noise apart: their σ
    may be mostly misfit.

    What a polynomial of the highest degree that leaves anything over changes, counts as far as its
    residuals are smaller than those of the quoted degree beyond chance (an F ratio far above one).
    """
    n, degree = len(t), QUOTED_DEGREE[order]
    if n - 2 <= degree:
        return np.zeros(n)
    requests: list[DerivativeRequest] = [(0, degree), (0, n - 2), (order, degree), (order, n - 2)]
    (plain, _), (close, _), (lower, _), (higher, _) = sliding_estimates(t, x, n, requests)
    left, more = float(np.sum((x - plain) ** 2)), float(np.sum((x - close) ** 2))
    ratio = (left - more) / (n - 2 - degree) / max(more, np.finfo(float).tiny)
    share = np.sqrt(max(ratio, 0.0) / (max(ratio, 0.0) + MISFIT_RATIO))
    return np.asarray(BIAS_ALLOWANCE * share * (lower - higher))


def mean_over_windows(values: Array, sizes: Rows) -> Array:
    """Return the mean of values over the window of each sample, (n,); at the ends windows keep
    their samples.
    """
    n = len(values)
    first = np.clip(np.arange(n) - sizes // 2, 0, np.maximum(n - sizes, 0))
    sums = np.concatenate([[0.0], np.cumsum(values)])
    return np.asarray((sums[np.minimum(first + sizes, n)] - sums[first]) / np.minimum(sizes, n))


def window_duration(t: Array, sizes: Rows) -> float:
    """Return how long the usual window of a stretch lasts, in s; t in s and sizes in samples,
    (n,).
    """
    return float(np.ptp(t)) * min(float(np.median(sizes)) / max(len(t), 1), 1.0)


def half_place(sizes: Rows) -> int:
    """Return how many samples on either side of a place of a long stretch are looked at; sizes
    of windows in samples, (n,).
    """
    return max(int(sizes.max()), PLACE_SAMPLES // 2)


def mean_square_bias(t: Array, x: Array, order: int, sizes: Rows, noise: LocalNoise) -> float:
    """Return the mean square of what fits may leave out in the middle of a place of a long
    stretch, in SI squared; t in s, x in SI and sizes in samples of shape (n,).
    """
    n = len(t)
    reach = min(n // 4, PLACE_SAMPLES // 4)
    inner = (n // 2 - reach, n // 2 + reach)
    return (
        float(np.mean(_left_out_here(t, x, order, sizes, noise, inner)[slice(*inner)] ** 2))
        if n
        else 0.0
    )


def _unlike(t: Array, sizes: Rows, order: int, share: Array) -> Array:
    """Σ (w − w')² share of the weights of the quoted degree and those of two degrees more, shape
    (n,).
    """
    every, degree = np.arange(len(t), dtype=np.intp), QUOTED_DEGREE[order]
    plain, more = (local_operator(t, every, t, (), order, sizes, p) for p in (degree, degree + 2))
    shared = plain.product_under(more, share, 0.0)
    return plain.norm_under(share) ** 2 + more.norm_under(share) ** 2 - 2.0 * shared


def _left_out_here(
    t: Array,
    x: Array,
    order: int,
    sizes: Rows,
    noise: LocalNoise,
    rows: tuple[int, int] | None = None,
    share: Array | None = None,
) -> Array:
    n, degree = len(t), QUOTED_DEGREE[order]
    wider = np.maximum((sizes * MISFIT_WINDOW_FACTOR).astype(np.intp), degree + 5) // 2 * 2 + 1
    wider = np.minimum(wider, n)
    both: list[DerivativeRequest] = [(order, degree), (order, degree + 2)]
    (lower, less), (higher, more) = sliding_with_sizes(t, x, wider, both, noise.correlation, rows)
    with np.errstate(invalid="ignore"):
        by_chance = more**2 - less**2 if share is None else _unlike(t, wider, order, share)
        squares = (lower - higher) ** 2 - NOISE_VARIANCES_TAKEN_OFF[
            order
        ] * noise.sigma**2 * np.maximum(by_chance, 0.0)
    faded = (
        np.sqrt(np.maximum(squares, 0.0))
        * np.sign(lower - higher)
        * (sizes / wider) ** BIAS_POWER[order]
    )
    told = (sizes < n) | (n < LEAST_TESTED_WINDOW) | (order == 2)
    return np.where(told & np.isfinite(faded), faded, 0.0)
