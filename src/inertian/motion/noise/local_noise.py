"""The noise of readings, from what local fits leave over: its size, how well that is known, and
whether it is white.

Residuals of a local fit are combinations of neighbouring errors, r = (1 − H)ε, so their squares and
their products from one sample to the next have expectations that are known for white errors and for
errors correlated as ρ^k (AR(1): Box, Jenkins & Reinsel, *Time Series Analysis*, 4th ed., 2008,
3.2). Both are matched to what is found: this undoes what the fit itself takes away. For what a
recording in coarse steps errs by, see `rounding`.
"""

from collections.abc import Sequence
from dataclasses import dataclass, replace
from functools import cached_property, lru_cache

import numpy as np

from inertian.motion.noise.reading_noise import component_variances
from inertian.motion.noise.stated_noise import (
    SCATTER_USED,
    STEP_USED,
    contradicted,
    least_noise,
)
from inertian.motion.numerics.outliers import MEDIAN_TO_SIGMA, robust_scatter
from inertian.motion.numerics.sliding_fits import degree_for, even_basis, sliding_estimates
from inertian.motion.numerics.window_selection import (
    QUOTED_DEGREE,
    TriedWindows,
    selected_windows,
    tried_windows,
)
from inertian.quantities.correlation import correlated
from inertian.quantities.estimates import Array, Mask

# Samples that noise is judged by, in pieces of so many
MOST_SAMPLES_WATCHED, PIECE_SAMPLES = (6_000, 1_000)
WIDEST_WINDOW = 101  # samples in a window for residuals
# Samples in the stretch that stands for all when expectations are worked out
REPRESENTATIVE_SAMPLES = 240
CORRELATION_GRID = np.concatenate([np.linspace(-0.6, 0.9, 16), [0.95, 0.98]])  # values of ρ
# Normal deviates from which a correlation is reckoned with, and from which it is said
COUNTED, NOTICED = (0.8, 2.0)
GLARING_SIGMAS = 5.0  # robust σ beyond which a residual is no part of the noise
JITTER_Z = 3.0  # of its own u that a variance of time stamps must be
SPEED_GROUPS = 12
ROUNDS, SETTLED = 4, 0.03
# Ρ that is assumed at first: windows then begin wide enough for residuals to show it
STARTING_CORRELATION = 0.6
CORRELATED_REMARK = "neighbouring readings err alike; the uncertainties reckon with it"
# Degrees of freedom of one body in one trial above which others have nothing to add
ENOUGH_DOF = 30.0
# Normal deviates by which the variances of two recordings of one instrument may differ
POOLING_LIMITS = 2.0


@dataclass(frozen=True)
class LocalNoise:
    """The noise of a body's readings: σ in SI, ρ from one to the next, ν of σ², and σ of a time
    stamp in s.

    σ is NaN where there are too few samples to tell.

    `step` is the step of the recording in SI. `remark` says in words what a person should know.
    """

    sigma: float
    correlation: float
    dof: float
    stamp: float
    step: float
    given: bool = False
    remark: str = ""
    # By how many normal deviates neighbouring residuals resemble each other more than white ones
    alike: float = 0.0


@dataclass(frozen=True, eq=False)
class NoiseSegment:
    """Samples of one channel of one body that a local fit may span: t in s and x in SI, shape (n,),
    nothing missing.
    """

    t: Array
    x: Array

    @cached_property
    def tried(self) -> list[TriedWindows]:
        """Windows of growing size on it, whatever the noise."""
        return tried_windows(self.t, self.x)


@dataclass(frozen=True, eq=False)
class _Residuals:
    """What local fits leave: residuals r, the share 1 − h of σ² that each has, speeds squared, and
    the window.
    """

    r: Array
    share: Array
    speed2: Array
    window: int


