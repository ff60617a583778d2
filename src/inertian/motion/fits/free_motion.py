"""Free motion over a span: how one body moves while nothing hits it, with or without a shared glide
deceleration.

With one deceleration a per body, shared by all free spans of a series, each span is x(t) = x₀ + v τ
− ½ a c τ², where c is the direction cosine of the path. The joint least-squares solution separates:
the line part has weights in the space of {1, τ}, and a comes from what is left of τ² outside that
space, so a and the line parts are uncorrelated (Frisch & Waugh, Econometrica 1 (1933) 387-401) and
a can be carried as a fact of the series.
"""

from collections.abc import Mapping, Sequence
from dataclasses import dataclass
from enum import StrEnum
from functools import cached_property

import numpy as np

from inertian.motion.fits.condensed_samples import BlockResiduals, samples_of, without_far_off
from inertian.motion.fits.polynomial_fits import (
    PolynomialFit,
    TooFewSamplesError,
    fit_samples,
    fits_of_degrees,
)
from inertian.motion.numerics.residuals import PATTERN_Z
from inertian.motion.recording.trials import Trial
from inertian.motion.spans.spans import Span
from inertian.quantities.estimates import Array, Estimate

FEW_DOF = 8  # degrees of freedom: below it, the scatter of one body says little
MOVING_Z = 5.0  # a body counts as moving when its speed exceeds this many of its own u
NEXT_TO_NONE = 0.25  # of the mean speed: a body that only just stops at an end has none there
APART_Z = 4.0  # normal deviates of a deceleration that is not the shared one
CLEARLY = 2.0  # u of a deceleration


class FreeMotion(StrEnum):
    """What is assumed about a body between contacts; a visible setting, never switched silently."""

    LINE = "line"
    PARABOLA = "parabola"
    GLIDE = "shared deceleration"


