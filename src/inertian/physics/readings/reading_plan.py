"""What a reading is taken of: which moments, and how their values make one number."""

from dataclasses import dataclass, replace

import numpy as np

from inertian.motion.numerics.integrals import (
    Rule,
    sample_weights,
    sudden_error,
    trapezoid_error,
)
from inertian.motion.numerics.window_selection import LONG_RECORDING
from inertian.motion.spans.spans import Span
from inertian.physics.definitions.derived_quantities import SENSOR_SUFFIX
from inertian.physics.definitions.reading_units import rate_unit
from inertian.physics.definitions.requests import (
    AT_MOMENT,
    BETWEEN,
    TOTAL,
    NamedReading,
    Quantity,
    QuantityRef,
    ReadingKind,
)
from inertian.physics.evaluation.quantity_values import MAGNITUDE, quantity_values
from inertian.physics.evaluation.trial_context import (
    LeftOut,
    NoValueError,
    QuantityValues,
    TrialContext,
)
from inertian.quantities.estimates import Array, Estimate, Rows
from inertian.quantities.expressions import RATE

MOST_COMPARED = 200  # moments at which a value may be the least or greatest
MOST_LOOKED_AT = 2_000  # moments that a least or greatest value is looked for at
IN_A_WINDOW = 16  # moments in a window that a reading over a long span is taken of
# What a slope is of
EXPRESSIONS = {
    Quantity.POSITION: "sqrt(x^2 + y^2)",
    Quantity.VELOCITY: "v",
    Quantity.ACCELERATION: "a",
    Quantity.SPEED: "v",
    Quantity.MOMENTUM: "m * v",
    Quantity.KINETIC: "0.5 * m * v^2",
    Quantity.ANGULAR_SPEED: "ω",
    Quantity.RADIUS: "r",
}
STEEPER = {Quantity.POSITION: Quantity.VELOCITY, Quantity.VELOCITY: Quantity.ACCELERATION}


class TooFewError(NoValueError):
    """There are too few samples about a moment."""


@dataclass(frozen=True, eq=False)
class ReadingPlan:
    """A reading as Σ_j c_j · value_j over m moments in s; or, without c, the second value over the
    first, or a spread.

    `rows` are those of the samples at the moments, if they are at samples.
    """

    kind: ReadingKind
    shown: QuantityRef
    times: Array
    rows: Rows | None
    c: Array | None
    whole: QuantityValues

    def estimate(self) -> Estimate:
        """Return the reading as an estimate; only where it has c."""
        assert self.c is not None
        return self.whole.estimate(self.c)

    def taken(self, values: Array) -> Array:
        """Return the reading of many sets of values, shape (k, m), as (k,)."""
        if self.c is not None:
            return np.asarray(values[:, self.c != 0.0] @ self.c[self.c != 0.0])
        if self.kind is ReadingKind.RATIO:
            return np.asarray(values[:, 1] / values[:, 0])
        return np.asarray(np.nanstd(values, axis=1, ddof=1))


def span_of(context: TrialContext, name: str) -> Span:
    """Return a span by name. Raises NoValueError."""
    try:
        return context.spans.named(name)
    except KeyError:
        raise NoValueError(f"There is no span “{name}” in this trial.") from None


def reading_plan(context: TrialContext, named: NamedReading) -> ReadingPlan:
    """Return what a named reading is taken of. Raises NoValueError with what is missing."""
    if named.kind in BETWEEN:
        times = np.array(named.times)
        c = np.array([-1.0, 1.0]) if named.kind is ReadingKind.DIFFERENCE else None
        return ReadingPlan(
            named.kind,
            named.shown,
            times,
            None,
            c,
            quantity_values(context, named.shown, named.body, times),
        )
    if named.kind in AT_MOMENT:
        return at_moment_plan(context, named.shown, named.body, named.times[0], named.kind)
    return over_span_plan(
        context, named.shown, named.body, span_of(context, named.span), named.kind
    )


def at_moment_plan(
    context: TrialContext, shown: QuantityRef, body: str, time: float, kind: ReadingKind
) -> ReadingPlan:
    """Return what a value or a local slope is taken of. Raises TooFewError where there are too
    few samples, NoValueError where something else is missing.
    """
    times = np.array([time])
    if kind is ReadingKind.VALUE:
        return ReadingPlan(
            kind, shown, times, None, np.ones(1), quantity_values(context, shown, body, times)
        )
    steeper = _rate_of(context, shown, body)
    whole = quantity_values(context, steeper, body, times)
    if not np.isfinite(whole.values).all():
        raise TooFewError("There are too few samples at that moment.")
    return ReadingPlan(kind, steeper, times, None, np.ones(1), whole)


