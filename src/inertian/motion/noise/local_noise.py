"""The noise of readings, from what is left over by the smooth motion through them: its size, how
well that is known, and whether it is white.

σ and ρ of errors correlated as ρ^k (AR(1): Box, Jenkins & Reinsel, *Time Series Analysis*, 4th ed.,
2008, 3.2) come with the smooth motion by restricted likelihood, so that a slow error is not taken
for motion nor the other way round. All that stretches of one body say is taken together. For what a
recording in coarse steps errs by, see `quantisation`.
"""

from collections.abc import Sequence
from dataclasses import dataclass, replace

import numpy as np

from inertian.motion.fits.correlated_residuals import COUNTED
from inertian.motion.noise.reading_noise import component_variances
from inertian.motion.noise.stated_noise import (
    SCATTER_USED,
    STEP_USED,
    contradicted,
    least_noise,
)
from inertian.motion.numerics.outliers import MEDIAN_TO_SIGMA, robust_scatter
from inertian.motion.smoothing.evidence import NOTHING_KNOWN
from inertian.motion.smoothing.smooth_motion import (
    HOPELESS,
    LEAST_SAMPLES,
    MOST_SPLINES,
    NoiseEvidence,
    crowded,
    shares,
    smoothed,
)
from inertian.motion.smoothing.smoothing_budget import HALF, SmoothingBudget, budget_of
from inertian.quantities.estimates import Array, Mask

# Samples that noise is judged by, in pieces of so many
MOST_SAMPLES_WATCHED, PIECE_SAMPLES = (6_000, 1_000)
# Normal deviate from which a correlation is said: of white errors, one in twenty exceeds it
NOTICED = 1.645
GLARING_SIGMAS = 5.0  # robust σ beyond which a residual is no part of the noise
JITTER_Z = 3.0  # of its own u that a variance of time stamps must be
SPEED_GROUPS = 12
# σ of a reading that are tried, from that share of the largest scatter there is
READINGS_TRIED, LEAST_READING = 100, 0.01
MOST_GLARING = 0.05  # of the samples of a stretch
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
    # The normal deviate that speaks as much against white errors as the samples do
    alike: float = 0.0


@dataclass(frozen=True, eq=False)
class NoiseSegment:
    """Samples of one channel of one body that a local fit may span: t in s and x in SI, shape (n,),
    nothing missing.
    """

    t: Array
    x: Array


@dataclass(frozen=True, eq=False)
class _Left:
    """What a smooth motion leaves of a stretch: residuals r in SI, the share 1 − h of σ² that each
    has and speeds squared, (n,), with what it says of the noise and degrees of freedom of σ².
    """

    r: Array
    share: Array
    speed2: Array
    noises: tuple[NoiseEvidence, ...]
    dof: float


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
    left = []
    for segments, step in zip(bodies, steps, strict=True):
        pieces = pieces_of(segments, watched)
        budget = budget_of(len(bodies))
        pieces.sort(key=lambda piece: -len(piece.t))
        own = [one for piece in pieces for one in _left_of(piece, step, budget, 1)]
        if not own and pieces:  # all is too rough for the budget: a short stretch tells something
            own = _left_of(_middle(pieces[0]), step, SmoothingBudget(1), 1)
        left.append(own)
    found = [_together(own, step) for own, step in zip(left, steps, strict=True)]
    for k, step in enumerate(steps):
        if not found[k].dof:
            guess = first_guess(pieces_of(bodies[k], watched), step)
            found[k] = replace(found[k], sigma=guess if len(bodies[k]) else float("nan"))
    return _with_jitter([_pooled(k, found, left) for k in range(len(bodies))], left)


