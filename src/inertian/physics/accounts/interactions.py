"""What happens to bodies in an interaction without touch, from their smooth motion through it.

Nothing is instantaneous there: the force has a tail that bends what is marked as free motion, and
each body starts, stops or turns at its own time. Velocities at the edges are those of the smooth
motion; friction acts along the motion as it is measured inside.
"""

from collections.abc import Mapping, Sequence
from dataclasses import dataclass
from math import erf, sqrt

import numpy as np

from inertian.motion.fits.free_motion import BodyFit
from inertian.motion.spans.spans import Span, SpanKind
from inertian.physics.accounts.account_inputs import CLOSING, OPENING, DateValue
from inertian.physics.evaluation.trial_context import (
    NoValueError,
    TrialContext,
    left_out_parts,
)
from inertian.quantities.estimates import (
    Array,
    ClockNoise,
    ErrorSource,
    Estimate,
    SharedPart,
)
from inertian.quantities.facts import FactId

PLACES = 200  # inside, at which the direction of motion is looked at
NO_SMOOTH_MOTION = (
    "The free motion of {body} bends beside “{span}”, and there are too few samples to follow it. "
    "Shorten the spans before and after, or take more samples."
)
DATES = (OPENING, CLOSING)
TURNING = "when {body} starts, stops or turns"
NOTICED = 2.0  # u that a velocity differs from 0 by, to count as motion
RECTANGLE = sqrt(12.0)  # width of a rectangular distribution over its standard deviation


@dataclass(frozen=True)
class Travel:
    """How one body moves inside: ∫ cos dt along each axis in s, and the path in m.

    `turning` and `path_unsure` are what they change by, in the same units, for one standard
    deviation of the moments at which it starts, stops or turns.
    """

    lasting: Mapping[str, float]
    turning: Mapping[str, float]
    path: float
    path_unsure: float


@dataclass(frozen=True, eq=False)
class Interaction:
    """An interaction without touch: smooth velocities at its edges as estimates, the travel of each
    body inside, and the errors behind them.
    """

    velocities: Mapping[DateValue, Estimate]
    travels: Mapping[str, Travel]
    noise: ClockNoise
    parts: tuple[SharedPart, ...]
    scope: str
    steady: frozenset[tuple[str, int]]  # bodies that keep moving all along the span at an edge
    touching: bool

    def turning(self, body: str) -> FactId:
        """The name of the error in when a body starts, stops or turns, with u = 1."""
        return FactId(TURNING.format(body=body), self.scope)


def interaction_of(
    context: TrialContext, span: Span, before: Sequence[BodyFit], after: Sequence[BodyFit]
) -> Interaction:
    """Return what the smooth motion of all bodies of a trial says of an interaction between free
    motions, one fit for each body.

    Bodies that rest before are held by friction until the force is larger. Raises NoValueError
    where there are too few samples.
    """
    resting = [fit.body for fit in before if not fit.moving]
    velocities: dict[DateValue, Estimate] = {}
    parts: list[SharedPart] = []
    travels, scope = {}, f"trial {context.trial.id}"
    touching = span.kind is SpanKind.CONTACT
    outside = (span.start, span.stop)
    if touching:  # beyond the walls
        outside = (np.nextafter(span.start, -np.inf), np.nextafter(span.stop, np.inf))
    for body in context.trial.followed:
        rows = {}
        for axis in body.axes:
            for date, time in zip(DATES, outside, strict=True):
                made = _velocity(context, body.name, axis, time)
                velocities[DateValue(1, body.name, axis, date)] = made
            rows[axis] = _inside(context, body.name, axis, span.start, span.stop)
            edges = [velocities[DateValue(1, body.name, axis, date)] for date in DATES]
            known = [(one.value, *one.sensitivities.values()) for one in edges]
            if not (np.isfinite(known[0] + known[1]).all() and np.isfinite(rows[axis]).all()):
                raise NoValueError(NO_SMOOTH_MOTION.format(body=body.name, span=span.name))
        travels[body.name] = _travel(rows, span.length / (PLACES - 1), body.name in resting)
        turning = FactId(TURNING.format(body=body.name), scope)
        source = ErrorSource(turning.name, "fact", turning.name)
        parts.append(SharedPart.single(source, turning, 1.0))
    steady = [
        (f.body, date)
        for date, fits in zip(DATES, (before, after), strict=True)
        for f in fits
        if f.moving and _keeps_moving(context, f)
    ]
    return Interaction(
        velocities,
        travels,
        context.clock_noise,
        (*left_out_parts(velocities.values()), *parts),
        scope,
        frozenset(steady),
        touching,
    )


