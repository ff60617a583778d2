"""Formulas at work: values of a derived quantity at any moments, with its operators on the
samples behind it.
"""

from collections.abc import Callable, Mapping, Sequence
from typing import Any

import numpy as np

from inertian.motion.numerics.integrals import Rule, rule_error, running_weights
from inertian.motion.numerics.operators import (
    Operator,
    identity_operator,
    operator_of_slopes,
    operator_of_weights,
)
from inertian.motion.recording.frame import ANGLE, zero_key
from inertian.motion.spans.spans import SpanKind
from inertian.physics.definitions.derived_quantities import DerivedQuantity, DerivedQuantityError
from inertian.physics.definitions.formula_resolution import FormulaName, ResolvedFormula, resolve
from inertian.physics.definitions.reading_units import units_by_name
from inertian.physics.definitions.requests import QuantityRef
from inertian.physics.evaluation.frame_facts import Motion
from inertian.physics.evaluation.trial_context import NoValueError, QuantityValues, TrialContext
from inertian.quantities.complex_step import slope
from inertian.quantities.estimates import Array, ChannelId, Estimate, Rows
from inertian.quantities.expressions import AREA, RATE, SIMPSON, STEPSUM
from inertian.quantities.facts import FactId

RULES = {AREA: Rule.TRAPEZOID, SIMPSON: Rule.SIMPSON, STEPSUM: Rule.STEP}
CENTRE_AT = {"x_c": ("centre x", 0), "y_c": ("centre y", 1)}
SAME_CLOCK_SHARE = 0.8  # share of readings at the moments asked for; less means a clock of its own
LEAST_QUIET_SAMPLES = 4  # samples in spans of rest, at least
AREA_SAMPLES = 3000  # a running area hangs on all samples before it
HIGHEST_ORDER = 3  # order of derivative that local fits give


def resolved_formula(context: TrialContext, symbol: str, body: str) -> ResolvedFormula:
    """Return a derived quantity, or the rate of an expression, as one expression for a body of a
    trial. Raises NoValueError.
    """
    asked = context.derived.get(symbol)
    if asked is None:
        if not symbol.startswith(f"{RATE}("):
            raise NoValueError(f"There is no quantity {symbol} any more.")
        asked = DerivedQuantity(symbol, symbol, "", symbol)
    axes = {b.name: b.axes for b in context.trial.bodies}
    sensors = {b.name: tuple(c.axis for c in b.sensors) for b in context.trial.bodies}
    try:
        readings = units_by_name(context.named.values())
        ready = resolve(
            asked, context.derived, body, axes, sensors, symbol in context.derived, readings
        )
    except DerivedQuantityError as error:
        raise NoValueError(str(error)) from None
    for part in _all_parts(ready):
        for needed in part.needed.values():
            if needed.kind == "fact":
                fact_of_name(context, needed)
        if any(n.kind == "local" and n.order == HIGHEST_ORDER for n in _inside_rates(part)):
            raise NoValueError(
                f"{symbol}: the second rate of an acceleration cannot be had from these samples."
            )
    if ready.areas and len(context.trial.t) > AREA_SAMPLES:
        raise NoValueError(
            f"{symbol}: running areas and levels are worked out up to {AREA_SAMPLES} samples. "
            "Read an area instead."
        )
    return ready


def _all_parts(ready: ResolvedFormula) -> list[ResolvedFormula]:
    return [ready, *(part for one in ready.areas.values() for part in _all_parts(one))]


def _inside_rates(ready: ResolvedFormula) -> list[FormulaName]:
    return [ready.needed[name] for name in ready.formula.rates]


def fact_of_name(context: TrialContext, needed: FormulaName) -> tuple[FactId | None, float]:
    """The fact a name stands for, and its value in SI. Raises NoValueError where it is not
    known.
    """
    if needed.fact == "m":
        if needed.body not in context.masses:
            raise NoValueError(
                f"The mass of {needed.body or 'the body'} is not known. Type it in the margin."
            )
        key, fact = context.masses[needed.body]
        return key, fact.si
    if needed.fact in CENTRE_AT:
        if context.frame.centre is None:
            raise NoValueError("It needs a centre of rotation. Set the centre in the frame.")
        name, place = CENTRE_AT[needed.fact]
        return (context.shared[name][0] if name in context.shared else None), context.frame.centre[
            place
        ]
    for owner in (needed.body, ""):
        if (needed.fact, owner) in context.setup:
            key, fact = context.setup[needed.fact, owner]
            return key, fact.si
    raise NoValueError(f"{needed.fact} is not known. Type it in the setup.")