@dataclass(frozen=True, eq=False)
class BodyFit:
    """One body's fits over one free span, one per axis, with what the shared deceleration needs of
    them.

    `stray` says that the samples follow a pattern even about a parabola: something happened inside
    the span; `left_out` samples are so far off that they do not count. `direction` holds the
    cosines of the path (zeros at rest); `bend` is −½ c τ² per axis, `bent` what the line fit
    leaves of it, zero where samples are missing. `information` is Σ bent² and `pull` is Σ bent·x
    over the axes.
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
    rest: BlockResiduals | None = None
    left_out: int = 0

    @property
    def moving(self) -> bool:
        """Whether the body moved noticeably in this span."""
        return any(self.direction.values())

    def stops(self, sigma: float) -> bool:
        """Return whether the body clearly comes to rest, or sets off, inside the span, where its
        readings err by sigma in m: by its own deceleration, its speed at one end is next to none.
        """
        if not (self.moving and self.information):
            return False
        own, half = self.pull / self.information, 0.5 * self.span.length
        clear = max(abs(own) - CLEARLY * sigma / np.sqrt(self.information), 0.0)
        return bool(self.speed() - clear * half < NEXT_TO_NONE * self.speed())

    def speed(self) -> float:
        """Return the fitted speed in the middle of the span, in m/s."""
        return float(np.hypot.reduce([fit.at(fit.t0, 1) for fit in self.fits.values()]))

    def velocity(self, axis: str, deceleration: float = 0.0) -> Array:
        """Return the fitted velocity at each sample of the span, in m/s, shape (n,)."""
        alone, per_deceleration = self._rates[axis]
        return np.asarray(alone + deceleration * per_deceleration)

    @cached_property
    def _rates(self) -> dict[str, tuple[Array, Array]]:
        """By axis, the velocity without deceleration and what each m/s² of it adds; both of shape
        (n,).
        """
        rates = {}
        for axis, fit in self.fits.items():
            per_bend = np.polyder((fit.operator @ self.bend[axis])[::-1])
            alone = np.polyval(np.polyder(fit.coefficients[::-1]), fit.tau) / fit.scale
            added = (
                -np.polyval(per_bend, fit.tau) / fit.scale
                - self.direction[axis] * fit.scale * fit.tau
            )
            rates[axis] = (alone, added)
        return rates

    def velocity_at(self, axis: str, t: Array, deceleration: float = 0.0) -> Array:
        """Return the fitted velocity in m/s at times t in s, shape (m,)."""
        fit = self.fits[axis]
        c = fit.coefficients - deceleration * (fit.operator @ self.bend[axis])
        slope = np.polyval(np.polyder(c[::-1]), (t - fit.t0) / fit.scale)
        return np.asarray(slope / fit.scale - deceleration * self.direction[axis] * (t - fit.t0))

    def residuals(self, axis: str, deceleration: float = 0.0) -> Array:
        """Return sample minus fitted motion in m, times root, shape (n,); zero where a sample is
        missing.
        """
        return self.fits[axis].residuals - deceleration * self.bent[axis]

    def pattern(self, axis: str, deceleration: float = 0.0) -> float:
        """Return how clearly the residuals along an axis follow a pattern, as a normal deviate; 0
        of a constant channel, whose residuals are rounding.
        """
        if self.trial.body(self.body).channel(axis).constant:
            return 0.0
        return self.fits[axis].pattern(self.residuals(axis, deceleration))

    def curve(self, axis: str, t: Array, deceleration: float = 0.0) -> Array:
        """Return the fitted position in m at times t in s, shape (m,)."""
        fit = self.fits[axis]
        tau = t - fit.t0
        c = fit.coefficients - deceleration * (fit.operator @ self.bend[axis])
        line = np.polyval(c[::-1], tau / fit.scale)
        return np.asarray(line - 0.5 * deceleration * self.direction[axis] * tau**2)

    def estimate(
        self, axis: str, time: float, derivative: int, shared: tuple[object, float] | None
    ) -> Estimate:
        """Return position (0), velocity (1) or acceleration (2) at a time, in SI, as an estimate.

        `shared` is the key and value of the body's shared deceleration, or None where the fit
        stands alone.
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
            slope = bend_at - (
                float(weights.values @ self.bend[axis]) if weights is not None else 0.0
            )
            value += shared[1] * slope
            sensitivities[shared[0]] = slope
        return Estimate(value, {} if weights is None else {channel: weights}, sensitivities)


def fit_body(
    trial: Trial,
    body: str,
    span: Span,
    model: FreeMotion,
    condensed: bool = True,
    way: Mapping[str, float] | None = None,
) -> BodyFit:
    """Fit one body over one free span. Raises TooFewSamplesError.

    `way` are the cosines of its velocity by axis, where they are known from elsewhere.
    `condensed` lets blocks stand for many samples; only fits over the same span may then be put
    together.
    """
    rows = span.rows(trial.t)
    degree = 2 if model is FreeMotion.PARABOLA else 1
    samples, left_out = without_far_off(samples_of(trial, body, rows, condensed))
    axes = trial.body(body).axes
    counts = [round(float(root @ root)) for root in samples.root.values()]
    if min(counts) < degree + 2:
        raise TooFewSamplesError(span.name, degree + 2, min(counts))
    degrees = (degree, 2) if min(counts) > 3 else (degree,)
    all_fits = {a: fits_of_degrees(samples, a, degrees, span.name, body=body) for a in axes}
    fits = {a: own[0] for a, own in all_fits.items()}
    curved = {a: own[-1] for a, own in all_fits.items()}
    noisy = [fit for a, fit in curved.items() if not trial.body(body).channel(a).constant]
    direction = _direction(fits, _scatter(trial, rows, noisy, condensed))
    direction = dict(way) if way else direction
    stray = any(fit.pattern(fit.residuals) > PATTERN_Z for fit in noisy)
    bend = {a: -0.5 * direction[a] * (f.scale * f.tau) ** 2 * f.root for a, f in fits.items()}
    lines = fits if degree == 1 else {a: fit_samples(samples, a, 1, body=body) for a in axes}
    bent = {a: bend[a] - _line_of(lines[a], bend[a]) for a in fits}
    information = float(sum(b @ b for b in bent.values()))
    pull = float(sum(bent[a] @ fits[a].x for a in fits))
    return BodyFit(
        trial,
        body,
        span,
        fits,
        direction,
        bend,
        bent,
        information,
        pull,
        stray,
        samples.rest,
        left_out,
    )


