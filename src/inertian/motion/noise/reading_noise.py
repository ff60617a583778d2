"""Reading noise and time jitter, estimated from what the fits leave over, pooled over a series.

At one instant the residuals of all channels have the covariance σ_x² I + σ_t² v vᵀ: each reading
has its own error, and one error of the time stamp moves every channel along its velocity. Along v
the variance is σ_x² + σ_t² |v|², across it σ_x². Both components are found by restricted maximum
likelihood (Patterson & Thompson, Biometrika 58 (1971) 545-554); the inverse Fisher information
tells how well they are known (Satterthwaite, Biometrics Bull. 2 (1946) 110-114).
"""

from collections.abc import Mapping, Sequence
from dataclasses import dataclass, replace

import numpy as np

from inertian.motion.fits.correlated_residuals import NOT_NOTICED, correlation_of
from inertian.motion.fits.free_motion import BodyFit
from inertian.motion.noise.stated_noise import SCATTER_USED, contradicted, least_noise
from inertian.motion.numerics.quantisation import harmonic_amplitudes
from inertian.motion.recording.trials import Channel
from inertian.quantities.estimates import Array, ErrorSource, Pools

READINGS, STAMPS = "readings", "time stamps"
STAMP_SOURCE = ErrorSource("time stamps", STAMPS, STAMPS)  # one error per stamp, for all channels


@dataclass(frozen=True)
class InstrumentNoise:
    """The noise of one instrument: σ of a position reading in m, σ of a time stamp in s, and how
    well they are known.

    `dof` is ν of σ_x (infinite if given); `remark` says in words when a typed value was not used.
    """

    reading: float
    stamp: float
    dof: float
    pools: Pools
    given: bool = False
    remark: str = ""
    # Root mean square of what columns of the files state, where these are used; else 0
    stated: float = 0.0
    correlation: float = 0.0  # ρ of neighbouring readings

    def or_scatter(self, scatter: "InstrumentNoise") -> "InstrumentNoise":
        """Return a given noise, or what the samples of a trial scatter by, where none was given or
        that is larger.
        """
        if not self.given:
            return scatter
        if contradicted((scatter.reading / self.reading) ** 2, scatter.dof):
            return replace(scatter, stated=self.stated, remark=SCATTER_USED)
        return replace(self, stamp=scatter.stamp)

    def variance(self, channel: Channel) -> Array | float:
        """Return the variance of a position reading of a channel in m², of each, (n,), where a
        column states it.
        """
        if not self.stated or channel.stated is None:
            return self.reading**2
        return np.asarray((channel.stated * (self.reading / self.stated)) ** 2)


@dataclass(frozen=True)
class _Scatter:
    """Sums of squares of one group of residuals whose variance is σ_x² + σ_t² speed²."""

    speed2: float
    squares: float
    freedom: float


def _scatters(
    fits: Sequence[BodyFit], decelerations: Mapping[str, float], shares: Mapping[str, float]
) -> list[_Scatter]:
    """Split the residuals of the bodies of one span into the part along the joint velocity and the
    part across it.
    """
    rows, speeds, freedom, keys = [], [], [], []
    for fit in fits:
        a = decelerations.get(fit.body, 0.0) if fit.moving else 0.0
        lost = fit.information / shares[fit.body] if fit.body in shares and fit.moving else 0.0
        for axis, polynomial in fit.fits.items():
            if not fit.trial.tells_noise(fit.trial.body(fit.body).channel(axis)):
                continue
            keys.append((fit.body, axis))
            rows.append(fit.residuals(axis, a))
            speeds.append(polynomial.at(polynomial.t0, 1) if fit.moving else 0.0)
            freedom.append(polynomial.dof - lost * fit.direction[axis] ** 2)
    if not keys:
        return []
    residuals, velocity, dof = np.array(rows), np.array(speeds), np.array(freedom)
    products = residuals @ residuals.T
    if fits[0].rest is not None:
        places = [fits[0].rest.keys.index(key) for key in keys]
        products = products + fits[0].rest.products[np.ix_(places, places)]
    total, speed2 = float(np.trace(products)), float(velocity @ velocity)
    if speed2 == 0.0:
        return [_Scatter(0.0, total, float(dof.sum()))]
    unit = velocity / np.sqrt(speed2)
    along, along_dof = float(unit @ products @ unit), float(unit**2 @ dof)
    across = _Scatter(0.0, total - along, float(dof.sum()) - along_dof)
    return [_Scatter(speed2, along, along_dof)] + ([across] if across.freedom > 0.5 else [])


def _on_same_rows(fits: Sequence[BodyFit]) -> list[list[BodyFit]]:
    """Fits by the rows they use: only bodies with the same time stamps show an error of the stamp
    together.
    """
    groups: dict[tuple[float, float], list[BodyFit]] = {}
    for fit in fits:
        groups.setdefault((fit.span.start, fit.span.stop), []).append(fit)
    return list(groups.values())


SLOWEST = 1e-100  # (m/s)²: the squares of smaller ones run out of digits


LEAST_SHARE = 1e-3  # of the whole variance, that readings have at least
CLEARLY_JITTER = 2.0  # of the logarithm of the likelihood, from which time stamps may have it all