def _evaluated(
    context: TrialContext,
    ready: ResolvedFormula,
    local: Mapping[str, Any],
    rates: Mapping[str, Any],
    times: Array,
) -> tuple[Array, dict[str, Array], dict[str, Array]]:
    """Values, and ∂/∂(each name) and ∂/∂(rate of each name), from values and rates of the names;
    shape (m,) each.
    """
    values: dict[str, Any] = dict(local)
    for name, needed in ready.needed.items():
        if needed.kind == "fact":
            values[name] = fact_of_name(context, needed)[1]
        elif needed.kind == "time":
            values[name] = times
        elif needed.kind == "reading":
            values[name] = context.reading(needed.fact).value
    m = len(times)
    rates = {**rates, **{n: 1.0 for n, needed in ready.needed.items() if needed.kind == "time"}}

    def run(moved: Mapping[str, Any], moved_rates: Mapping[str, Any]) -> Any:
        return ready.formula.along(moved, moved_rates) + np.zeros(m)

    def by_value(name: str) -> Array:
        return np.asarray(slope(lambda x: run({**values, name: x}, rates), values[name]))

    def by_rate(name: str) -> Array:
        return np.asarray(slope(lambda x: run(values, {**rates, name: x}), rates[name]))

    moving = [n for n in values if n not in ready.needed or ready.needed[n].kind != "time"]
    with np.errstate(all="ignore"):
        y = np.asarray(run(values, rates), dtype=float)
        slopes = {name: by_value(name) for name in moving}
        of_rates = {name: by_rate(name) for name in rates if name in local}
    return y, slopes, of_rates


def evaluate(
    context: TrialContext,
    ready: ResolvedFormula,
    local: Mapping[str, Any],
    rates: Mapping[str, Any],
    times: Array,
    facts: Mapping[str, Any],
) -> Array:
    """Return values of a formula in SI from those of its names, its rates and its facts; shapes
    (…, m), times in s of shape (m,).
    """
    at = {n: times for n, needed in ready.needed.items() if needed.kind == "time"}
    rates = {**rates, **dict.fromkeys(at, 1.0)}
    return np.asarray(
        ready.formula.along({**local, **facts, **at}, rates) + np.zeros(len(times)), dtype=float
    )


def formula_values(
    context: TrialContext, shown: QuantityRef, body: str, times: Array, rows: Rows | None = None
) -> QuantityValues:
    """Return a derived quantity in SI at some times in s, shape (m,), as `quantity_values`.
    Raises NoValueError.
    """
    return _read_out(context, resolved_formula(context, shown.axis, body), times, rows)


def _read_out(
    context: TrialContext, ready: ResolvedFormula, times: Array, rows: Rows | None
) -> QuantityValues:
    m = len(times)
    operators: dict[FormulaName, Operator] = {}

    def operator(needed: FormulaName) -> Operator:
        if needed not in operators:
            operators[needed] = operator_of(context, needed, times, rows)
        return operators[needed]

    sampled = {n: d for n, d in ready.needed.items() if d.kind in ("local", "sensor")}
    local = {n: operator(d).applied(samples_of(context, d)) for n, d in sampled.items()}
    areas = {name: _integral_values(context, name, one, times) for name, one in ready.areas.items()}
    local |= {name: one.values for name, one in areas.items()}
    above = {n: rate_of(ready.needed[n]) for n in ready.formula.rates if n in sampled}
    rates = {n: operator(d).applied(samples_of(context, d)) for n, d in above.items()}
    y, slopes, of_rates = _evaluated(context, ready, local, rates, times)
    terms = [(_channel(context, d), operator(d).scaled(slopes[n])) for n, d in sampled.items()]
    terms += [
        (_channel(context, above[n]), operator(above[n]).scaled(s)) for n, s in of_rates.items()
    ]
    terms += [
        (channel, o.scaled(slopes[n])) for n, one in areas.items() for channel, o in one.terms
    ]
    facts = _facts(context, ready, slopes, m)
    taken = {n: context.reading(d.fact) for n, d in ready.needed.items() if d.kind == "reading"}
    terms += [term for name, one in taken.items() for term in _spread(context, one, slopes[name])]
    pulled = [(d, slopes[n], local[n]) for n, d in sampled.items() if d.kind == "local"]
    pulled += [(d, of_rates[n], rates[n]) for n, d in above.items() if d.kind == "local"]
    sensed = [(d, slopes[n], local[n]) for n, d in sampled.items() if d.kind == "sensor"]
    sensed += [(d, of_rates[n], rates[n]) for n, d in above.items() if d.kind == "sensor"]
    more = [
        _bias_slopes(context, pulled + sensed, times, rows),
        _frame_slopes(context, pulled, operator, m),
        _zeroed(context, sampled, slopes),
    ]
    more += [{key: slopes[n] * s for key, s in one.facts.items()} for n, one in areas.items()]
    more += [
        {k: slopes[n] * s for k, s in one.sensitivities.items() if isinstance(k, FactId)}
        for n, one in taken.items()
    ]
    for key, s in ((key, s) for part in more for key, s in part.items()):
        facts[key] = facts.get(key, np.zeros(m)) + s
    return QuantityValues(times, y, tuple(terms), facts)


