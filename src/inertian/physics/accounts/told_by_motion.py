"""Facts that the motion of a trial tells by itself, and that nobody has to type: by how much
friction slows a body down, and the coefficient of its drag.

They are estimates on the same samples as the amounts, so that their covariance is kept.
"""

from collections.abc import Mapping
from dataclasses import dataclass

import numpy as np

from inertian.motion.spans.spans import Span, SpanKind
from inertian.physics.accounts.account_inputs import DateValue
from inertian.physics.accounts.collision_inputs import CollisionFacts, in_frame
from inertian.physics.accounts.date_readings import FitOf
from inertian.physics.accounts.drag_curves import DragCurve, drag_curve
from inertian.physics.accounts.entries import (
    FRICTION_FACT,
    LINEAR_FACT,
    QUADRATIC_FACT,
    ROLLING_FACT,
    SLOWING,
)
from inertian.physics.accounts.events import Event, EventKind, both_ways, push_spans
from inertian.physics.accounts.forms import INCLINE
from inertian.physics.evaluation.trial_context import TrialContext
from inertian.quantities.estimates import Estimate, weighted_sum

UP_AND_DOWN = "the difference of the accelerations up and down"
IN_SPAN = "the deceleration in “{span}”"
OF_TRIALS = "the decelerations of glide trials of this series"
FITTED = "the drag that fits “{span}”"
PUSHED_ON_THE_LEVEL = (EventKind.THRUST, EventKind.LAUNCH)
GLIDES = (SpanKind.VELOCITY, SpanKind.ACCELERATION, SpanKind.FREE)


@dataclass(frozen=True)
class Told:
    """A fact as an estimate in SI, and where it comes from in words; `level` says that it was seen
    on the level.
    """

    estimate: Estimate
    source: str
    level: bool = False


def told_by_motion(
    event: Event,
    context: TrialContext,
    fit: FitOf,
    facts: CollisionFacts,
    curves: Mapping[str, DragCurve],
) -> dict[tuple[str, str], Told]:
    """Return what the motion tells, by symbol and body; what is typed comes first. `fit` gives the
    fit of a body over a steady span, `curves` are those of drag, by body.
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
    return found | _drag(context, curves)


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


def drag_curves(context: TrialContext) -> dict[str, DragCurve]:
    """Return the curves of drag of bodies, in the longest span that drag slows each down in."""
    found = {}
    for body in context.trial.followed:
        spans = [s for s in context.spans.of(body.name) if s.kind is SpanKind.GLIDE]
        if len(body.axes) == 1 and spans:
            made = drag_curve(context, body.name, max(spans, key=lambda s: s.length))
            if made is not None:
                found[body.name] = made
    return found


def _drag(context: TrialContext, curves: Mapping[str, DragCurve]) -> dict[tuple[str, str], Told]:
    """The coefficients of drag, m q, unless one was typed."""
    typed = (FRICTION_FACT, ROLLING_FACT, LINEAR_FACT, QUADRATIC_FACT)
    if any((symbol, "") in context.setup for symbol in typed):
        return {}
    found = {}
    for body, curve in curves.items():
        if body not in context.masses:
            continue
        (key, mass), rate = context.masses[body], curve.rate()
        scaled = weighted_sum([(mass.si, rate)])
        with_mass = {**scaled.sensitivities, key: rate.value}
        estimate = Estimate(scaled.value, scaled.weights, with_mass)
        found[curve.symbol, body] = Told(estimate, FITTED.format(span=curve.span.name))
    return found


def sources_of(told: Mapping[tuple[str, str], Told]) -> dict[tuple[str, str], tuple[str, bool]]:
    """Return where each fact comes from in words, and whether it was seen on the level."""
    return {key: (one.source, one.level) for key, one in told.items()}