def _line_of(line: PolynomialFit, values: Array) -> Array:
    c = line.operator @ values
    return np.asarray(np.polyval(c[::-1], line.tau) * line.root)


def _scatter(trial: Trial, rows: slice, curved: list[PolynomialFit], condensed: bool) -> float:
    """The standard deviation of samples about parabolas, which friction cannot inflate.

    Where one body has few samples to tell it, those of all bodies in the span do.
    """
    if sum(fit.dof for fit in curved) < FEW_DOF:
        curved = []
        for body in trial.followed:
            samples = samples_of(trial, body.name, rows, condensed)
            counts = {axis: int(root @ root) for axis, root in samples.root.items()}
            curved += [
                fit_samples(samples, a, 2 if n > 3 else 1)
                for a, n in counts.items()
                if n > 2 and trial.tells_noise(body.channel(a))
            ]
    if not curved:
        return 0.0
    return float(
        np.sqrt(sum(f.sum_of_squares for f in curved) / sum(max(f.dof, 1) for f in curved))
    )


def _direction(fits: Mapping[str, PolynomialFit], scatter: float) -> dict[str, float]:
    """The direction cosines of the path, zeros if the speed does not stand out from its own
    uncertainty.
    """
    slopes = {axis: fit.at(fit.t0, 1) for axis, fit in fits.items()}
    speed = float(np.hypot.reduce(list(slopes.values())))
    some = next(iter(fits.values()))
    u = scatter * float(np.linalg.norm(some.weights(some.t0, 1).values))
    if speed <= MOVING_Z * u or speed == 0.0:
        return dict.fromkeys(fits, 0.0)
    return {axis: slope / speed for axis, slope in slopes.items()}


def apart_from_others(fits: Sequence[BodyFit]) -> set[str]:
    """Return the ids of trials in which the deceleration of a body, over all whose free spans of a
    series `fits` are, is not the one that most of its spans show.

    Each is held against the weighted median by the scatter about its own curvature.
    """
    moving = [f for f in fits if f.moving and f.information > 0.0]
    dof = sum(sum(fit.dof for fit in f.fits.values()) - 1 for f in moving)
    if len(moving) < 2 or dof < FEW_DOF:
        return set()
    left = sum(
        sum(fit.sum_of_squares for fit in f.fits.values()) - f.pull**2 / f.information
        for f in moving
    )
    variance = max(left, 0.0) / dof
    own = sorted(moving, key=lambda f: f.pull / f.information)
    weights = np.cumsum([f.information for f in own])
    middle = own[int(np.searchsorted(weights, 0.5 * weights[-1]))]
    usual = middle.pull / middle.information
    # A median is as well known as one of few, and as 2/π of all (normal distribution)
    known = max(middle.information, 2.0 / np.pi * float(weights[-1]))
    return {
        f.trial.id
        for f in own
        if f is not middle
        and (f.pull / f.information - usual) ** 2
        > APART_Z**2 * variance * (1.0 / f.information + 1.0 / known)
    }


def shared_deceleration(fits: Sequence[BodyFit]) -> float | None:
    """Return the deceleration in m/s² that one body shows over all its free spans, or None if it
    never moves.

    The ordinary least-squares solution over all spans together.
    """
    information = sum(fit.information for fit in fits)
    if information <= 0.0:
        return None
    return sum(fit.pull for fit in fits) / information