def _spread(
    context: TrialContext, reading: Estimate, slopes: Array
) -> list[tuple[ChannelId, Operator]]:
    """What samples a reading owes to, as operators of slope_j · reading."""
    found = []
    for channel, one in reading.weights.items():
        body = context.trial.body(channel.body)
        samples = next(c for c in (*body.channels, *body.sensors) if c.axis == channel.axis).si
        whole = np.zeros(len(samples))
        whole[one.start : one.stop] = one.values
        usable = np.flatnonzero(np.isfinite(samples))
        found.append((channel, operator_of_slopes(usable, whole[usable], slopes)))
    return found


def _integral_values(
    context: TrialContext, name: str, inner: ResolvedFormula, times: Array
) -> QuantityValues:
    """An area or a level at some times: what hangs on the values of an expression at all
    samples.
    """
    t = context.trial.t
    whole = _read_out(context, inner, t, np.arange(len(t)))
    good = np.flatnonzero(np.isfinite(whole.values))
    if len(good) < 2:
        return QuantityValues(times, np.full(len(times), np.nan), (), {})
    counts = np.zeros((len(times), len(t)))
    counts[:, good] = integral_weights(context, name, t[good], times)
    values = counts[:, good] @ whole.values[good]
    values[(times < t[good[0]]) | (times > t[good[-1]])] = np.nan
    terms = [
        (channel, operator_of_weights(o.usable, counts @ o.matrix())) for channel, o in whole.terms
    ]
    facts = {key: counts @ np.nan_to_num(s) for key, s in whole.facts.items()}
    rule = rule_of(name)
    if rule is not None:
        key = context.rule_bias_fact
        left = np.interp(times, t[good], rule_error(t[good], whole.values[good], rule))
        facts[key] = facts.get(key, np.zeros(len(times))) + left
    return QuantityValues(times, values, tuple(terms), facts)


def integral_weights(context: TrialContext, name: str, t: Array, times: Array) -> Array:
    """Return what samples at t count for in an integral or a level at some times, shape (m, n)."""
    rule = rule_of(name)
    return (
        running_weights(t, times, rule) if rule is not None else _level_weights(context, t, times)
    )


def rule_of(name: str) -> Rule | None:
    """Return the rule that a part of a formula integrates by, None if it is no integral."""
    return next((rule for function, rule in RULES.items() if name.startswith(function)), None)


def _level_weights(context: TrialContext, t: Array, times: Array) -> Array:
    """Values at some times less the line through those in spans of rest, or less their mean if
    there is one span.
    """
    rests = [span for span in context.spans if span.kind is SpanKind.REST]
    quiet = np.zeros(len(t), dtype=bool)
    for span in rests:
        quiet |= (t >= span.start) & (t <= span.stop)
    if quiet.sum() < LEAST_QUIET_SAMPLES:
        raise NoValueError(
            "level(…) needs a span of rest, or one before and one after. Mark where nothing "
            "happens."
        )
    rows = np.flatnonzero(quiet)
    size = 2 if len(rests) > 1 else 1
    middle = t[rows].mean()
    operator = np.linalg.pinv(np.vander(t[rows] - middle, size, increasing=True))
    counts = np.zeros((len(times), len(t)))
    before = np.clip(np.searchsorted(t, times, "right") - 1, 0, len(t) - 2)
    share = (times - t[before]) / (t[before + 1] - t[before])
    every = np.arange(len(times))
    counts[every, before] = 1.0 - share
    counts[every, before + 1] += share
    counts[:, rows] -= np.vander(times - middle, size, increasing=True) @ operator
    return counts


