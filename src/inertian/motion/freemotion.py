"""Free motion over a span: how one body moves while nothing hits it, with or without a shared glide deceleration.

With one deceleration a per body, shared by all free spans of a series, each span is x(t) = x₀ + v τ − ½ a c τ², where c
is the direction cosine of the path. The joint least-squares solution separates: the line part has weights in the space
of {1, τ}, and a comes from what is left of τ² outside that space, so a and the line parts are uncorrelated
(Frisch & Waugh, Econometrica 1 (1933) 387-401) and a can be carried as a fact of the series.
"""

from collections.abc import Mapping, Sequence
from dataclasses import dataclass
from enum import StrEnum
from functools import cached_property

import numpy as np

from inertian.motion.fits import PolynomialFit, TooFewSamplesError, fit_polynomial
from inertian.motion.residuals import PATTERN, pattern_z
from inertian.motion.spans import Span
from inertian.motion.trials import Trial
from inertian.quantities.estimates import Array, Estimate

FEW = 8  # degrees of freedom: below it, the scatter of one body says little
MOVING = 5.0  # a body counts as moving when its speed exceeds this many of its own u


class FreeMotion(StrEnum):
    """What is assumed about a body between contacts; a visible setting, never switched silently."""

    LINE = "line"
    PARABOLA = "parabola"
    GLIDE = "shared deceleration"


@dataclass(frozen=True, eq=False)
class BodyFit:
    """One body's fits over one free span, one per axis, with what the shared deceleration needs of them.

    `stray` says that the samples follow a pattern even about a parabola: something happened inside the span.
    `direction` holds the cosines of the path (zeros at rest); `bend` is −½ c τ² per axis, `bent` what the line fit
    leaves of it, zero where samples are missing. `information` is Σ bent² and `pull` is Σ bent·x over the axes.
    """

    trial: Trial
    body: str
    span: Span
    fits: Mapping[str, PolynomialFit]
    direction: Mapping[str, float]
    bend: Mapping[str, Array]
    bent: Mapping[str, Array]
    information: float
    pull: float
    stray: bool

    @property
    def moving(self) -> bool:
        """Whether the body moved noticeably in this span."""
        return any(self.direction.values())

    def speed(self) -> float:
        """Return the fitted speed in the middle of the span, in m/s."""
        return float(np.hypot.reduce([fit.at(fit.t0, 1) for fit in self.fits.values()]))

    def velocity(self, axis: str, deceleration: float = 0.0) -> Array:
        """Return the fitted velocity at each sample of the span, in m/s, shape (n,)."""
        alone, per_deceleration = self._rates[axis]
        return np.asarray(alone + deceleration * per_deceleration)

    @cached_property
    def _rates(self) -> dict[str, tuple[Array, Array]]:
        """By axis, the velocity without deceleration and what each m/s² of it adds; both of shape (n,)."""
        rates = {}
        for axis, fit in self.fits.items():
            alone = self.velocity_at(axis, fit.t, 0.0)
            rates[axis] = (alone, self.velocity_at(axis, fit.t, 1.0) - alone)
        return rates

    def velocity_at(self, axis: str, t: Array, deceleration: float = 0.0) -> Array:
        """Return the fitted velocity in m/s at times t."""
        fit = self.fits[axis]
        c = fit.coefficients - deceleration * (fit.operator @ self.bend[axis])
        slope = np.polyval(np.polyder(c[::-1]), (t - fit.t0) / fit.scale)
        return np.asarray(slope / fit.scale - deceleration * self.direction[axis] * (t - fit.t0))

    def residuals(self, axis: str, deceleration: float = 0.0) -> Array:
        """Return sample minus fitted motion in m, shape (n,), zero where a sample is missing."""
        return self.fits[axis].residuals - deceleration * self.bent[axis]

    def curve(self, axis: str, t: Array, deceleration: float = 0.0) -> Array:
        """Return the fitted position in m at times t."""
        fit = self.fits[axis]
        tau = t - fit.t0
        c = fit.coefficients - deceleration * (fit.operator @ self.bend[axis])
        line = np.polyval(c[::-1], tau / fit.scale)
        return np.asarray(line - 0.5 * deceleration * self.direction[axis] * tau**2)

    def estimate(self, axis: str, time: float, derivative: int, shared: tuple[object, float] | None) -> Estimate:
        """Return position (0), velocity (1) or acceleration (2) at a time, in SI, as an estimate.

        `shared` is the key and value of the body's shared deceleration, or None where the fit stands alone.
        """
        fit = self.fits[axis]
        weights = fit.weights(time, derivative)
        value = float(weights.values @ fit.x)
        channel = self.trial.channel_id(self.body, axis)
        if derivative > fit.degree:
            weights, value = None, 0.0  # type: ignore[assignment]
        sensitivities: dict[object, float] = {}
        if shared is not None and self.moving:
            tau = time - fit.t0
            cosine = self.direction[axis]
            bend_at = (-0.5 * cosine * tau**2, -cosine * tau, -cosine)[derivative]
            slope = bend_at - (float(weights.values @ self.bend[axis]) if weights is not None else 0.0)
            value += shared[1] * slope
            sensitivities[shared[0]] = slope
        return Estimate(value, {} if weights is None else {channel: weights}, sensitivities)