def pieces_of(
    segments: Sequence[NoiseSegment], watched: int = MOST_SAMPLES_WATCHED
) -> list[NoiseSegment]:
    """Return the stretches that noise is judged by: all of them, or pieces spread over long ones.

    No more than about `watched` samples are looked at.
    """
    piece = min(PIECE_SAMPLES, watched // 4)
    found, total = [], sum(len(s.t) for s in segments)
    for one in segments:
        n = len(one.t)
        if total <= watched or n <= piece:
            found.append(one)
            continue
        count = max(int(watched / piece * n / total), 1)
        starts = np.linspace(0, n - piece, count).astype(int)
        found += [NoiseSegment(one.t[s : s + piece], one.x[s : s + piece]) for s in starts]
    return [one for one in found if len(one.t) >= 3]


def first_guess(segments: Sequence[NoiseSegment], step: float) -> float:
    """Return a robust σ of readings from neighbouring samples, in SI; never below the step of the
    recording /√12.
    """
    sizes = [(robust_scatter(s.t, s.x), len(s.t)) for s in segments]
    squares = sum(sigma**2 * n for sigma, n in sizes)
    total = sum(n for _, n in sizes)
    top = max((float(np.abs(s.x).max()) for s in segments), default=1.0)
    return float(max(np.sqrt(squares / max(total, 1)), least_noise(step), 1e-12 * top, 1e-300))


def noise_of_segments(
    bodies: Sequence[Sequence[NoiseSegment]],
    steps: Sequence[float],
    watched: int = MOST_SAMPLES_WATCHED,
) -> list[LocalNoise]:
    """Return the noise of each body of a trial from its stretches; `steps` are those of the
    recording in SI.

    Bodies recorded in the same steps share one σ where one has too few samples to tell. Time jitter
    is shared by all.
    """
    looked_at = [pieces_of(segments, watched) for segments in bodies]
    left, guesses = [], []
    for pieces, step in zip(looked_at, steps, strict=True):
        guess = LocalNoise(first_guess(pieces, step), STARTING_CORRELATION, 0.0, 0.0, step)
        residuals: list[_Residuals] = []
        for _ in range(ROUNDS):
            residuals = [_residuals_of(piece, guess) for piece in pieces]
            better = _matched_moments(residuals, step)
            if not better.dof:
                guess = better
                break
            changes = better.sigma / guess.sigma - 1.0, better.correlation - guess.correlation
            settled = max(abs(c) for c in changes) < SETTLED
            guess = better
            if settled:
                break
        left.append(residuals)
        guesses.append(guess)
    return _with_jitter([_pooled(k, guesses, left) for k in range(len(bodies))], left)


def _pooled(
    k: int, guesses: Sequence[LocalNoise], left: Sequence[Sequence[_Residuals]], few: float = 10.0
) -> LocalNoise:
    own = guesses[k]
    if own.dof >= few:
        return own
    alike = [
        r
        for g, residuals in zip(guesses, left, strict=True)
        if g.step == own.step
        for r in residuals
    ]
    return _matched_moments(alike, own.step)


def _residuals_of(piece: NoiseSegment, noise: LocalNoise) -> _Residuals:
    n = len(piece.t)
    tried = [one.misfits(noise.sigma, noise.correlation) for one in piece.tried]
    sizes = selected_windows(0, tried, n)
    window = int(np.median(sizes))
    window = window if window == n <= REPRESENTATIVE_SAMPLES else min(window, WIDEST_WINDOW, n)
    r, share, speed = np.empty(n), np.empty(n), np.empty(n)
    sizes = np.minimum(sizes, window)
    for size in np.unique(sizes):
        (value, norm), (slope, _) = sliding_estimates(
            piece.t, piece.x, int(size), [(0, QUOTED_DEGREE[0]), (1, QUOTED_DEGREE[1])]
        )
        rows = sizes == size
        r[rows], share[rows], speed[rows] = (
            piece.x[rows] - value[rows],
            1.0 - norm[rows] ** 2,
            slope[rows],
        )
    return _Residuals(r, np.maximum(share, 1e-12), speed**2, window)


@lru_cache(maxsize=200)
def _expected(n: int, window: int) -> tuple[Array, Array, float]:
    """E r² and E r_i r_{i+1} for σ = 1, over ρ in GRID, as means over a stretch, and ν of Σr² per
    sample.

    Beyond LONGEST samples, or windows of a third of that, a shorter stretch stands for all.
    """
    n = min(n, REPRESENTATIVE_SAMPLES)
    window = min(window, n) if window >= n else min(window, REPRESENTATIVE_SAMPLES // 3)
    residual = np.eye(n)
    half = window // 2
    own = even_basis(window, degree_for(window, QUOTED_DEGREE[0]), 0)
    hat = own.slopes @ own.phi.T
    for i in range(n):
        first = min(max(i - half, 0), n - window)
        residual[i, first : first + window] -= hat[i - first]
    squares, products = [], []
    for rho in CORRELATION_GRID:
        covariance = residual @ correlated(residual.T, float(rho))
        squares.append(float(np.trace(covariance)) / n)
        products.append(float(np.trace(covariance, 1)) / max(n - 1, 1))
    white = residual @ residual.T
    nu = float(np.trace(white)) ** 2 / float(np.sum(white * white)) / n
    return np.array(squares), np.array(products), nu


def _matched_moments(left: Sequence[_Residuals], step: float) -> LocalNoise:
    """σ and ρ whose expected squares and products are those found."""
    floor = least_noise(step) ** 2
    squares = products = share = freedom = 0.0
    expected0, expected1, white1 = (
        np.zeros(len(CORRELATION_GRID)),
        np.zeros(len(CORRELATION_GRID)),
        0.0,
    )
    at_zero = int(np.argmin(np.abs(CORRELATION_GRID)))
    for one in left:
        good = _plausible(one)
        r, n = np.where(good, one.r, 0.0), len(one.r)
        squares += float(r @ r)
        products += float(r[1:] @ r[:-1])
        share += float(one.share[good].sum())
        e0, e1, nu = _expected(n, one.window)
        expected0, expected1 = expected0 + n * e0, expected1 + (n - 1) * e1
        white1 += (n - 1) * e1[at_zero]
        freedom += nu * n
    if share <= 1e-9 or freedom <= 0.0:
        return LocalNoise(floor**0.5 or float("nan"), 0.0, 0.0, 0.0, step)
    correlation, factor, alike = 0.0, 1.0, 0.0
    if squares > 0.0:
        found, white = products / squares, white1 / expected0[at_zero]
        alike = float((found - white) * np.sqrt(freedom))
        if alike > COUNTED and squares / share > floor:
            correlation = float(np.interp(found, expected1 / expected0, CORRELATION_GRID))
            correlation = min(
                correlation + 2.0 * correlation / freedom, float(CORRELATION_GRID[-1])
            )
            factor = float(np.interp(correlation, CORRELATION_GRID, expected0) / expected0[at_zero])
    sigma = max(np.sqrt(squares / (share * factor)), np.sqrt(floor), 1e-300)
    # Relative variance of σ², and of what a mean of many correlated readings owes to ρ
    doubt = 2.0 / freedom
    if correlation > 0.0:
        doubt += 4.0 / (freedom * (1.0 - correlation**2))
    remark = CORRELATED_REMARK if correlation > 0.0 and alike > NOTICED else ""
    return LocalNoise(
        float(sigma), max(correlation, 0.0), 2.0 / doubt, 0.0, step, remark=remark, alike=alike
    )


def _plausible(one: _Residuals) -> Mask:
    """Which residuals are part of the noise: all, unless a few are far beyond what most are."""
    scaled = np.abs(one.r) / np.sqrt(one.share)
    robust = MEDIAN_TO_SIGMA * float(np.median(scaled))
    glaring = scaled > GLARING_SIGMAS * robust
    few = robust > 0.0 and 0 < glaring.sum() <= max(0.05 * len(scaled), 1.0) and len(scaled) > 12
    return ~glaring if few else np.ones(len(scaled), dtype=bool)


@dataclass(frozen=True, eq=False)
class _BySpeed:
    """Residuals grouped by speed: speeds squared, mean squares and degrees of freedom of the
    groups, shape (g,).
    """

    speed2: Array
    mean: Array
    freedom: Array

    def reading(self, stamp: float) -> float:
        """Return σ_x² if the variance of a time stamp is `stamp` in s²; the quiet groups count
        most.
        """
        weight = self.freedom / self.mean**2
        return float(weight @ (self.mean - stamp * self.speed2) / weight.sum())


def _with_jitter(
    noises: Sequence[LocalNoise], left: Sequence[Sequence[_Residuals]]
) -> list[LocalNoise]:
    """Split off what grows with the square of the speed: one error per time stamp, shared by all
    bodies of a clock.
    """
    groups = [_by_speed(noise, residuals) for noise, residuals in zip(noises, left, strict=True)]
    found = [_stamp_variance(noise, own) for noise, own in zip(noises, groups, strict=True)]
    weights = np.array([1.0 / variance if variance > 0.0 else 0.0 for _, variance in found])
    if not weights.any():
        return list(noises)
    stamp = float(weights @ [one for one, _ in found] / weights.sum())
    if stamp * np.sqrt(weights.sum()) < JITTER_Z:
        return list(noises)
    result = []
    for noise, own in zip(noises, groups, strict=True):
        reading = own.reading(stamp) if own is not None else noise.sigma**2
        reading = max(reading, least_noise(noise.step) ** 2, 1e-4 * noise.sigma**2)
        result.append(replace(noise, sigma=float(np.sqrt(reading)), stamp=float(np.sqrt(stamp))))
    return result


def _by_speed(noise: LocalNoise, left: Sequence[_Residuals]) -> _BySpeed | None:
    """Residuals in groups of like speed; None where there are too few."""
    if not left or noise.dof < 2 * SPEED_GROUPS:
        return None
    good = [_plausible(one) for one in left]
    r = np.concatenate([one.r[g] for one, g in zip(left, good, strict=True)])
    share = np.concatenate([one.share[g] for one, g in zip(left, good, strict=True)])
    speed2 = np.concatenate([one.speed2[g] for one, g in zip(left, good, strict=True)])
    groups = [rows for rows in np.array_split(np.argsort(speed2), SPEED_GROUPS) if len(rows)]
    mean = np.array([float(np.sum(r[g] ** 2) / share[g].sum()) for g in groups])
    freedom = np.array([float(share[g].sum()) for g in groups]) * noise.dof / share.sum()
    tiny = max(1e-6 * float(mean.max()), 1e-300)
    return _BySpeed(
        np.array([float(speed2[g].mean()) for g in groups]), np.maximum(mean, tiny), freedom
    )


def _stamp_variance(noise: LocalNoise, own: _BySpeed | None) -> tuple[float, float]:
    """The variance of a time stamp in s² that one body shows, and the variance of that; zeros if it
    shows nothing.
    """
    if own is None:
        return 0.0, 0.0
    floor = max(least_noise(noise.step) ** 2, 1e-300)
    _, stamp, covariance = component_variances(
        own.speed2, own.mean * own.freedom, own.freedom, floor
    )
    return stamp, float(covariance[1, 1])


def pool_noise(noises: Sequence[LocalNoise]) -> list[LocalNoise]:
    """Return noises of one instrument, those that few samples tell taken together with all that are
    like them.

    Like are those of the same step whose variances differ by no more than chance (the logarithm of
    a variance has the variance 2/ν: Bartlett & Kendall, J. R. Stat. Soc. Suppl. 8 (1946) 128-138).
    """
    sure = [one for one in noises if one.dof > 0.0 and np.isfinite(one.sigma) and one.sigma > 0.0]

    def like(own: LocalNoise, other: LocalNoise) -> bool:
        if own.step != other.step or own is other:
            return own is other
        unsure = not own.dof > 0.0
        return unsure or abs(2.0 * np.log(own.sigma / other.sigma)) < POOLING_LIMITS * np.sqrt(
            2.0 / own.dof + 2.0 / other.dof
        )

    found = []
    for own in noises:
        alike = [one for one in sure if like(own, one)]
        dof = sum(one.dof for one in alike)
        if own.dof < ENOUGH_DOF and len(alike) > 1:
            weights = np.array([one.dof for one in alike]) / dof
            sigma = float(np.sqrt(weights @ [one.sigma**2 for one in alike]))
            correlation = float(weights @ [one.correlation for one in alike])
            own = replace(own, sigma=sigma, correlation=correlation, dof=dof)
        found.append(own)
    return found


def with_given(noise: LocalNoise, given: float) -> LocalNoise:
    """Return the noise with a σ that is known, in SI; if the scatter is clearly larger, the
    scatter, and it is said.
    """
    floor = least_noise(noise.step)
    larger = contradicted((noise.sigma / given) ** 2, noise.dof)
    if larger and noise.sigma > floor * (1.0 + 1e-9):
        return replace(noise, remark=SCATTER_USED)
    if given < floor:
        return replace(noise, sigma=floor, dof=np.inf, given=True, remark=STEP_USED)
    return replace(noise, sigma=given, dof=np.inf, given=True)