def _zeroed(
    context: TrialContext, sampled: Mapping[str, FormulaName], slopes: Mapping[str, Array]
) -> dict[FactId, Array]:
    """∂y/∂fact of the zeros of sensors."""
    found: dict[FactId, Array] = {}
    for name, needed in sampled.items():
        zero = (
            context.shared.get(zero_key(needed.body, needed.axis))
            if needed.kind == "sensor"
            else None
        )
        if zero is not None:
            found[zero[0]] = found.get(zero[0], np.zeros(len(slopes[name]))) - slopes[name]
    return found


def rate_of(needed: FormulaName) -> FormulaName:
    """What the rate of a name is."""
    return FormulaName(needed.kind, needed.body, needed.axis, needed.order + 1)


def samples_of(context: TrialContext, needed: FormulaName) -> Array:
    """Return the samples of the channel or sensor that a name stands for, in SI, shape (n,)."""
    if needed.kind == "sensor":
        return context.sensor(needed.body, needed.axis).si
    return context.trial.body(needed.body).channel(needed.axis).si


def _channel(context: TrialContext, needed: FormulaName) -> Any:
    return context.trial.channel_id(needed.body, needed.axis)


def operator_of(
    context: TrialContext, needed: FormulaName, times: Array, rows: Rows | None
) -> Operator:
    """Return the values of one name at some times in s, shape (m,), as weights on its samples.

    A body of another clock is fitted locally at the times that are asked for.
    """
    x = samples_of(context, needed)
    usable = np.flatnonzero(np.isfinite(x))
    if rows is not None and reads_samples_as_they_are(x, needed, rows):
        return identity_operator(usable, rows)
    return context.local_fits(needed.body, needed.axis).operator(times, needed.order)


def reads_samples_as_they_are(x: Array, needed: FormulaName, rows: Rows) -> bool:
    """Whether samples x, shape (n,), are read off as they are at some rows, and not fitted
    locally.
    """
    return needed.order == 0 and bool(np.isfinite(x[rows]).mean() > SAME_CLOCK_SHARE)


def _bias_slopes(
    context: TrialContext, pulled: "ChannelTerms", times: Array, rows: Rows | None
) -> dict[FactId, Array]:
    """What local fits may leave out of the values."""
    found: dict[FactId, Array] = {}
    for needed, s, _ in pulled:
        if rows is None or not reads_samples_as_they_are(samples_of(context, needed), needed, rows):
            left_out = context.left_out(needed.body, needed.axis, needed.order, times)
            for key, one in left_out.items():
                found[key] = found.get(key, np.zeros(len(times))) + s * one
    return found


def _facts(
    context: TrialContext, ready: ResolvedFormula, slopes: Mapping[str, Array], m: int
) -> dict[FactId, Array]:
    """∂y/∂fact of the facts in the formula."""
    found: dict[FactId, Array] = {}
    for name, needed in ready.needed.items():
        key = fact_of_name(context, needed)[0] if needed.kind == "fact" else None
        if key is not None:
            found[key] = found.get(key, np.zeros(m)) + slopes[name]
    return found


ChannelTerms = Sequence[
    tuple[FormulaName, Array, Array]
]  # a local derivative, ∂y by it, and its value


def _frame_slopes(
    context: TrialContext, pulled: ChannelTerms, operator: Callable[[FormulaName], Operator], m: int
) -> dict[FactId, Array]:
    """∂y/∂fact of the facts of the frame."""
    found: dict[FactId, Array] = {}
    for needed, s, value in pulled:
        across = None
        if ANGLE in context.shared and set(context.trial.body(needed.body).axes) == {"x", "y"}:
            axis = "y" if needed.axis == "x" else "x"
            other = FormulaName("local", needed.body, axis, needed.order)
            across = operator(other).applied(samples_of(context, other))
        motion = Motion(needed.axis, needed.order, value, across)
        for key, by_fact in motion.slopes(context.frame, context.shared).items():
            found[key] = found.get(key, np.zeros(m)) + s * by_fact
    return found