def _keeps_moving(context: TrialContext, fit: BodyFit) -> bool:
    """Whether the smooth motion of a body is clearly in motion all along a span."""
    rows = fit.span.rows(context.trial.t)
    squares = np.zeros(rows.stop - rows.start)
    unsure = np.zeros(rows.stop - rows.start)
    for axis in fit.fits:
        found = context.local_fits(fit.body, axis).estimated(1)
        squares = squares + found.value[rows] ** 2
        spread = np.hypot(context.noise.reading * found.norm, np.nan_to_num(found.bias))
        unsure = unsure + spread[rows] ** 2
    known = np.isfinite(squares) & (unsure > 0.0)
    return bool(known.any() and np.all(squares[known] > NOTICED**2 * unsure[known]))


def _velocity(context: TrialContext, body: str, axis: str, time: float) -> Estimate:
    """The velocity of the smooth motion at a time, as an estimate."""
    fits, one = context.local_fits(body, axis), np.ones(1)
    operator = fits.operator(np.array([time]), 1)
    value = float(operator.applied(fits.channel.x)[0])
    left_out = context.left_out(body, axis, 1, np.array([time]))
    weights = {context.trial.channel_id(body, axis): operator.gathered(one)}
    return Estimate(value, weights, {key: float(one[0]) for key, one in left_out.items()})


def travel_between(context: TrialContext, body: str, start: float, stop: float) -> Travel:
    """Return how a body moves between two times in s, as the smooth motion has it. Raises
    NoValueError where there are too few samples.
    """
    axes = context.trial.body(body).axes
    rows = {axis: _inside(context, body, axis, start, stop) for axis in axes}
    if not all(np.isfinite(own).all() for own in rows.values()):
        raise NoValueError(f"There are too few samples from {start:.4g} s to {stop:.4g} s.")
    return _travel(rows, (stop - start) / (PLACES - 1), False)


def _inside(context: TrialContext, body: str, axis: str, start: float, stop: float) -> Array:
    """Velocity and its u in m/s at even places inside, shape (2, PLACES)."""
    fits = context.local_fits(body, axis)
    found = fits.estimated(1)
    t = context.trial.t
    good = np.isfinite(found.value)
    if not good.any():
        return np.full((2, PLACES), np.nan)
    u = np.hypot(context.noise.reading * found.norm, np.nan_to_num(found.bias))
    places = np.linspace(start, stop, PLACES)
    return np.array([np.interp(places, t[good], kind[good]) for kind in (found.value, u)])


def _travel(rows: Mapping[str, Array], step: float, rests: bool) -> Travel:
    """How a body moves, from velocity and u along its axes at even places."""
    v = np.array([own[0] for own in rows.values()])
    u = np.sqrt(np.mean([own[1] ** 2 for own in rows.values()], axis=0)) + 1e-300
    speed = np.hypot.reduce(v) + 1e-300
    # A body moves one way as far as its velocity is clear: what is noise adds up to nothing
    moving = np.array([erf(s / (w * sqrt(2.0))) for s, w in zip(speed, u, strict=True)])
    weights = np.full(len(speed), step)
    weights[[0, -1]] *= 0.5
    lasting = {
        axis: float(weights @ (own / speed * moving)) for axis, own in zip(rows, v, strict=True)
    }
    path = float(weights @ (speed * moving))
    unclear = speed < NOTICED * u
    held = 0.0
    if rests:  # held by friction as large as the force, until it is largest
        start = int(np.argmin(unclear)) if not unclear.all() else len(unclear)
        held = start * step
        unclear[:start] = False
        first = v[:, min(start, len(speed) - 1)] / speed[min(start, len(speed) - 1)]
        for k, axis in enumerate(rows):
            lasting[axis] += 0.5 * held * float(first[k])
    unsure = float(np.hypot(unclear.sum() * step, held)) / RECTANGLE
    return Travel(lasting, dict.fromkeys(rows, unsure), path, unsure * float(u.max()))
