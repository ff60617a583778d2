"""Position, velocity and acceleration of one stretch from all amounts of smoothing that the samples
allow, each as far as it is probable.

Smoothing flattens peaks. What it took is smoothed and given back (Tukey's twicing: Stuetzle &
Mittal, in *Smoothing Techniques for Curve Estimation*, 1979), and what is expected to be missing
still is part of the uncertainty: for a motion that is as rough as the samples say (Wahba, J. R.
Stat. Soc. B 45 (1983) 133-150).
"""

from collections.abc import Sequence
from dataclasses import dataclass, replace
from functools import cached_property, lru_cache

import numpy as np

from inertian.motion.numerics.outliers import MEDIAN_TO_SIGMA
from inertian.motion.smoothing.evidence import (
    NOTHING_KNOWN,
    Prior,
    Projection,
    Weighed,
    profile,
    projection,
    trended,
    weighed,
)
from inertian.motion.smoothing.spline_space import (
    DEGREE,
    PENALISED,
    SplineSpace,
    components,
    whitened,
)
from inertian.quantities.estimates import Array

LEAST_SAMPLES = DEGREE + 2  # a spline and something left over
MOST_SPLINES = 100
CROWDED = 0.6  # of the splines in use, from which a stretch is smoothed in halves
RUNS = (3, 5, 9, 17)  # neighbouring residuals that are looked at together
ROUNDING = 1e-10  # of the largest value, that splines are off by through rounding
LEAST_NOISE = 1e-12  # of the largest value: below it there is nothing but rounding
SUDDEN = 5.0  # normal deviates that those of noise do not reach
CLOSE = 0.5  # of all components, that a smoothing keeps which follows sudden motion
# Of neighbouring residuals, correlation that errors with the largest ρ tried do not reach
MOST_ALIKE = 0.3
SURE = 1e4  # degrees of freedom of a σ that is known
CORRELATIONS = (0.0, 0.25, 0.5, 0.7, 0.85)  # ρ of neighbouring errors that are tried
# ln of the roughness at the end over that at the start, for motions that calm down or start up
TRENDS = (-6.0, -12.0, 6.0, 12.0)
FOLLOWED = 4  # times that the profile of roughness follows what was found
LEAST_GAIN = 0.2  # of ln of the evidence, below which it has followed far enough
STRIDE = 2.0  # times what is found is it changed by: plain repeating gets there, but slowly
PROFILE_DOUBT = 2.0  # ln of what speaks against a profile that was drawn from the samples
MOST_MODES, LEAST_MODE = 16, 1e-6  # of what may be left out; share of the largest
LEAST_SHARE = 1e-3  # of what is probable, below which something is left out
HOPELESS = 7.0  # ln of evidence against a ρ from which larger ones are not tried: 1 to 1000
CORRELATED_SHARE = 0.02  # of what is probable, from which a ρ is looked at with all profiles
WIDTH = 0.5  # of a detail, over which roughness is taken as alike
FINEST = 200  # places in time at which a profile is smoothed


@dataclass(frozen=True)
class NoiseEvidence:
    """What samples say of one correlation ρ of their errors: ln of the evidence for it, σ² in SI if
    it holds.
    """

    correlation: float
    log_evidence: float
    square: float


@dataclass(frozen=True, eq=False)
class SmoothMotion:
    """The smooth motion of one stretch. `coefficients` (k,) of its splines, in SI;
    `sample_weights` (k, n) give them from the samples. `noise` and `missing` (k, k) are
    covariances: from the readings, and for what smoothing may leave out; in SI squared.
    `sigma` and `correlation` of the readings are averages over what `noises` say, σ² with `dof`
    degrees of freedom; `detail` are those of the motion.
    """

    space: SplineSpace
    level: float
    coefficients: Array
    sample_weights: Array
    noise: Array
    missing: Array
    sigma: float
    correlation: float
    dof: float
    detail: float
    noises: tuple["NoiseEvidence", ...] = ()
    sudden: bool = False  # whether it is smooth but for a short while

    def at(self, times: Array, order: int) -> tuple[Array, Array, Array]:
        """Return a derivative at some times in s, (m,), and the variances from the readings and
        from what may be left out; in SI.
        """
        rows = self.space.at(times, order)
        value = rows @ self.coefficients + (self.level if order == 0 else 0.0)
        return value, _diagonal(rows, self.noise), _diagonal(rows, self.missing)

    @cached_property
    def left_out_modes(self) -> Array:
        """Errors that make up most of what may be left out, each of u = 1: columns (k, j) of
        coefficients, the largest first.
        """
        squares, modes = np.linalg.eigh(self.missing)
        used = squares > LEAST_MODE * max(float(squares[-1]), 0.0)
        used[:-MOST_MODES] = False
        return np.asarray((modes * np.sqrt(np.maximum(squares, 0.0)))[:, used][:, ::-1])

    @cached_property
    def factors(self) -> tuple[Array, Array]:
        """The weights on the samples as orthonormal columns (n, j) times a matrix (j, k)."""
        phi, triangle = np.linalg.qr(self.sample_weights.T)
        return phi, triangle


