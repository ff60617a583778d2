"""Integrals of sampled quantities at any spacing, as weights on the samples.

A rule gives the integral over one step from the samples around it: half of both ends (trapezoid),
the parabolas through three neighbours on either side (Simpson), or the value at the start of the
step (the plain step sum). All are linear in the samples, so their uncertainty follows from weights
(JCGM 100:2008, 5.2.2); an integral of an integral is made by the same weights once more.
"""

from enum import StrEnum

import numpy as np

from inertian.quantities.estimates import Array


class Rule(StrEnum):
    """How the integral over one step is had from samples."""

    TRAPEZOID = "trapezoid"
    SIMPSON = "Simpson"
    STEP = "step sum"


def step_weights(t: Array, rule: Rule) -> Array:
    """Return what samples i − 1, i, i + 1, i + 2 count for in the integral from t_i to t_{i+1};
    shape (n − 1, 4).
    """
    h = np.diff(t)
    weights = np.zeros((len(h), 4))
    if rule is Rule.STEP:
        weights[:, 1] = h
        return weights
    weights[:, 1] = weights[:, 2] = 0.5 * h
    if rule is Rule.TRAPEZOID or len(t) < 3:
        return weights
    before, after = h[:-1], h[1:]
    # the parabola through three neighbours, over its first and over its second step; exact for
    # degree 2
    first = _parabola_over(before, after)
    second = _parabola_over(after, before)[:, ::-1]
    both = np.zeros((len(h), 2, 4))
    both[:-1, 1, 1:] = first  # with the sample after
    both[1:, 0, :3] = second  # with the sample before
    counts = np.full(len(h), 2.0)
    counts[[0, -1]] = 1.0
    return np.asarray(both.sum(axis=1) / counts[:, None])


def _parabola_over(h: Array, k: Array) -> Array:
    """∫ over the first step h of the parabola through samples h and then k apart, by sample; shape
    (m, 3).
    """
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
    """Return what each sample counts for in the integral over all of t, in s, both of shape
    (n,).
    """
    weights, n = step_weights(t, rule), len(t)
    total = np.zeros(n + 2)
    for k in range(4):
        total[k : k + n - 1] += weights[:, k]
    return total[1:-1]


def running_weights(t: Array, times: Array, rule: Rule) -> Array:
    """Return what each sample counts for in the integral from the first sample on up to some times;
    shape (m, n).

    Between samples a rule adds the same share of the step as of its time, trapezoids the line
    itself; times before the first sample and after the last count as at these.
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
    """Return what a rule leaves out of the running integral of y, in its unit times s, at each
    sample, nothing missing; shapes (n,).
    """
    return _left_out(t, y, step_weights(t, rule), rule)


def trapezoid_error(t: Array, y: Array) -> float:
    """Return what the trapezoid rule leaves out of the integral of y over all of t, in the unit
    of y times s, nothing missing; shapes (n,).
    """
    return float(_left_out(t, y, np.zeros((0, 4)), Rule.TRAPEZOID)[-1])


def sudden_error(t: Array, y: Array, variance: Array) -> float:
    """Return what trapezoids leave out where y changes suddenly, in its unit times s, less what
    noise of a variance makes of it; shapes (n,), nothing missing.

    A jump J between two samples may be anywhere between them: the trapezoid then errs by a
    rectangle of width J·h, of variance J²h²/12, and what the samples beside it lie off the lines
    between their neighbours has opposite signs: the products of neighbours tell jumps. A corner
    errs by S²h⁴/720, S the change of slope, and the squares of second differences tell S²h²·2/3.
    At uneven spacing h³y″/12 of each step does not add up to the slopes at the ends. All of these
    see what those slopes cannot: a short blow between quiet ends.
    """
    if len(t) < 4:
        return 0.0
    h = np.diff(t)
    wide = t[2:] - t[:-2]
    before, after = h[1:] / wide, h[:-1] / wide
    off = before * y[:-2] + after * y[2:] - y[1:-1]
    white = before**2 * variance[:-2] + after**2 * variance[2:] + variance[1:-1]
    shared = after[:-1] * variance[2:-1] + before[1:] * variance[1:-2]
    jumps = h[1:-1] ** 2 * (-off[1:] * off[:-1] - shared) / (after[:-1] * before[1:])
    corners = wide**2 * (off**2 - white)
    # y″ = 2·off/(h₁h₂), half of that of each end on each step
    share = (h[:-1] ** 3 + h[1:] ** 3) / (12.0 * h[:-1] * h[1:])
    pull = np.zeros(len(t))
    for rows, part in ((slice(None, -2), before), (slice(2, None), after), (slice(1, -1), -1.0)):
        pull[rows] += share * part
    uneven = float(pull @ y) ** 2 - float(pull**2 @ variance)
    squares = float(jumps.sum()) / 12.0, float(corners.sum()) / 480.0, uneven
    return float(np.sqrt(sum(max(square, 0.0) for square in squares)))


def _left_out(t: Array, y: Array, weights: Array, rule: Rule) -> Array:
    """What a rule leaves out, by the first term of Euler and Maclaurin, from the ends; zero for
    Simpson.

    Step sum: h/2·(y(t) − y(t₀)) too little. Trapezoid: h²/12·(y′(t) − y′(t₀)) too much, with slopes
    over a tenth of the recording, so that noise does not pass for curvature (Davis & Rabinowitz,
    *Methods of Numerical Integration*, 2.9).
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