def _log_likelihood(variance: Array | float, mean: Array, freedom: Array) -> float:
    """Of mean squares with degrees of freedom, (g,), but for a constant."""
    return float(-0.5 * freedom @ (np.log(variance) + mean / variance))


def component_variances(
    speed2: Array, squares: Array, freedom: Array, floor: float
) -> tuple[float, float, Array]:
    """Return σ_x² ≥ floor, σ_t² ≥ 0 and the covariance of the two, by Fisher scoring.

    Groups of residuals, with sums of squares and degrees of freedom of shape (g,), have variance
    σ_x² + σ_t² speed².
    """
    mean = squares / freedom
    pooled = float(freedom @ mean / freedom.sum())
    alone = np.diag([2.0 * max(pooled, floor) ** 2 / freedom.sum(), 0.0])
    slow = len(speed2) < 2 or speed2.max() < SLOWEST
    if pooled <= floor or slow or np.ptp(speed2) <= 1e-12 * speed2.max():
        return max(pooled, floor), 0.0, alone
    # Both variances are worked out relative to these, so that neither runs out of digits
    fastest = float(speed2.max())
    design, mean = np.column_stack([np.ones(len(speed2)), speed2 / fastest]), mean / pooled
    a, b = 1.0, 0.0
    for _ in range(50):
        weight = freedom / (2.0 * (design @ (a, b)) ** 2)
        normal = design.T @ (design * weight[:, None])
        if not np.isfinite(normal).all() or np.linalg.cond(normal) > 1e14:
            return pooled, 0.0, alone
        new_a, new_b = np.linalg.solve(normal, design.T @ (weight * mean))
        if new_b <= 0.0:
            return pooled, 0.0, alone  # no sign of jitter
        new_a = max(float(new_a), floor / pooled, LEAST_SHARE)
        done = abs(new_a - a) + abs(new_b - b) < 1e-10
        a, b = new_a, float(new_b)
        if done:
            break
    # Nothing left for the readings is hard to believe: samples at rest would count for everything
    likelier = _log_likelihood(design @ (a, b), mean, freedom) - _log_likelihood(1.0, mean, freedom)
    if a <= LEAST_SHARE and likelier < CLEARLY_JITTER:
        return pooled, 0.0, alone
    weight = freedom / (2.0 * (design @ (a, b)) ** 2)
    covariance = np.linalg.inv(design.T @ (design * weight[:, None]))
    units = np.array([pooled, pooled / fastest])
    return (
        a * pooled,
        b * pooled / fastest,
        np.asarray(covariance * np.outer(units, units), dtype=float),
    )


def noise_of_free_motion(
    spans: Sequence[Sequence[BodyFit]],
    decelerations: Mapping[str, float],
    resolution: float,
    given: float | None = None,
) -> InstrumentNoise:
    """Return the noise of an instrument from the residuals of a series.

    `spans` holds, for each free span of each trial, the fits of all its bodies; `decelerations` the
    shared one of each body in m/s²; `resolution` the step of the readings in m, whose /√12 is the
    least noise there can be. `given` is a typed σ in m: if the scatter contradicts it, the scatter
    is used and `remark` says so.
    """
    shares: dict[str, float] = {}
    for fit in (f for fits in spans for f in fits if f.body in decelerations):
        shares[fit.body] = shares.get(fit.body, 0.0) + fit.information
    shares = {b: s for b, s in shares.items() if s > 0}
    groups = [
        g
        for fits in spans
        for own in _on_same_rows(fits)
        for g in _scatters(own, decelerations, shares)
    ]
    groups = [g for g in groups if g.freedom > 0.5]
    floor = least_noise(resolution) ** 2
    if not groups:
        return InstrumentNoise(given or floor**0.5, 0.0, float("inf"), Pools(), given is not None)
    tiny = max(floor, 1e-24)
    sums = np.array([(g.speed2, g.squares, g.freedom) for g in groups])
    a, b, covariance = component_variances(sums[:, 0], sums[:, 1], sums[:, 2], tiny)
    alike = NOT_NOTICED
    if not harmonic_amplitudes(resolution, a**0.5):  # the pattern of coarse steps has its own place
        alike = correlation_of([fit for fits in spans for fit in fits])
    relative = {(READINGS, READINGS): float(covariance[0, 0]) / a**2}
    a *= alike.ratio
    if b > 0.0:
        relative[STAMPS, STAMPS] = float(covariance[1, 1]) / b**2
        relative[READINGS, STAMPS] = relative[STAMPS, READINGS] = float(covariance[0, 1]) / (a * b)
    remark = ""
    if given is not None:
        if not contradicted(a / given**2, 2.0 / relative[READINGS, READINGS]):
            pools = Pools({k: r for k, r in relative.items() if READINGS not in k})
            return InstrumentNoise(given, b**0.5, float("inf"), pools, True, correlation=alike.rho)
        remark = SCATTER_USED
    return InstrumentNoise(
        a**0.5,
        b**0.5,
        2.0 / relative[READINGS, READINGS],
        Pools(relative),
        False,
        remark,
        correlation=alike.rho,
    )