def _diagonal(rows: Array, covariance: Array) -> Array:
    return np.asarray(np.maximum(np.einsum("ij,ij->i", rows @ covariance, rows), 0.0))


def smooth_motion(
    t: Array,
    x: Array,
    root_weights: Array | None = None,
    prior: Prior = NOTHING_KNOWN,
    correlations: Sequence[float] = CORRELATIONS,
) -> SmoothMotion:
    """Return the smooth motion through samples x in SI at times t in s, (n,), rising; at least
    LEAST_SAMPLES.

    `root_weights` are σ over the uncertainty of each reading.
    """
    level = float(np.mean(x))
    first = weighed_correlations(t, x - level, root_weights, prior, correlations)
    share = shares([one.log_mean_evidence for one in first])
    best = first[int(np.argmax(share))]
    size = best.seen
    even = weighed(best.data.within(size), profile(best.data.parts.within(size)))
    profiles, sudden = _profiles(even), []
    if _holds_motion(max(profiles, key=lambda one: one[0].log_mean_evidence)[0], best.data, t, x):
        sudden = _sudden(best)
        profiles += sudden
        size = len(best.data.values)
    best = even
    logs = [one.log_mean_evidence - doubt for one, doubt in profiles]
    likely = np.flatnonzero(shares(logs) > CORRELATED_SHARE)
    members = [profiles[k][0] for k in likely]
    logs = [logs[k] for k in likely]
    for one, probable in zip(first, share, strict=True):
        if probable < CORRELATED_SHARE or one.data.parts.correlation == best.correlation:
            continue
        data = one.data.within(size)
        for k in likely:
            like, doubt = profiles[k]
            members.append(weighed(data, like.shape.over(data.parts)))
            logs.append(members[-1].log_mean_evidence - doubt)
    mixed = _mixed(best.data.parts.space, level, members, shares(logs))
    likeliest = profiles[int(np.argmax([one.log_mean_evidence - doubt for one, doubt in profiles]))]
    is_sudden = any(likeliest is one for one in sudden)
    return replace(mixed, noises=_noises(first, members, logs), sudden=is_sudden)


def smoothed(
    t: Array,
    x: Array,
    root_weights: Array | None = None,
    prior: Prior = NOTHING_KNOWN,
    floor: float = 0.0,
) -> SmoothMotion:
    """As `smooth_motion`, of shapes (n,), for readings whose σ cannot be less than `floor`, in SI;
    what was asked for last is remembered.
    """
    floor = max(floor, LEAST_NOISE * float(np.abs(x).max()))
    if root_weights is None:
        return _remembered(t.tobytes(), x.tobytes(), prior, floor)
    found = smooth_motion(t, x, root_weights, prior)
    at_least = Prior(floor**2, SURE)
    return found if found.sigma >= floor else smooth_motion(t, x, root_weights, at_least)


@lru_cache(maxsize=64)
def _remembered(times: bytes, samples: bytes, prior: Prior, floor: float) -> SmoothMotion:
    t, x = np.frombuffer(times), np.frombuffer(samples)
    found = smooth_motion(t, x, None, prior)
    return found if found.sigma >= floor else smooth_motion(t, x, None, Prior(floor**2, SURE))


def crowded(motion: SmoothMotion, t: Array, x: Array) -> bool:
    """Return whether samples in SI at times in s, (n,), hold more than their splines can follow, so
    that halves should be smoothed by themselves.
    """
    if len(t) <= MOST_SPLINES:
        return False
    many = motion.detail > CROWDED * MOST_SPLINES or motion.sudden
    left, largest = whitened(x - motion.at(t, 0)[0], motion.correlation, None), np.abs(x).max()
    return many or _alike(left, float(largest)) or runs_to_one_side(left, float(largest))


