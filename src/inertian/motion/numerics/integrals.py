"""Integrals of sampled quantities, once and twice, at any spacing, each with the uncertainty that comes with it.

A rule gives the integral over one step from the samples around it: half of both ends (trapezoid), the parabolas
through three neighbours on either side (Simpson), or the value at the start of the step (the plain step sum). All are
linear in the samples, so their uncertainty follows from weights (JCGM 100:2008, 5.2.2): for white errors that of a
single integral grows as √t, of a double one as t^(3/2); an unknown offset of the sensor grows as t and t²/2.
"""

from collections.abc import Mapping, Sequence
from dataclasses import dataclass
from enum import StrEnum

import numpy as np

from inertian.quantities.errors import Refusal
from inertian.quantities.estimates import Array

READINGS, START, OFFSET, LEFT_OUT = (
    "readings and baseline",
    "initial value",
    "offset",
    "left out by the rule",
)


class Rule(StrEnum):
    """How the integral over one step is had from samples."""

    TRAPEZOID = "trapezoid"
    SIMPSON = "Simpson"
    STEP = "step sum"


@dataclass(frozen=True, eq=False)
class Baseline:
    """What a sensor shows while nothing happens: offset + drift · (t − t0).

    `weights` of shape (2, n) are what each sample counts for in the two, `covariance` of shape (2, 2) that of the two.
    """

    offset: float
    drift: float
    t0: float
    covariance: Array
    weights: Array

    def at(self, t: Array) -> Array:
        """Return the baseline at times t in s, shape (n,)."""
        return np.asarray(self.offset + self.drift * (t - self.t0))


@dataclass(frozen=True, eq=False)
class RunningIntegral:
    """A running integral from the first sample on: values and standard uncertainties, shape (n,).

    `parts` are the standard uncertainties by source, shape (n,) each; their squares add up to u². `left_out` is what
    the rule is reckoned to leave out: integral by the rule minus a better one.
    """

    t: Array
    value: Array
    u: Array
    parts: Mapping[str, Array]
    left_out: Array


def baseline(
    t: Array, y: Array, quiet: Sequence[tuple[float, float]], drifts: bool, correlation: float = 0.0
) -> Baseline:
    """Return the baseline of a sensor from quiet stretches of time in s; y of shape (n,), NaN where missing.

    A constant, or a straight line if it `drifts`, by least squares; its covariance is from the scatter about it, times
    (1 + ρ)/(1 − ρ) for errors correlated as ρ^k. Raises Refusal where the stretches hold too few samples.
    """
    inside = np.zeros(len(t), dtype=bool)
    for start, stop in quiet:
        inside |= (t >= start) & (t <= stop)
    rows = np.flatnonzero(inside & np.isfinite(y))
    size = 2 if drifts else 1
    if len(rows) < size + 2:
        raise Refusal("The quiet stretches hold too few samples for a baseline. Widen them.")
    t0 = float(t[rows].mean())
    design = np.column_stack([np.ones(len(rows)), t[rows] - t0])[:, :size]
    operator = np.linalg.pinv(design)
    found = operator @ y[rows]
    scatter = float(np.sum((y[rows] - design @ found) ** 2) / (len(rows) - size))
    weights, covariance = np.zeros((2, len(t))), np.zeros((2, 2))
    weights[:size, rows] = operator
    covariance[:size, :size] = scatter * (operator @ operator.T) * _long_run(correlation)
    return Baseline(float(found[0]), float(found[1]) if drifts else 0.0, t0, covariance, weights)


NO_BASELINE = Baseline(0.0, 0.0, 0.0, np.zeros((2, 2)), np.zeros((2, 0)))


def step_weights(t: Array, rule: Rule) -> Array:
    """Return what samples i − 1, i, i + 1, i + 2 count for in the integral from t_i to t_{i+1}; shape (n − 1, 4)."""
    h = np.diff(t)
    weights = np.zeros((len(h), 4))
    if rule is Rule.STEP:
        weights[:, 1] = h
        return weights
    weights[:, 1] = weights[:, 2] = 0.5 * h
    if rule is Rule.TRAPEZOID or len(t) < 3:
        return weights
    before, after = h[:-1], h[1:]
    # the parabola through three neighbours, over its first and over its second step; exact for degree 2
    first = _parabola_over(before, after)
    second = _parabola_over(after, before)[:, ::-1]
    both = np.zeros((len(h), 2, 4))
    both[:-1, 1, 1:] = first  # with the sample after
    both[1:, 0, :3] = second  # with the sample before
    counts = np.full(len(h), 2.0)
    counts[[0, -1]] = 1.0
    return np.asarray(both.sum(axis=1) / counts[:, None])


