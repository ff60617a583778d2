"""Facts that the motion of a trial tells by itself, and that nobody has to type: by how much
friction slows a body down, and the coefficient of its drag.

They are estimates on the same samples as the amounts, so that their covariance is kept.
"""

from collections.abc import Mapping
from dataclasses import dataclass

import numpy as np

from inertian.motion.fits.curve_shapes import CurveShape, shape_definition
from inertian.motion.fits.curves import CurveError, fit_curve
from inertian.motion.fits.polynomial_fits import TooFewSamplesError
from inertian.motion.spans.spans import Span, SpanKind
from inertian.physics.accounts.account_inputs import DateValue
from inertian.physics.accounts.collision_inputs import CollisionFacts, in_frame
from inertian.physics.accounts.date_readings import FitOf
from inertian.physics.accounts.entries import (
    FRICTION_FACT,
    LINEAR_FACT,
    QUADRATIC_FACT,
    ROLLING_FACT,
    SLOWING,
)
from inertian.physics.accounts.events import Event, EventKind, both_ways, push_spans
from inertian.physics.accounts.forms import INCLINE
from inertian.physics.definitions.requests import Quantity, QuantityRef
from inertian.physics.evaluation.quantity_values import quantity_values
from inertian.physics.evaluation.trial_context import TrialContext
from inertian.quantities.estimates import Estimate, weighted_sum

UP_AND_DOWN = "the difference of the accelerations up and down"
IN_SPAN = "the deceleration in “{span}”"
OF_TRIALS = "the decelerations of glide trials of this series"
FITTED = "the drag that fits “{span}”"
PUSHED_ON_THE_LEVEL = (EventKind.THRUST, EventKind.LAUNCH)
GLIDES = (SpanKind.VELOCITY, SpanKind.ACCELERATION, SpanKind.FREE)
FEWEST = 8  # samples that tell a drag
# Which curves to fit, and whether q has the sign of the way that the body goes; else it is positive
DRAGS = {
    LINEAR_FACT: ("x_0 + v (1 - exp(-q t))/q", False),
    QUADRATIC_FACT: ("x_0 + ln(1 + q v t)/q", True),
}


@dataclass(frozen=True)
class Told:
    """A fact as an estimate in SI, and where it comes from in words; `level` says that it was seen
    on the level.
    """

    estimate: Estimate
    source: str
    level: bool = False


def told_by_motion(
    event: Event, context: TrialContext, fit: FitOf, facts: CollisionFacts
) -> dict[tuple[str, str], Told]:
    """Return what the motion tells, by symbol and body; what is typed comes first. `fit` gives the
    fit of a body over a steady span.
    """
    found: dict[tuple[str, str], Told] = {}
    for body in context.trial.followed:
        if len(body.axes) != 1 or (FRICTION_FACT, "") in context.setup:
            continue
        if event.kind is EventKind.UP_AND_BACK:
            slowed = _up_and_down(context, body.name, fit, facts)
        elif event.kind in PUSHED_ON_THE_LEVEL and (INCLINE, "") not in context.setup:
            slowed = _while_free(context, body.name, fit, facts)
        else:
            slowed = None
        if slowed is not None:
            found[SLOWING, body.name] = slowed
        elif (SLOWING, body.name) in context.setup:
            key, fact = context.setup[SLOWING, body.name]
            found[SLOWING, body.name] = Told(Estimate(fact.si, {}, {key: 1.0}), OF_TRIALS, True)
    return found | _drag(event, context)


def acceleration_of(
    context: TrialContext, body: str, span: Span, fit: FitOf, facts: CollisionFacts
) -> tuple[Estimate, float] | None:
    """Return the acceleration along its one axis of a body in a span, in m/s², as its fit has it,
    and which way it goes, ±1; None where it does not move, or no fit holds.
    """
    made = fit(body, span)
    if made is None or not made.moving:
        return None
    axis = context.trial.body(body).axes[0]
    middle = made.fits[axis].t0
    plain = {
        DateValue(order, body, axis, 0): made.estimate(axis, middle, order, None)
        for order in range(3)
    }
    way = float(np.sign(made.fits[axis].at(middle, 1)))
    return in_frame(plain, facts)[DateValue(2, body, axis, 0)], way