def _pooled(
    k: int, guesses: Sequence[LocalNoise], left: Sequence[Sequence[_Left]], few: float = 10.0
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
    return _together(alike, own.step)


def _left_of(piece: NoiseSegment, step: float, budget: SmoothingBudget, cost: int) -> list[_Left]:
    """What the smooth motion leaves of a stretch, in halves where it holds too much for one;
    nothing where there are too few samples, or the budget is used up.

    A few residuals far beyond the others are left out.
    """
    t, x = piece.t, piece.x
    if len(t) < LEAST_SAMPLES or not budget.take(cost):
        return []
    motion = smoothed(t, x, None, NOTHING_KNOWN, least_noise(step))
    if crowded(motion, t, x):
        halves = slice(0, len(t) // 2), slice(len(t) // 2, len(t))
        return [
            one for h in halves for one in _left_of(NoiseSegment(t[h], x[h]), step, budget, HALF)
        ]
    value, variance, _ = motion.at(t, 0)
    r = x - value
    share = np.clip(1.0 - variance / max(motion.sigma**2, 1e-300), 1e-12, 1.0)
    good = _plausible(r, share)
    if not good.all():
        return _left_of(NoiseSegment(t[good], x[good]), step, budget, cost)
    dof = max(len(t) - motion.detail, 0.0)
    return [_Left(r, share, motion.at(t, 1)[0] ** 2, motion.noises, dof)]


def _middle(piece: NoiseSegment) -> NoiseSegment:
    """So many samples in the middle of a stretch as one set of splines follows."""
    start = max((len(piece.t) - MOST_SPLINES) // 2, 0)
    rows = slice(start, start + MOST_SPLINES)
    return NoiseSegment(piece.t[rows], piece.x[rows])


def _together(left: Sequence[_Left], step: float) -> LocalNoise:
    """σ and ρ from what all stretches of a body say; white, unless that is clearly less likely."""
    floor = least_noise(step)
    dof = sum(one.dof for one in left)
    if not left or dof <= 0.0:
        return LocalNoise(floor or float("nan"), 0.0, 0.0, 0.0, step)
    rhos = max((one.noises for one in left), key=len)
    logs, squares = np.zeros(len(rhos)), np.zeros(len(rhos))
    for one in left:
        known = {noise.correlation: noise for noise in one.noises}
        least = min(noise.log_evidence for noise in one.noises) - HOPELESS
        last = one.noises[-1]
        for k, noise in enumerate(rhos):
            own = known.get(noise.correlation)
            logs[k] += least if own is None else own.log_evidence
            squares[k] += one.dof * (last if own is None else own).square
    probable, rho = shares(list(logs)), np.array([noise.correlation for noise in rhos])
    squares /= dof
    alike = float(np.sqrt(2.0 * max(float(logs.max() - logs[0]), 0.0)))
    white = alike < COUNTED or squares[0] <= floor**2  # with steps alone, their pattern is left
    square = float(squares[0] if white else probable @ squares)
    return LocalNoise(
        max(float(np.sqrt(square)), floor, 1e-300),
        0.0 if white else float(probable @ rho),
        dof,
        0.0,
        step,
        remark=CORRELATED_REMARK if alike > NOTICED and not white else "",
        alike=alike,
    )


def _plausible(r: Array, share: Array) -> Mask:
    """Which residuals are part of the noise: all, unless a few are far beyond what most are."""
    scaled = np.abs(r) / np.sqrt(share)
    robust = MEDIAN_TO_SIGMA * float(np.median(scaled))
    glaring = scaled > GLARING_SIGMAS * robust
    few = 0 < glaring.sum() <= max(MOST_GLARING * len(r), 1.0) and len(r) > 12
    return ~glaring if few and robust > 0.0 else np.ones(len(r), dtype=bool)


@dataclass(frozen=True, eq=False)
class _BySpeed:
    """Residuals grouped by speed: speeds squared, mean squares and degrees of freedom of the
    groups, shape (g,).
    """

    speed2: Array
    mean: Array
    freedom: Array

    def reading(self, stamp: float) -> float:
        """Return σ_x² if the variance of a time stamp is `stamp` in s²: every σ_x as far as the
        groups make it probable. The likeliest alone is often next to nothing, and never right then.
        """
        sigma = np.linspace(LEAST_READING, 1.0, READINGS_TRIED) * np.sqrt(self.mean.max())
        variance = sigma[:, None] ** 2 + stamp * self.speed2
        logs = -0.5 * (np.log(variance) + self.mean / variance) @ self.freedom
        return float(shares(list(logs)) @ sigma**2)


def _with_jitter(noises: Sequence[LocalNoise], left: Sequence[Sequence[_Left]]) -> list[LocalNoise]:
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
        reading = max(reading, least_noise(noise.step) ** 2)
        result.append(replace(noise, sigma=float(np.sqrt(reading)), stamp=float(np.sqrt(stamp))))
    return result


def _by_speed(noise: LocalNoise, left: Sequence[_Left]) -> _BySpeed | None:
    """Residuals in groups of like speed; None where there are too few."""
    if not left or noise.dof < 2 * SPEED_GROUPS:
        return None
    r = np.concatenate([one.r for one in left])
    share = np.concatenate([one.share for one in left])
    speed2 = np.concatenate([one.speed2 for one in left])
    groups = [rows for rows in np.array_split(np.argsort(speed2), SPEED_GROUPS) if len(rows)]
    mean = np.array([float(np.sum(r[g] ** 2) / share[g].sum()) for g in groups])
    freedom = np.array([float(share[g].sum()) for g in groups]) * noise.dof / share.sum()
    tiny = max(1e-6 * float(mean.max()), 1e-150)  # its square is still a number
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
