"""The accounts of one trial: from its event through its inputs to ledgers and results."""

from collections.abc import Mapping
from dataclasses import replace

import numpy as np

from inertian.motion.derivatives.local_derivatives import BY_DATA, WindowRequest
from inertian.motion.spans.spans import Span, SpanKind, Spans
from inertian.physics.accounts.account_choices import Choices
from inertian.physics.accounts.account_inputs import (
    CLOSING,
    OPENING,
    DateValue,
    FactOf,
    InputKey,
    Integral,
    MassOf,
    Through,
)
from inertian.physics.accounts.account_results import results_of
from inertian.physics.accounts.collision_inputs import (
    AccountError,
    CollisionFacts,
    CollisionInputs,
    ReadBeside,
)
from inertian.physics.accounts.contact_statements import collision_statements
from inertian.physics.accounts.date_readings import DateReader, FitOf
from inertian.physics.accounts.drag_curves import DragCurve
from inertian.physics.accounts.encounters import Impact
from inertian.physics.accounts.entries import PUSHED_RATE, RECORDED, TURNED, Recorded
from inertian.physics.accounts.event_statements import (
    Surroundings,
    statements_of,
    usual_statements,
)
from inertian.physics.accounts.events import Event, EventKind, push_spans
from inertian.physics.accounts.forms import SPRING_REST
from inertian.physics.accounts.gauges import gauge_of, rests
from inertian.physics.accounts.ledger import (
    ANGULAR_MOMENTUM,
    RELATIVE_ENERGY,
    Accounts,
    Ledger,
    drawn_up,
    impact_of,
    joint_test,
    require_masses,
    restitution_of,
)
from inertian.physics.accounts.named_results import NamedResults, percent_errors
from inertian.physics.accounts.push_edges import push_edges
from inertian.physics.accounts.statements import Date, Statement, keys_of
from inertian.physics.accounts.told_by_motion import sources_of, told_by_motion
from inertian.physics.accounts.typed_entries import facts_of_entries
from inertian.physics.evaluation.trial_context import TrialContext
from inertian.quantities.coverage import Scalar
from inertian.quantities.estimates import Estimate, JointScalars

NO_MOTION = (
    "Neither positions nor an acceleration were recorded, so there is no motion to account for."
)
NOTHING = "Nothing was recorded: the accounts of its models stand in their own stage."
NEAR = 4  # samples before a launch that tell on which side a spring is pressed
LEAST_WINDOW = 7  # samples, in which a swing is read at least
CLEARLY = 3.0  # u: signs and rests that are told by that much are taken for sure
STICKS = 0.2  # u of a restitution of nearly 0, above which it does not say that bodies stick


def gauge_beside(
    context: TrialContext, fit: FitOf, facts: CollisionFacts, dates: tuple[Date, ...]
) -> ReadBeside | None:
    """Return the impulse that a gauge recorded from the first date to the last, as an input beside
    those of a contact; None where there is no gauge.
    """
    gauge = gauge_of(context.trial)
    if gauge is None:
        return None
    reader = DateReader(context, fit, facts, dates)
    key = Through(Integral.IMPULSE, *gauge, 0)
    named: dict[InputKey, Estimate] = {key: reader.estimate(key)}
    parts = tuple(context.fact_parts(named.values()))
    channel = context.trial.channel_id(*gauge)
    noise = replace(context.clock_noise, reading={channel: context.clock_noise.reading[channel]})
    return ReadBeside(named, noise, parts, context.pools())


def accounts_of_contact(
    event: Event,
    collision: CollisionInputs,
    choices: Choices,
    gauge: tuple[str, str] | None = None,
    centre: tuple[float, float] = (0.0, 0.0),
) -> Accounts:
    """Return the accounts of a contact; `gauge` is body and axis of a gauge that recorded it,
    `centre` in m what angular momentum is about. Raises AccountError if a mass is missing.
    """
    inputs = collision.inputs
    require_masses(collision.encounter.bodies, inputs)
    recorded = None
    if gauge is not None:
        told = gauge_sign(collision, gauge)
        if choices.turned is not None:
            told = -1.0 if choices.turned else 1.0
        said = RECORDED if told > 0.0 else RECORDED + TURNED
        recorded = Recorded(*gauge, told, source=said)
    possible = collision_statements(collision, choices.expectations, recorded, centre, event.track)
    usual = [one.law for one in possible if one.law not in (RELATIVE_ENERGY, ANGULAR_MOMENTUM)]
    statements = choices.drawn(possible, usual)
    found = restitution_of(collision)
    kind = _named(event.kind, collision, found)
    made = _drawn(replace(event, kind=kind), statements, inputs, choices, collision)
    known = tuple(one.law for one in possible)
    return replace(made, read_from=collision.read_from, possible=known)