def _rate_of(context: TrialContext, shown: QuantityRef, body: str) -> QuantityRef:
    """What the slope of a quantity is: the next derivative, or the rate of its expression by the
    chain rule.
    """
    if body != TOTAL and shown.quantity in STEEPER and shown.axis in context.trial.body(body).axes:
        return QuantityRef(STEEPER[shown.quantity], shown.axis)
    if shown.quantity is Quantity.ANGLE:
        return QuantityRef(Quantity.ANGULAR_SPEED)
    if shown.quantity is Quantity.SENSOR:
        expression = shown.axis + SENSOR_SUFFIX
    elif shown.quantity is Quantity.DERIVED:
        expression = shown.axis
    else:
        axis = "" if shown.axis == MAGNITUDE else shown.axis
        expression = EXPRESSIONS[shown.quantity] + (f"_{axis}" if axis else "")
        if body == TOTAL:
            place = {one.name: k for k, one in enumerate(context.trial.bodies, 1)}
            names = [f"_{place[name]}" for name in context.bodies_of(TOTAL)]
            expression = " + ".join(_of_body(expression, name) for name in names)
    return QuantityRef(Quantity.DERIVED, f"{RATE}({expression})", rate_unit(shown.unit))


def _of_body(expression: str, suffix: str) -> str:
    """An expression of masses and speeds for one of several bodies."""
    mass, star, rest = expression.rpartition(" * ")
    power = "^2" if rest.endswith("^2") else ""
    return f"{mass}{suffix}{star}{rest.removesuffix(power)}{suffix}{power}"


def over_span_plan(
    context: TrialContext, shown: QuantityRef, body: str, span: Span, kind: ReadingKind
) -> ReadingPlan:
    """Return what a reading over a span is taken of. Raises NoValueError where the span holds too
    few samples.
    """
    if kind is ReadingKind.CHANGE:
        ends = _inside(context, body, span)
        return ReadingPlan(
            kind,
            shown,
            ends,
            None,
            np.array([-1.0, 1.0]),
            quantity_values(context, shown, body, ends),
        )
    if kind in (ReadingKind.LEAST, ReadingKind.GREATEST):
        return _extreme_plan(context, shown, body, span, kind)
    all_rows = span.rows(context.trial.t)
    rows = _thinned(context, shown, body, np.arange(all_rows.start, all_rows.stop), kind)
    t = context.trial.t[rows]
    whole = quantity_values(context, shown, body, t, rows)
    good = np.flatnonzero(np.isfinite(whole.values))
    if len(good) < 2:
        raise NoValueError(f"“{span.name}” holds too few samples of it. Widen the span.")
    if kind is ReadingKind.SPREAD:
        whole = quantity_values(context, shown, body, t[good], rows[good])
        return ReadingPlan(kind, shown, t[good], rows[good], None, whole)
    c = np.zeros(len(rows))
    c[good] = _coefficients(kind, t[good], whole.values[good])
    if kind is ReadingKind.AREA:
        rule = _left_out_by_rule(context, shown, body, rows[good], whole.values[good])
        left = _with_local_fits(whole, c, rule)
        whole = replace(
            whole,
            facts={
                **whole.facts,
                context.rule_bias_fact: np.full(len(rows), left / float(c.sum())),
            },
        )
    return ReadingPlan(kind, shown, t, rows, c, whole)


def _extreme_plan(
    context: TrialContext, shown: QuantityRef, body: str, span: Span, kind: ReadingKind
) -> ReadingPlan:
    """Return what the least or greatest value is taken of: the smooth motion where it may be least
    or greatest, each value as far as it is likely to be that.

    The least of noisy samples is too low by what their noise does to the lowest of so many.
    """
    all_rows = span.rows(context.trial.t)
    rows = np.arange(all_rows.start, all_rows.stop)
    if len(rows) > MOST_LOOKED_AT:
        rows = rows[np.unique(np.linspace(0, len(rows) - 1, MOST_LOOKED_AT).astype(int))]
    times = context.trial.t[rows]
    values = quantity_values(context, shown, body, times).values
    good = np.flatnonzero(np.isfinite(values))
    if len(good) < 2:
        raise NoValueError(f"“{span.name}” holds too few samples of it. Widen the span.")
    sign = 1.0 if kind is ReadingKind.LEAST else -1.0
    t, y = times[good], sign * values[good]
    k = int(np.argmin(y))
    best = _vertex(t[k - 1 : k + 2], y[k - 1 : k + 2]) if 0 < k < len(t) - 1 else float(t[k])
    some = good[np.unique(np.linspace(0, len(good) - 1, MOST_COMPARED).astype(int))]
    moments = np.union1d(times[some], [best])
    whole = quantity_values(context, shown, body, moments)
    c = _likely(context, whole, int(np.searchsorted(moments, best)))
    middle = float(c @ whole.values)
    apart = float(np.sqrt(c @ (whole.values - middle) ** 2))
    facts = {**whole.facts, context.rule_bias_fact: np.full(len(moments), apart)}
    return ReadingPlan(kind, shown, moments, None, c, replace(whole, facts=facts))