def fit_body(trial: Trial, body: str, span: Span, model: FreeMotion) -> BodyFit:
    """Fit one body over one free span. Raises TooFewSamplesError."""
    rows = span.rows(trial.t)
    degree = 2 if model is FreeMotion.PARABOLA else 1
    channels = {c.axis: c.si for c in trial.body(body).channels}
    fits = {axis: fit_polynomial(trial.t, x, degree, rows, span=span.name) for axis, x in channels.items()}
    if any(fit.dof < 1 for fit in fits.values()):
        raise TooFewSamplesError(span.name, degree + 2, min(fit.count for fit in fits.values()))
    curved = {a: fit_polynomial(trial.t, x, 2, rows) if fits[a].count > 3 else fits[a] for a, x in channels.items()}
    direction = _direction(fits, _scatter(trial, rows, list(curved.values())))
    stray = any(pattern_z(fit.residuals, fit.used) > PATTERN for fit in curved.values())
    bend = {a: -0.5 * direction[a] * (f.t - f.t0) ** 2 * f.used for a, f in fits.items()}
    lines = fits if degree == 1 else {a: fit_polynomial(trial.t, x, 1, rows) for a, x in channels.items()}
    bent = {a: (bend[a] - _line_of(lines[a], bend[a])) * lines[a].used for a in fits}
    information = float(sum(b @ b for b in bent.values()))
    pull = float(sum(bent[a] @ fits[a].x for a in fits))
    return BodyFit(trial, body, span, fits, direction, bend, bent, information, pull, stray)


def _line_of(line: PolynomialFit, values: Array) -> Array:
    c = line.operator @ values
    return np.asarray(np.polyval(c[::-1], (line.t - line.t0) / line.scale))


def _scatter(trial: Trial, rows: slice, curved: list[PolynomialFit]) -> float:
    """The standard deviation of samples about parabolas, which friction cannot inflate.

    Where one body has few samples to tell it, those of all bodies in the span do.
    """
    if sum(fit.dof for fit in curved) < FEW:
        channels = [c.si for body in trial.followed for c in body.channels]
        counts = [int(np.isfinite(x[rows]).sum()) for x in channels]
        enough = [(x, 2 if n > 3 else 1) for x, n in zip(channels, counts, strict=True) if n > 2]
        curved = [fit_polynomial(trial.t, x, degree, rows) for x, degree in enough]
    return float(np.sqrt(sum(f.sum_of_squares for f in curved) / sum(max(f.dof, 1) for f in curved)))


def _direction(fits: Mapping[str, PolynomialFit], scatter: float) -> dict[str, float]:
    """The direction cosines of the path, zeros if the speed does not stand out from its own uncertainty."""
    slopes = {axis: fit.at(fit.t0, 1) for axis, fit in fits.items()}
    speed = float(np.hypot.reduce(list(slopes.values())))
    some = next(iter(fits.values()))
    u = scatter * float(np.linalg.norm(some.weights(some.t0, 1).values))
    if speed <= MOVING * u or speed == 0.0:
        return dict.fromkeys(fits, 0.0)
    return {axis: slope / speed for axis, slope in slopes.items()}


def shared_deceleration(fits: Sequence[BodyFit]) -> float | None:
    """Return the deceleration in m/s² that one body shows over all its free spans, or None if it never moves.

    The ordinary least-squares solution over all spans together.
    """
    information = sum(fit.information for fit in fits)
    if information <= 0.0:
        return None
    return sum(fit.pull for fit in fits) / information
