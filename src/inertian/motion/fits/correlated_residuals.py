"""Whether the residuals of free motion resemble their neighbours', and what that makes of σ.

ρ of neighbouring errors is judged by the restricted likelihood of all fits together, each with a
curvature of its own, and averaged over as far as it is probable (Patterson & Thompson, Biometrika
58 (1971) 545-554; Box, Jenkins & Reinsel, *Time Series Analysis*, 4th ed., 2008, 3.2).
"""

from collections.abc import Sequence
from dataclasses import dataclass
from weakref import WeakKeyDictionary

import numpy as np

from inertian.motion.fits.free_motion import BodyFit
from inertian.motion.smoothing.smooth_motion import CORRELATIONS, shares
from inertian.motion.smoothing.spline_space import whitened
from inertian.quantities.estimates import Array

# Normal deviate from which a correlation is reckoned with: it then gains more than it costs
# (Akaike, IEEE Trans. Autom. Control 19 (1974) 716-723)
COUNTED = 2.0**0.5
MOST_SAMPLES = 5_000  # of one fit, that are looked at
LEAST_DOF = 10  # of all fits together
CURVED = 3  # parameters of a parabola


@dataclass(frozen=True)
class Correlation:
    """ρ of the errors of neighbouring readings, 0 where it is not noticed, and σ² with it over σ²
    without.
    """

    rho: float = 0.0
    ratio: float = 1.0


NOT_NOTICED = Correlation()


def correlation_of(fits: Sequence[BodyFit]) -> Correlation:
    """Return the correlation of readings that the residuals of some fits show together."""
    return _together([one for fit in fits for one in _known(fit)])


def correlation_about(residuals: Array, slopes: Array) -> Correlation:
    """Return the correlation that residuals of a curve show, (n,) in SI, with its slopes by
    parameters that were free, (p, n).
    """
    if len(residuals) <= len(slopes):
        return NOT_NOTICED
    return _together([_likelihoods(residuals, slopes.T)])


def _together(found: Sequence["_Likelihoods"]) -> Correlation:
    dof = sum(one.dof for one in found)
    if dof < LEAST_DOF:
        return NOT_NOTICED
    squares = np.sum([one.squares for one in found], axis=0)
    if not np.all(squares > 0.0):
        return NOT_NOTICED
    logs = -0.5 * dof * np.log(squares) - 0.5 * np.sum([one.log_volume for one in found], axis=0)
    if np.sqrt(2.0 * max(float(logs.max() - logs[0]), 0.0)) < COUNTED:
        return NOT_NOTICED
    probable = shares(list(logs))
    return Correlation(
        float(probable @ np.array(CORRELATIONS)), float(probable @ squares / squares[0])
    )


@dataclass(frozen=True, eq=False)
class _Likelihoods:
    """Of one channel of one fit, for each ρ, (g,): sums of squares of white residuals in m², and ln
    of the volume of errors times that of parameters.
    """

    squares: Array
    log_volume: Array
    dof: int


_KNOWN: WeakKeyDictionary[BodyFit, list[_Likelihoods]] = WeakKeyDictionary()


def _known(fit: BodyFit) -> list[_Likelihoods]:
    """What a fit says, worked out once: of a series, one fit changes while its span is moved."""
    if fit not in _KNOWN:
        _KNOWN[fit] = _of_channels(fit)
    return _KNOWN[fit]


def _of_channels(fit: BodyFit) -> list[_Likelihoods]:
    """What each channel says; nothing of samples that stand for many, and of those that do not
    tell the noise.
    """
    found = []
    for axis, own in fit.fits.items():
        channel = fit.trial.body(fit.body).channel(axis)
        rows = np.flatnonzero(own.root > 0.0)
        alone = len(rows) <= MOST_SAMPLES and own.root.max(initial=0.0) <= 1.0
        if len(rows) > CURVED and alone and fit.trial.tells_noise(channel):
            design = np.vander(own.tau[rows], CURVED, increasing=True)
            found.append(_likelihoods(own.x[rows], design))
    return found


def _likelihoods(values: Array, design: Array) -> _Likelihoods:
    """What values (n,) say, about all combinations of the columns of a design (n, p)."""
    squares, volume = [], []
    n, size = design.shape
    for rho in CORRELATIONS:
        q, r = np.linalg.qr(whitened(design, rho, None))
        y = whitened(values, rho, None)
        left = y - q @ (q.T @ y)
        squares.append(float(left @ left))
        scale = np.maximum(np.abs(np.diag(r)), np.finfo(float).tiny)
        volume.append((n - 1) * float(np.log1p(-(rho**2))) + 2.0 * float(np.log(scale).sum()))
    return _Likelihoods(np.array(squares), np.array(volume), n - size)
