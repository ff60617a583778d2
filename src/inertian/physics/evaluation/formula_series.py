"""Derived quantities at all samples of a trial, with their uncertainty: what a strip shows."""

from collections.abc import Mapping
from typing import Any

import numpy as np

from inertian.motion.numerics.operators import Operator
from inertian.motion.numerics.window_selection import LONG_RECORDING
from inertian.physics.definitions.formula_resolution import FormulaName
from inertian.physics.definitions.requests import TOTAL, QuantityRef
from inertian.physics.evaluation.formula_values import (
    SAME_CLOCK_SHARE,
    evaluate,
    fact_of_name,
    formula_values,
    operator_of,
    rate_of,
    reads_samples_as_they_are,
    resolved_formula,
    samples_of,
)
from inertian.physics.evaluation.trial_context import QuantityValues, TrialContext
from inertian.quantities.estimates import Array, ClockNoise, ReadingNoise, Rows
from inertian.quantities.facts import FactId

CHUNK = 20_000  # moments worked on at a time, so that memory stays small
WEIGHTS = 2_000_000  # in the windows that tell u along a long recording
FEWEST_PLACES, MOST_PLACES = 100, 5_000  # where u is worked out there


def formula_at_all_samples(
    context: TrialContext, shown: QuantityRef, body: str
) -> tuple[Array, Array]:
    """Return a derived quantity and its standard uncertainty at all samples, NaN where there
    is none; (n,).

    Weights on a sample that a value uses in several ways are added before they are squared.
    """
    t, n = context.trial.t, len(context.trial.t)
    value, u = np.full(n, np.nan), np.full(n, np.nan)
    here = np.arange(n)
    names = (body,) if body != TOTAL else tuple(b.name for b in context.trial.followed)
    followed = [
        c.si for b in context.trial.bodies if b.name in names for c in (*b.channels, *b.sensors)
    ]
    if body != TOTAL and followed:
        here = np.flatnonzero(np.isfinite(followed).any(axis=0))
    if n > LONG_RECORDING and len(here):
        return _along_long(context, shown, body, here)
    noise, us = context.clock_noise, context.us()
    for rows in np.split(here, np.arange(CHUNK, len(here), CHUNK)):
        whole = formula_values(context, shown, body, t[rows], rows)
        value[rows] = whole.values
        u[rows] = np.sqrt(_variance(whole, noise, us, rows, n))
    return value, u


def _along_long(
    context: TrialContext, shown: QuantityRef, body: str, here: Rows
) -> tuple[Array, Array]:
    """As `formula_at_all_samples` for a long recording: values at all samples, u at some, and
    between them in line.
    """
    t, ready = context.trial.t, resolved_formula(context, shown.axis, body)
    value, u = np.full(len(t), np.nan), np.full(len(t), np.nan)
    sampled = {n: d for n, d in ready.needed.items() if d.kind in ("local", "sensor")}
    local: dict[str, Any] = {n: _at_rows(context, d, here) for n, d in sampled.items()}
    rates = {
        n: _at_rows(context, rate_of(ready.needed[n]), here)
        for n in ready.formula.rates
        if n in sampled
    }
    fixed = {n: fact_of_name(context, d)[1] for n, d in ready.needed.items() if d.kind == "fact"}
    fixed |= {
        n: context.reading(d.fact).value for n, d in ready.needed.items() if d.kind == "reading"
    }
    with np.errstate(all="ignore"):
        value[here] = evaluate(context, ready, local, rates, t[here], fixed)
    wide = max((s for d in sampled.values() for s in _windows(context, d)), default=1)
    count = int(np.clip(WEIGHTS // wide, FEWEST_PLACES, MOST_PLACES))
    some = here[np.unique(np.linspace(0, len(here) - 1, count).astype(int))]
    whole = formula_values(context, shown, body, t[some], some)
    found = np.sqrt(_variance(whole, context.clock_noise, context.us(), some, len(t)))
    good = np.isfinite(found)
    if good.any():
        u[here] = np.interp(here, some[good], found[good])
    u[~np.isfinite(value)] = np.nan
    return value, u


def _windows(context: TrialContext, needed: FormulaName) -> list[int]:
    """The widest windows of the local fits of a channel."""
    if needed.kind == "sensor":
        return []
    return [
        int(s.max(initial=1)) for s in context.local_fits(needed.body, needed.axis).sizes.values()
    ]


def _at_rows(context: TrialContext, needed: FormulaName, rows: Rows) -> Array:
    """What a name stands for at the samples of some rows; between its own samples, where its clock
    is another.
    """
    t = context.trial.t
    if needed.kind == "sensor":
        return operator_of(context, needed, t[rows], rows).applied(samples_of(context, needed))
    as_read = needed.order == 0 and reads_samples_as_they_are(
        samples_of(context, needed), needed, rows
    )
    if as_read:
        return samples_of(context, needed)[rows]
    found = context.local_fits(needed.body, needed.axis).estimated(needed.order).value
    if np.isfinite(found[rows]).mean() > SAME_CLOCK_SHARE:
        return np.asarray(found[rows])
    own = np.flatnonzero(np.isfinite(found))
    return (
        np.interp(t[rows], t[own], found[own], np.nan, np.nan)
        if own.size
        else np.full(len(rows), np.nan)
    )


def _by_readings(one: Operator, two: Operator, noise: ReadingNoise, n: int) -> Array:
    """What white or correlated readings give two operators on a channel together."""
    if isinstance(noise.variance, float) and not noise.alike:
        return np.asarray(noise.variance * one.product(two))
    return one.product_under(two, np.zeros(n) + noise.variance, noise.alike)


def _variance(
    whole: QuantityValues, noise: ClockNoise, us: Mapping[FactId, float], rows: Rows, n: int
) -> Array:
    """The variance of each value of a trial of n samples: readings, time stamps along the motion
    there, facts.
    """
    variance = np.zeros(len(whole.values))
    along = (
        {c: np.asarray(rate)[rows] for c, rate in noise.rate.items()} if noise.jitter > 0.0 else {}
    )
    for k, (channel, one) in enumerate(whole.terms):
        for other, two in whole.terms[k:]:
            jitter = (
                noise.jitter * along[channel] * along[other]
                if channel in along and other in along
                else None
            )
            if channel != other and jitter is None:
                continue
            twice = 1.0 if one is two else 2.0
            if channel == other:
                variance += twice * _by_readings(one, two, noise.reading[channel][1], n)
            if jitter is not None:
                variance += twice * jitter * one.product(two)
    for channel in dict.fromkeys(channel for channel, _ in whole.terms):
        for pattern in noise.reading[channel][1].rounding:
            every = np.asarray(pattern[slice(0, n)])
            variance += (
                sum(one.applied(every) for other, one in whole.terms if other == channel) ** 2
            )
    for key, s in whole.facts.items():
        variance += (us[key] * s) ** 2
    return np.maximum(variance, 0.0)