def _alike(left: Array, largest: float) -> bool:
    """Whether neighbouring residuals resemble one another though they were made white: regular
    motion that is too fast for the splines, and was taken for noise as a whole.
    """
    square = float(left @ left)
    beyond_rounding = square > len(left) * (ROUNDING * largest) ** 2
    return bool(beyond_rounding and left[1:] @ left[:-1] > MOST_ALIKE * square)


def _noises(
    first: Sequence[Weighed], members: Sequence[Weighed], logs: Sequence[float]
) -> tuple[NoiseEvidence, ...]:
    """What is said of each ρ; those looked at with even roughness only gain as much by profiles as
    the best does.
    """
    gain = max(logs) - max(one.log_mean_evidence for one in first)
    found = []
    for one in first:
        own = [k for k, m in enumerate(members) if m.correlation == one.correlation]
        if own:
            evidence = float(np.logaddexp.reduce([logs[k] for k in own]))
            part = shares([logs[k] for k in own])
            square = float(sum(p * members[k].mean_square for p, k in zip(part, own, strict=True)))
        else:
            evidence, square = one.log_mean_evidence + gain, one.mean_square
        found.append(NoiseEvidence(one.correlation, evidence, square))
    return tuple(found)


def weighed_correlations(
    t: Array,
    x: Array,
    root_weights: Array | None = None,
    prior: Prior = NOTHING_KNOWN,
    correlations: Sequence[float] = CORRELATIONS,
) -> list[Weighed]:
    """Return the evidence for rising ρ, motion being as rough everywhere, up to where it has become
    hopeless; t in s and x in SI without its mean, (n,).
    """
    space = SplineSpace(float(t[0]), float(t[-1] - t[0]), min(len(t), MOST_SPLINES))
    found: list[Weighed] = []
    top = -np.inf
    for rho in correlations:
        parts = components(space, t, rho, root_weights)
        found.append(weighed(projection(parts, x, prior), profile(parts)))
        top = max(top, found[-1].log_mean_evidence)
        if found[-1].log_mean_evidence < top - HOPELESS:
            break
    return found


def shares(logs: Sequence[float]) -> Array:
    """Return how probable some things are, from the logarithms of the evidence for each."""
    found = np.exp(np.asarray(logs) - max(logs))
    return np.asarray(found / found.sum())