def _likely(context: TrialContext, whole: QuantityValues, k: int) -> Array:
    """How likely each value is to be the extreme that the k-th seems to be, (m,): by how many u it
    is away from that.

    Of values that are all alike the lowest is too low by what their errors do to the lowest of so
    many; then all of them are taken.
    """
    variance = np.zeros(len(whole.values))
    for channel, operator in whole.terms:
        weights = operator.matrix()
        one = float(np.mean(context.clock_noise.reading[channel][1].of_one(len(context.trial.t))))
        variance += one * np.sum((weights - weights[k]) ** 2, axis=1)
    for key, slopes in whole.facts.items():
        if isinstance(key, LeftOut):
            variance += np.nan_to_num(slopes - slopes[k]) ** 2
    away = np.where(np.isfinite(whole.values), whole.values - whole.values[k], np.inf)
    with np.errstate(divide="ignore", invalid="ignore", over="ignore"):
        found = np.exp(-0.5 * away**2 / variance)
    found[k] = 1.0
    found = np.nan_to_num(found)
    return np.asarray(found / found.sum())


def _vertex(t: Array, y: Array) -> float:
    """When the parabola through three values, the middle one of which is the least, is least."""
    left, right = (y[0] - y[1]) / (t[1] - t[0]), (y[2] - y[1]) / (t[2] - t[1])
    if not left + right > 0.0:
        return float(t[1])
    bend = (left + right) / (t[2] - t[0])
    slope = (right * (t[1] - t[0]) - left * (t[2] - t[1])) / (t[2] - t[0])
    return float(np.clip(t[1] - 0.5 * slope / bend, t[0], t[2]))


def _left_out_by_rule(
    context: TrialContext, shown: QuantityRef, body: str, rows: Rows, y: Array
) -> float:
    """What trapezoids leave out: by the slopes at the ends, and where values change suddenly."""
    variance = np.zeros(len(y))
    if shown.quantity in (Quantity.POSITION, Quantity.SENSOR):
        key = context.trial.channel_id(body, shown.axis)
        noise = context.clock_noise.reading[key][1]
        variance = noise.of_one(len(context.trial.t))[rows]
    t = context.trial.t[rows]
    return float(np.hypot(trapezoid_error(t, y), sudden_error(t, y, variance)))


ALIKE = 0.5  # correlation of the two in simulated swings


def _with_local_fits(whole: QuantityValues, c: Array, left: float) -> float:
    """What the rule leaves out of an area, and what it shares with local fits: both grow with
    curvature.
    """
    bias_fact = [key for key in whole.facts if isinstance(key, LeftOut)]
    local = float(
        np.sqrt(sum(float(c @ np.nan_to_num(whole.facts[key])) ** 2 for key in bias_fact))
    )
    return float(np.sqrt(left**2 + 2.0 * ALIKE * local * abs(left)))


def _thinned(
    context: TrialContext, shown: QuantityRef, body: str, rows: Rows, kind: ReadingKind
) -> Rows:
    """The rows that a reading over a span is taken of: in long recordings a few in each window of
    local fits.

    They are the middles of equal blocks, so that a mean stays one over all; for an area they reach
    from end to end.
    """
    if len(rows) <= LONG_RECORDING or shown.quantity in (Quantity.POSITION, Quantity.SENSOR):
        return rows
    fits = [
        context.local_fits(n, a)
        for n in context.bodies_of(body)
        for a in context.trial.body(n).axes
    ]
    narrow = min((w[0] for f in fits for k in (1, 2) if (w := f.windows(k))), default=1)
    count = len(rows) // max(narrow // IN_A_WINDOW, 1)
    ends = np.linspace(0, len(rows), count + 1)
    places = (
        np.linspace(0, len(rows) - 1, count)
        if kind is ReadingKind.AREA
        else 0.5 * (ends[1:] + ends[:-1])
    )
    return np.asarray(rows[np.unique(places.astype(int))])


def _inside(context: TrialContext, body: str, span: Span) -> Array:
    """Both ends of a span, on the inner side of a wall that stands there."""
    tiny = 1e-9 * span.length
    walls = np.asarray(context.walls(body))
    start = span.start + (tiny if np.any(np.abs(walls - span.start) < tiny) else 0.0)
    stop = span.stop - (tiny if np.any(np.abs(walls - span.stop) < tiny) else 0.0)
    return np.array([start, stop])


def _coefficients(kind: ReadingKind, t: Array, y: Array) -> Array:
    """What each sample counts for in a reading over a span; t in s and y in SI of shape (n,), the
    result too.
    """
    n = len(t)
    if kind is ReadingKind.MEAN:
        return np.full(n, 1.0 / n)
    if kind is ReadingKind.TREND:
        tau = t - t.mean()
        return np.asarray(tau / (tau @ tau))
    if kind is ReadingKind.AREA:
        return sample_weights(t, Rule.TRAPEZOID)
    raise ValueError(f"{kind} is not a sum over samples")
