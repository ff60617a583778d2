"""Integrals over a period of what was recorded, as estimates on its samples: with what the rule may
leave out.
"""

import numpy as np

from inertian.motion.numerics.integrals import sudden_error, trapezoid_error
from inertian.physics.definitions.requests import Quantity, QuantityRef
from inertian.physics.evaluation.quantity_values import quantity_values
from inertian.physics.evaluation.trial_context import NoValueError, TrialContext
from inertian.quantities.estimates import Array, Estimate, SampleWeights, weighted_sum

BASELINE_ROWS = 3  # samples beside a push, at least, that tell where a gauge has its zero


def impulse(context: TrialContext, body: str, axis: str, start: float, stop: float) -> Estimate:
    """Return the impulse of a recorded force in N·s between two times in s, above its zero as
    the quiet spans before and after tell it. Raises NoValueError.
    """
    whole = integral(context, QuantityRef(Quantity.SENSOR, axis), body, start, stop)
    level = _baseline(context, body, axis, start, stop)
    return whole if level is None else weighted_sum([(1.0, whole), (-1.0, level)])


def _baseline(
    context: TrialContext, body: str, axis: str, start: float, stop: float
) -> Estimate | None:
    """∫ of the line through the quiet samples on both sides; of a constant, where there are
    some on one side only.
    """
    t, y = context.trial.t, context.sensor(body, axis).si
    quiet = np.zeros(len(t), dtype=bool)
    for span in context.spans:
        if span.kind.steady:
            quiet[span.rows(t)] = True
    quiet &= np.isfinite(y) & ((t < start) | (t > stop))
    rows = np.flatnonzero(quiet)
    if len(rows) < BASELINE_ROWS:
        return None
    sides = (int(np.sum(t[rows] < start)), int(np.sum(t[rows] > stop)))
    tau = t[rows] - t[rows].mean()
    weights = np.full(len(rows), 1.0 / len(rows))
    if min(sides) >= BASELINE_ROWS:
        middle = 0.5 * (start + stop) - t[rows].mean()
        weights = weights + middle * tau / (tau @ tau)
    spread = np.zeros(rows[-1] - rows[0] + 1)
    spread[rows - rows[0]] = weights * (stop - start)
    channel = context.trial.channel_id(body, axis)
    value = float(spread[rows - rows[0]] @ y[rows])
    return Estimate(value, {channel: SampleWeights(int(rows[0]), spread)})


def integral(
    context: TrialContext,
    shown: QuantityRef,
    body: str,
    start: float,
    stop: float,
) -> Estimate:
    """Return ∫ of a quantity over time in SI between two times in s, as straight lines between
    samples have it, with what that may leave out (trapezoid rule; Davis & Rabinowitz, *Methods of
    Numerical Integration*, 2nd ed., 1984, 2.1). Raises NoValueError where samples are missing.
    """
    t = context.trial.t
    first = max(int(np.searchsorted(t, start, "right")) - 1, 0)
    last = min(int(np.searchsorted(t, stop, "left")), len(t) - 1)
    rows = np.arange(first, last + 1)
    whole = quantity_values(context, shown, body, t[rows], rows)
    good = np.flatnonzero(np.isfinite(whole.values))
    if len(good) < 2:
        raise NoValueError(f"There are too few samples from {start:.4g} s to {stop:.4g} s.")
    c = np.zeros(len(rows))
    c[good] = _line_weights(t[rows[good]], start, stop)
    estimate = whole.estimate(c)
    y = whole.values[good]
    variance = np.zeros(len(y))
    if shown.quantity is Quantity.SENSOR:
        noise = context.clock_noise.reading[context.trial.channel_id(body, shown.axis)][1]
        variance = noise.of_one(len(t))[rows[good]]
    left = float(
        np.hypot(trapezoid_error(t[rows[good]], y), sudden_error(t[rows[good]], y, variance))
    )
    slopes = {**estimate.sensitivities, context.rule_bias_fact: left}
    return Estimate(estimate.value, estimate.weights, slopes)


def _line_weights(t: Array, start: float, stop: float) -> Array:
    """What each of n samples at times t in s counts for in ∫ of the straight lines between them,
    from start to stop; what lies beyond the first and the last keeps their values.
    """
    found = np.zeros(len(t))
    low, high = np.clip(t[:-1], start, stop), np.clip(t[1:], start, stop)
    length, step = high - low, np.diff(t)
    right = (0.5 * (low + high) - t[:-1]) / step  # where the middle of each piece is, 0 to 1
    found[:-1] += length * (1.0 - right)
    found[1:] += length * right
    found[0] += max(t[0] - start, 0.0)
    found[-1] += max(stop - t[-1], 0.0)
    return found