def _profiles(even: Weighed) -> list[tuple[Weighed, float]]:
    """What other profiles of roughness give, each with ln of what speaks against it."""
    parts, data = even.data.parts, even.data
    found = [(even, 0.0)]
    if len(parts.roughness) - PENALISED < 2:
        return found
    for trends in (TRENDS[: len(TRENDS) // 2], TRENDS[len(TRENDS) // 2 :]):
        for trend in trends:
            made = weighed(data, trended(parts, trend))
            found.append((made, float(np.log(len(TRENDS)))))
            if made.log_mean_evidence < even.log_mean_evidence - HOPELESS:
                break  # a steeper one is worse still
    best = max((one for one, _ in found), key=lambda one: one.log_mean_evidence)
    for _ in range(FOLLOWED):
        before, best = best, weighed(data, profile(parts, _followed(best)))
        found.append((best, PROFILE_DOUBT + float(np.log(FOLLOWED))))
        if best.log_mean_evidence < before.log_mean_evidence + LEAST_GAIN:
            break
    return found


def _holds_motion(one: Weighed, whole: Projection, t: Array, x: Array) -> bool:
    """Whether what is left of the samples runs to one side somewhere, as no noise does."""
    left = whole.parts.whitened(x - np.mean(x))
    kept = one.shape.together((one.shares @ one.kept) * one.values)
    values = np.concatenate([one.data.values[:PENALISED], kept])
    largest = float(np.abs(left).max())
    return runs_to_one_side(left - one.data.parts.over_samples @ values, largest)


def runs_to_one_side(left: Array, largest: float) -> bool:
    """Return whether residuals in SI, (n,), run to one side over some neighbours, as white noise
    of their usual size, or rounding of the `largest` value, hardly ever does.
    """
    spread = MEDIAN_TO_SIGMA * float(np.median(np.abs(left)))
    sums = np.concatenate([[0.0], np.cumsum(left)])
    most = max(
        float(np.abs(sums[run:] - sums[:-run]).max()) / np.sqrt(run)
        for run in RUNS
        if run < len(left)
    )
    return bool(most > max(SUDDEN * spread, ROUNDING * largest))


def _sudden(even: Weighed) -> list[tuple[Weighed, float]]:
    """Profiles for a motion that is smooth but for a short while: found from a rough one on, that
    follows the samples closely everywhere.
    """
    parts, data = even.data.parts, even.data
    close = int(np.argmin(np.abs(even.kept.sum(1) - CLOSE * even.kept.shape[1])))
    only = np.zeros(len(even.kept))
    only[close] = 1.0
    one, found = replace(even, log_evidence=np.log(only + np.finfo(float).tiny)), []
    for _ in range(FOLLOWED):
        one = weighed(data, profile(parts, _followed(one)))
        found.append((one, PROFILE_DOUBT + float(np.log(FOLLOWED))))
    return found


def _followed(one: Weighed) -> Array:
    """The profile that follows from what was found with another: ln of the mean square of the
    penalised derivative, smoothed in time.
    """
    parts, shape, share = one.data.parts, one.shape, one.shares
    kept = share @ one.kept
    square = float(share @ one.squares)
    rows = parts.rough_parts * parts.roughness[PENALISED:]
    rows = rows if shape.turned is None else rows @ shape.turned
    energy = (rows @ (kept * one.values)) ** 2 + square * (rows**2 @ kept)
    places = np.linspace(0.0, 1.0, FINEST + 1)
    energy = np.interp(places, parts.nodes, energy)
    width = WIDTH / max(one.detail, PENALISED) * FINEST
    reach = int(4.0 * width) + 1
    weights = np.exp(-0.5 * (np.arange(-reach, reach + 1) / width) ** 2)
    padded = np.pad(energy, reach, mode="edge")
    smooth = np.log(np.convolve(padded, weights / weights.sum(), mode="valid"))
    new = np.interp(parts.nodes, places, smooth - smooth.mean())
    return np.asarray(shape.log_strength + STRIDE * (new - shape.log_strength))


def _mixed(
    space: SplineSpace, level: float, members: Sequence[Weighed], probable: Array
) -> SmoothMotion:
    """All members taken together, each as far as it is probable."""
    used = [int(k) for k in np.flatnonzero(probable > LEAST_SHARE)]
    probable = probable[used] / probable[used].sum()
    made = [_member(members[k]) for k in used]
    values = np.concatenate([one.values for one in made])
    share = np.concatenate([p * one.share for p, one in zip(probable, made, strict=True)])
    mean = share @ values
    apart = (values - mean) * np.sqrt(share)[:, None]

    def average(parts: Sequence[Array]) -> Array:
        return np.asarray(sum(p * part for p, part in zip(probable, parts, strict=True)))

    square = float(average([np.asarray(one.square) for one in made]))
    return SmoothMotion(
        space,
        level,
        mean,
        average([one.weights for one in made]),
        average([one.noise for one in made]),
        average([one.missing for one in made]) + apart.T @ apart,
        float(np.sqrt(square)),
        float(probable @ [members[k].data.parts.correlation for k in used]),
        members[0].data.dof,
        float(probable @ [members[k].detail for k in used]),
    )


@dataclass(frozen=True, eq=False)
class _Member:
    """What one profile of roughness gives, as the fields of SmoothMotion; `values` (g, k) are the
    coefficients for each amount of smoothing, `share` (g,) how probable it is.
    """

    weights: Array
    noise: Array
    missing: Array
    square: float
    values: Array
    share: Array


def _member(one: Weighed) -> _Member:
    parts, shape = one.data.parts, one.shape
    used = one.shares > LEAST_SHARE
    share = one.shares[used] / one.shares[used].sum()
    kept, squares = one.kept[used], one.squares[used]
    plain = parts.coefficients[:, :PENALISED]
    rough = parts.coefficients[:, PENALISED:]
    turned = rough if shape.turned is None else rough @ shape.turned
    twice = 1.0 - (1.0 - kept) ** 2
    mean, square = share @ twice, float(share @ squares)
    whole = np.hstack([plain, turned * mean])
    left_out = (share * squares) @ (kept * (1.0 - kept) ** 3)
    back = turned * mean if shape.turned is None else (turned * mean) @ shape.turned.T
    return _Member(
        parts.sample_weights(np.hstack([plain, back])),
        square * (whole @ whole.T),
        (turned * left_out) @ turned.T,
        square,
        plain @ one.data.values[:PENALISED] + (twice * one.values) @ turned.T,
        share,
    )