def accounts_between(
    event: Event,
    context: TrialContext,
    fit: FitOf,
    facts: CollisionFacts,
    choices: Choices,
    curves: Mapping[str, DragCurve],
) -> Accounts:
    """Return the accounts of an event that is no contact, from date to date; `curves` are those of
    bodies that drag slows down. Raises AccountError or NoValueError with what is missing.
    """
    context = _as_it_is_read(event, context, choices)
    told = told_by_motion(event, context, fit, facts, curves)
    if event.kind in (EventKind.SPINNING, EventKind.SWING):  # a piece of it is no parabola
        fit, context = no_fit, _swinging(context)
    known_by = {key: one.estimate for key, one in told.items()} | _while_pushed(context, event)
    reader = DateReader(context, fit, facts, event.dates, known_by, curves)
    sign = _sign_between(reader, event)
    if choices.turned is not None:
        sign = -1.0 if choices.turned else 1.0
    around = Surroundings(
        context.trial,
        tuple(context.setup),
        sources_of(told),
        context.frame.centre or (0.0, 0.0),
        sign,
        _where_pushed(context),
        _pressed(context, event),
    )
    possible = statements_of(event, around, choices.expectations)
    usual = [one.law for one in usual_statements(event, around)]
    statements = choices.drawn(possible, usual)
    beside: list[InputKey] = [key for key in _of_bounces(context, event) if reader.tells(key)]
    if event.kind is EventKind.THRUST:
        beside += [FactOf(*key) for key in known_by]
    if event.kind in (EventKind.UP_AND_BACK, EventKind.SLOPE):
        periods = range(len(event.dates) - 1)
        bodies = [body.name for body in context.trial.followed]
        beside += [Through(Integral.PATH, body, "", k) for body in bodies for k in periods]
    inputs = reader.inputs(dict.fromkeys([*keys_of(statements), *beside]))
    made = _drawn(event, statements, inputs, choices)
    return replace(made, read_from=reader.by, possible=tuple(one.law for one in possible))


def _as_it_is_read(event: Event, context: TrialContext, choices: Choices) -> TrialContext:
    """A trial with entries by hand among its facts, and where only an accelerometer was aboard,
    with the spans in which that was quiet. Raises AccountError where nothing tells the motion.
    """
    if not context.trial.recorded:
        raise AccountError(context.trial.name, NOTHING)
    if event.kind is EventKind.TOWED:
        aboard = gauge_of(context.trial, "a")
        if aboard is None:
            raise AccountError(context.trial.name, NO_MOTION)
        if not any(s.kind is SpanKind.REST for s in context.spans):
            quiet = Spans((*context.spans, *rests(context.trial, aboard)))
            context = replace(context, spans=quiet.in_order())
    if choices.typed:
        own = facts_of_entries(choices.typed, context.trial.id)
        context = replace(context, setup={**context.setup, **own})
    return context


def _while_pushed(context: TrialContext, event: Event) -> dict[tuple[str, str], Estimate]:
    """The acceleration of a body in a thrust run while a constant push acts on it, in m/s²."""
    bodies = context.trial.followed
    if event.kind is not EventKind.THRUST or len(bodies) != 1 or len(bodies[0].axes) != 1:
        return {}
    body = bodies[0]
    pushes = push_spans(context.spans.of(body.name))
    found = push_edges(context, body.name, body.axes[0], pushes[0]) if pushes else None
    return {(PUSHED_RATE, body.name): found.rate} if found and found.rate else {}


def _of_bounces(context: TrialContext, event: Event) -> list[DateValue]:
    """The motion before and after each bounce of hops, which tells when it is."""
    if event.kind is not EventKind.HOPS:
        return []
    body = context.trial.followed[0]
    places, orders = range(len(event.dates)), range(3)
    return [DateValue(k, body.name, a, d) for d in places for a in body.axes for k in orders]