def _parabola_over(h: Array, k: Array) -> Array:
    """∫ over the first step h of the parabola through samples h and then k apart, by sample; shape (m, 3)."""
    return np.stack(
        [
            h * (2.0 * h + 3.0 * k) / (6.0 * (h + k)),
            h * (h + 3.0 * k) / (6.0 * k),
            -(h**3) / (6.0 * k * (h + k)),
        ],
        axis=1,
    )


def _running(y: Array, weights: Array) -> Array:
    """Σ of the steps so far; y of shape (n,), weights (n − 1, 4)."""
    n = len(y)
    padded = np.concatenate([[0.0], y, [0.0]])
    steps = sum(weights[:, k] * padded[k : k + n - 1] for k in range(4))
    return np.concatenate([[0.0], np.cumsum(steps)])


def sample_weights(t: Array, rule: Rule) -> Array:
    """Return what each sample counts for in the integral over all of t, shape (n,)."""
    weights, n = step_weights(t, rule), len(t)
    total = np.zeros(n + 2)
    for k in range(4):
        total[k : k + n - 1] += weights[:, k]
    return total[1:-1]


def integrate(
    t: Array,
    y: Array,
    sigma: float,
    rule: Rule = Rule.TRAPEZOID,
    start: tuple[float, float] = (0.0, 0.0),
    base: Baseline = NO_BASELINE,
    correlation: float = 0.0,
    offset: float = 0.0,
) -> RunningIntegral:
    """Return the running integral of y, nothing missing, over t in s, both of shape (n,).

    `sigma` is that of a reading, with errors correlated as ρ^k; `start` the initial value and its u; `base` is taken
    off first; `offset` is the u of a constant error that the baseline does not remove, such as g·u(tilt).
    """
    weights = step_weights(t, rule)
    cleared = y - base.at(t)
    value = start[0] + _running(cleared, weights)
    w = sample_weights(t, rule)
    tau = t - t[0]
    along = np.stack([tau, 0.5 * (t - base.t0) ** 2 - 0.5 * (t[0] - base.t0) ** 2])
    left_out = _left_out(t, cleared, weights, rule)
    parts = {
        READINGS: _random(
            _before(w**2), along, base, _before(_weighed(w, base)), sigma, correlation
        ),
        START: np.full(len(t), start[1]),
        OFFSET: offset * tau,
        LEFT_OUT: np.abs(left_out),
    }
    return _together(t, value, parts, left_out)


def integrate_twice(
    t: Array,
    y: Array,
    sigma: float,
    rule: Rule = Rule.TRAPEZOID,
    start: tuple[float, float] = (0.0, 0.0),
    rate: tuple[float, float] = (0.0, 0.0),
    base: Baseline = NO_BASELINE,
    correlation: float = 0.0,
    offset: float = 0.0,
) -> RunningIntegral:
    """Return the running integral of the running integral of y, such as distance from acceleration.

    As `integrate`; `rate` is the initial value of the first integral and its u, such as the initial velocity.
    """
    weights = step_weights(t, rule)
    cleared = y - base.at(t)
    tau = t - t[0]
    once = rate[0] + _running(cleared, weights)
    value = start[0] + _running(once, weights)
    w = sample_weights(t, rule)
    own = [_before(w**2 * tau**k) for k in range(3)]
    squares = tau**2 * own[0] - 2.0 * tau * own[1] + own[2]
    shared = _lagging(tau, w, base)
    s = t[0] - base.t0
    along = np.stack([0.5 * tau**2, tau**3 / 6.0 + 0.5 * s * tau**2])
    left_out = _left_out(t, once, weights, rule) + _running(
        _left_out(t, cleared, weights, rule), weights
    )
    parts = {
        READINGS: _random(squares, along, base, shared, sigma, correlation),
        START: np.sqrt(start[1] ** 2 + (rate[1] * tau) ** 2),
        OFFSET: offset * 0.5 * tau**2,
        LEFT_OUT: np.abs(left_out),
    }
    return _together(t, value, parts, left_out)