def _up_and_down(
    context: TrialContext, body: str, fit: FitOf, facts: CollisionFacts
) -> Told | None:
    """Half of what the accelerations up and down differ by, as the weight pulls the same way both
    times and friction does not.
    """
    ways = both_ways(context.spans.of(body))
    if ways is None:
        return None
    up, down = (acceleration_of(context, body, span, fit, facts) for span in ways)
    if up is None or down is None:
        return None
    half = 0.5 * up[1]
    return Told(weighted_sum([(half, down[0]), (-half, up[0])]), UP_AND_DOWN)


def _while_free(context: TrialContext, body: str, fit: FitOf, facts: CollisionFacts) -> Told | None:
    """The deceleration of a body in the longest span in which nothing pushes it."""
    every = context.spans.of(body)
    pushed = push_spans(every)
    free = [s for s in every if s.kind in GLIDES and s not in pushed]
    own = sorted(free, key=lambda s: -s.length)
    for span in own:
        known = acceleration_of(context, body, span, fit, facts)
        if known is not None:
            return Told(weighted_sum([(-known[1], known[0])]), IN_SPAN.format(span=span.name), True)
    return None


def _drag(event: Event, context: TrialContext) -> dict[tuple[str, str], Told]:
    """The drag of bodies in a span that drag slows down, unless a coefficient was typed."""
    typed = (FRICTION_FACT, ROLLING_FACT, LINEAR_FACT, QUADRATIC_FACT)
    if event.kind.contact or any((symbol, "") in context.setup for symbol in typed):
        return {}
    found = {}
    for body in context.trial.followed:
        spans = [s for s in context.spans.of(body.name) if s.kind is SpanKind.GLIDE]
        if len(body.axes) == 1 and spans and body.name in context.masses:
            told = _fitted(context, body.name, max(spans, key=lambda s: s.length))
            if told is not None:
                found[told[0], body.name] = told[1]
    return found


def _fitted(context: TrialContext, body: str, span: Span) -> tuple[str, Told] | None:
    """The coefficient, linear or quadratic, whose curve leaves less; None where neither fits."""
    axis = context.trial.body(body).axes[0]
    own = span.rows(context.trial.t)
    rows = np.arange(own.start, own.stop)
    shown = QuantityRef(Quantity.POSITION, axis)
    whole = quantity_values(context, shown, body, context.trial.t[rows], rows)
    good = np.flatnonzero(np.isfinite(whole.values))
    if len(good) < FEWEST:
        return None
    way = 1.0 if whole.values[good[-1]] >= whole.values[good[0]] else -1.0
    best: tuple[float, str, Estimate] | None = None
    for symbol, (formula, along) in DRAGS.items():
        try:
            one = fit_curve(
                whole.times,
                whole.values,
                CurveShape.FORMULA,
                float(whole.times[0]),
                formula=formula,
            )
        except (CurveError, TooFewSamplesError):
            continue
        names = [p.symbol for p in shape_definition(CurveShape.FORMULA, formula).parameters]
        place, c, sign = names.index("q"), np.zeros(len(rows)), way if along else 1.0
        rate = sign * float(one.values[place])
        if one.curves or rate <= 0.0 or (best is not None and one.scatter >= best[0]):
            continue
        c[good] = sign * one.operator[place]
        best = one.scatter, symbol, whole.estimate(c, rate)
    if best is None:
        return None
    key, mass = context.masses[body]
    scaled = weighted_sum([(mass.si, best[2])])
    with_mass = {**scaled.sensitivities, key: best[2].value}
    estimate = Estimate(scaled.value, scaled.weights, with_mass)
    return best[1], Told(estimate, FITTED.format(span=span.name))


def sources_of(told: Mapping[tuple[str, str], Told]) -> dict[tuple[str, str], tuple[str, bool]]:
    """Return where each fact comes from in words, and whether it was seen on the level."""
    return {key: (one.source, one.level) for key, one in told.items()}