def _swinging(context: TrialContext) -> TrialContext:
    """The same trial with one window for all axes of a body that swings in the plane: half of what
    the axis with most motion asks for, as the other goes back and forth twice as often, and by so
    little that noise may hide it from a search of its own.
    """
    body = context.trial.followed[0]
    if len(body.axes) < 2 or context.window != BY_DATA:
        return context
    widths = {c.axis: float(np.nanmax(c.si) - np.nanmin(c.si)) for c in body.channels}
    most = max(widths, key=lambda axis: widths[axis])
    sizes = context.local_fits(body.name, most).sizes[1]
    wanted = max(int(np.median(sizes)) // 2, LEAST_WINDOW)
    return replace(context, window=WindowRequest(samples=wanted))


def _where_pushed(context: TrialContext) -> tuple[str, ...]:
    """Bodies with a span of a push, or with one steady motion all the time."""
    return tuple(
        body.name
        for body in context.trial.followed
        if push_spans(own := context.spans.of(body.name)) or sum(s.kind.steady for s in own) <= 1
    )


def no_fit(_body: str, _span: Span) -> None:
    """Every amount is read from local fits."""


def _pressed(context: TrialContext, event: Event) -> float:
    """On which side of its rest a spring is pressed at the first date; 0 where it is none that
    launches.
    """
    rest = context.setup.get((SPRING_REST, ""))
    if event.kind is not EventKind.LAUNCH or rest is None:
        return 0.0
    channel = context.trial.followed[0].channels[0]
    row = int(np.searchsorted(context.trial.t, event.dates[0].t))
    near = channel.si[max(row - NEAR, 0) : row + 1]
    return float(np.sign(np.nanmedian(near) - rest[1].si))


def _drawn(
    event: Event,
    statements: list[Statement],
    inputs: JointScalars,
    choices: Choices,
    collision: CollisionInputs | None = None,
) -> Accounts:
    """Accounts of statements; `collision` are the inputs of a contact."""
    restitution = None if collision is None else restitution_of(collision)
    at = None if collision is None else collision.encounter
    ledgers: tuple[Ledger, ...] = tuple(drawn_up(one, inputs) for one in statements)

    def results() -> NamedResults:
        found = results_of(event, ledgers, inputs, at)
        if collision is not None and restitution is not None:
            law = impact_of(collision), Impact.RESTITUTION
            named = {"restitution": (restitution, "")}
            found = NamedResults(named, {"restitution": law}, (found,))
        return NamedResults(others=(found, percent_errors(found, choices.accepted)))

    together = joint_test(ledgers, inputs)
    return Accounts(str(event.kind), ledgers, together, restitution, inputs, results)


def gauge_sign(collision: CollisionInputs, gauge: tuple[str, str]) -> float:
    """Return 1.0, or −1.0 where a gauge clearly counts the other way than the motion it stops."""
    inputs = collision.inputs
    body, key = collision.encounter.bodies[0], Through(Integral.IMPULSE, *gauge, 0)
    if MassOf(body) not in inputs.names or "x" not in collision.encounter.axes:
        return 1.0
    one, two = (
        float(inputs.values[inputs.index(DateValue(1, body, "x", date))])
        for date in (OPENING, CLOSING)
    )
    pushed = float(inputs.values[inputs.index(key)])
    clear = abs(pushed) > CLEARLY * inputs.u(key)
    return -1.0 if clear and pushed * (two - one) < 0.0 else 1.0


def _sign_between(reader: DateReader, event: Event) -> float:
    """The same for a gauge that pulls or pushes a body through the first period of an event."""
    trial = reader.context.trial
    gauge, aboard = gauge_of(trial), gauge_of(trial, "a")
    bodies = [b.name for b in trial.followed] or ([aboard[0]] if aboard else [])
    if gauge is None or len(bodies) != 1:
        return 1.0
    key = Through(Integral.IMPULSE, *gauge, 0)
    rates = [DateValue(1, bodies[0], "x", date) for date in (OPENING, CLOSING)]
    if not all(reader.tells(rate) for rate in rates):
        return 1.0
    inputs = reader.inputs([key, *rates])
    pushed, one, two = (float(v) for v in inputs.values)
    clear = abs(pushed) > CLEARLY * inputs.u(key)
    return -1.0 if clear and pushed * (two - one) < 0.0 else 1.0


def _named(kind: EventKind, collision: CollisionInputs, e: Scalar | None) -> EventKind:
    """A kind of contact, told more closely by the speeds before and after."""
    at = collision.encounter
    if len(at.bodies) != 2:
        return kind
    if collision.resting == (True, False):
        return EventKind.EXPLOSION
    if e is None or abs(e.value) > CLEARLY * e.u or e.u > STICKS:
        return kind
    return EventKind.STICKING if all(_alike(collision, axis) for axis in at.axes) else kind


def _alike(collision: CollisionInputs, axis: str) -> bool:
    """Whether two bodies go on with the same velocity along an axis."""
    inputs = collision.inputs
    i, j = (inputs.index(DateValue(1, b, axis, CLOSING)) for b in collision.encounter.bodies)
    covariance = inputs.covariance
    u = np.sqrt(max(covariance[i, i] + covariance[j, j] - 2.0 * covariance[i, j], 0.0))
    return bool(abs(inputs.values[i] - inputs.values[j]) <= CLEARLY * u)
