"""What a recording in coarse steps errs by: not white noise, but a pattern that moves along with
the body.

The error of rounding, seen over many trials, is a saw-tooth of the position, smoothed by whatever
noise there is before rounding: a sum of sines of the position whose amplitudes are known (Widrow &
Kollár, *Quantization Noise*, 2008). Where within a step a body starts is chance, so sine and cosine
of each are one error each of unit size. A body that moves less than a step from sample to sample
errs alike in neighbouring samples; a fast one errs as white noise does.
"""

import numpy as np

from inertian.motion.numerics.window_selection import LONG_RECORDING
from inertian.quantities.estimates import Array

HARMONICS = 3
# Steps that a body may have moved within a window, either way, more than it seems to have
CREEPING_SPEED = 0.25
# Share of the variance of a reading below which a sine is left to the white part
NEGLIGIBLE_SHARE = 0.01


def harmonic_amplitudes(step: float, sigma: float, harmonics: int = HARMONICS) -> dict[int, float]:
    """Return the standard deviations of the sines in the error of a reading, by harmonic, in SI.

    `step` is that of the recording, `sigma` the standard deviation of a reading, both in SI. Empty
    where the noise is so large that rounding leaves no pattern. Of long recordings one harmonic
    does, which holds most of the variance.
    """
    if not step > 0.0 or not sigma > 0.0:
        return {}
    own = min(step**2 / 12.0, sigma**2)
    before = max(sigma**2 - own, 0.0)  # variance of the noise that is rounded
    squares = {
        m: own * 6.0 / (np.pi * m) ** 2 * float(np.exp(-4.0 * np.pi**2 * m**2 * before / step**2))
        for m in range(1, harmonics + 1)
    }
    return {m: float(np.sqrt(s)) for m, s in squares.items() if s > NEGLIGIBLE_SHARE * sigma**2}


def harmonic_patterns(
    position: Array, t: Array, lasting: float, step: float, sigma: float, harmonics: int = HARMONICS
) -> tuple[Array, ...]:
    """Return sine and cosine of each harmonic at the samples, (n,) each, zero where the position is
    not known (NaN).

    `position` is that of the body itself in SI, not of the rounded reading, at times t in s, shape
    (n,). Readings of a slow body do not tell its speed to better than some part of a step in the
    time they last, `lasting` in s, so half of each sine runs a little faster than the body seems
    to, half a little slower.
    """
    there = np.isfinite(position)
    steps, creep = np.nan_to_num(position) / step, CREEPING_SPEED * (t - t[0]) / lasting
    found = []
    for m, size in harmonic_amplitudes(step, sigma, harmonics).items():
        for moved in (steps - creep, steps + creep):
            phase = np.where(there, 2.0 * np.pi * m * moved, 0.0)
            half = np.where(there, size / np.sqrt(2.0), 0.0)
            found += [half * np.cos(phase), half * np.sin(phase)]
    return tuple(found)


def white_variance(step: float, sigma: float, harmonics: int = HARMONICS) -> float:
    """Return the variance of a reading that its neighbours do not share, in SI squared."""
    return max(
        sigma**2 - sum(size**2 for size in harmonic_amplitudes(step, sigma, harmonics).values()),
        0.0,
    )


def harmonics_worth(n: int) -> int:
    """Return how many harmonics a recording of n samples is worth."""
    return HARMONICS if n <= LONG_RECORDING else 1