def _long_run(correlation: float) -> float:
    """How much larger the variance of a sum of many readings is than for white errors."""
    return (1.0 + correlation) / (1.0 - correlation)


def _weighed(counted: Array, base: Baseline) -> Array:
    return counted * base.weights if base.weights.shape[1] else np.zeros((2, 0))


def _lagging(tau: Array, w: Array, base: Baseline) -> Array:
    if not base.weights.shape[1]:
        return base.weights
    return tau * _before(_weighed(w, base)) - _before(_weighed(w * tau, base))


def _before(counted: Array) -> Array:
    """Sums of what comes before each sample, along the last axis; nothing for a baseline that is not there."""
    if counted.shape[-1] == 0:
        return counted
    return np.concatenate(
        [np.zeros((*counted.shape[:-1], 1)), np.cumsum(counted[..., :-1], axis=-1)], axis=-1
    )


def _random(
    squares: Array, along: Array, base: Baseline, shared: Array, sigma: float, correlation: float
) -> Array:
    """The u that the readings give, those of the quiet stretches once as samples and once through the baseline."""
    own = sigma**2 * _long_run(correlation)
    variance = own * squares
    if base.weights.shape[1]:
        # of the same σ as the readings: what both share cancels, and must not be left over from two different ones
        covariance = own * (base.weights @ base.weights.T) if sigma > 0.0 else base.covariance
        variance = variance + np.einsum("in,ij,jn->n", along, covariance, along)
        variance -= 2.0 * own * np.sum(along * shared, axis=0)
    return np.asarray(np.sqrt(np.maximum(variance, 0.0)))


def _together(
    t: Array, value: Array, parts: Mapping[str, Array], left_out: Array
) -> RunningIntegral:
    squares = sum((part**2 for part in parts.values()), np.zeros(len(t)))
    return RunningIntegral(t, value, np.sqrt(squares), parts, left_out)


def running_weights(t: Array, times: Array, rule: Rule) -> Array:
    """Return what each sample counts for in the integral from the first sample on up to some times; shape (m, n).

    Between samples a rule adds the same share of the step as of its time, trapezoids the line itself; times before the
    first sample and after the last count as at these.
    """
    n = len(t)
    steps = np.diff(t)
    counts = np.zeros((len(times), n))
    # The share of each step that lies before
    done = np.clip((times[:, None] - t[:-1]) / steps, 0.0, 1.0)
    if rule is Rule.TRAPEZOID:
        counts[:, :-1] += steps * (done - 0.5 * done**2)
        counts[:, 1:] += steps * 0.5 * done**2
        return counts
    padded = np.zeros((len(times), n + 2))
    weights = step_weights(t, rule)
    for k in range(4):
        padded[:, k : k + n - 1] += done * weights[:, k]
    return np.asarray(padded[:, 1:-1])


def rule_error(t: Array, y: Array, rule: Rule) -> Array:
    """Return what a rule leaves out of the running integral of y at each sample, nothing missing; shapes (n,)."""
    return _left_out(t, y, step_weights(t, rule), rule)


def trapezoid_error(t: Array, y: Array) -> float:
    """Return what the trapezoid rule leaves out of the integral of y over all of t, nothing missing; shapes (n,)."""
    return float(_left_out(t, y, np.zeros((0, 4)), Rule.TRAPEZOID)[-1])


def _left_out(t: Array, y: Array, weights: Array, rule: Rule) -> Array:
    """What a rule leaves out, by the first term of Euler and Maclaurin, from the ends; zero for Simpson.

    Step sum: h/2·(y(t) − y(t₀)) too little. Trapezoid: h²/12·(y′(t) − y′(t₀)) too much, with slopes over a tenth of the
    recording, so that noise does not pass for curvature (Davis & Rabinowitz, *Methods of Numerical Integration*, 2.9).
    """
    n = len(t)
    if rule is Rule.SIMPSON or n < 6:
        return np.zeros(n)
    if rule is Rule.STEP:
        return _running(y, weights) - _running(y, step_weights(t, Rule.TRAPEZOID))
    wide = max(n // 10, 2)
    low, high = np.maximum(np.arange(n) - wide, 0), np.minimum(np.arange(n) + wide, n - 1)
    slope = (y[high] - y[low]) / (t[high] - t[low])
    step = (t[-1] - t[0]) / (n - 1)
    return np.asarray(step**2 / 12.0 * (slope - slope[0]))
