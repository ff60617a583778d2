"""A first proposal for the spans of a collision: before, contact, after."""

import numpy as np

from inertian.motion.spans import Span, SpanKind, Spans
from inertian.motion.trials import Trial
from inertian.quantities.estimates import Array, Rows

BEFORE, CONTACT, AFTER = "before", "contact", "after"
MARGIN = 1.5  # sampling steps kept clear on each side of the break
FEW, MARGIN_OF_FEW = 12, 0.75  # with so few samples on a side, each one counts
LEAST_IN_SPAN = 3  # samples, for a line with a residual
_LEAST = 4  # samples on each side of a break


def _prefix(values: Array) -> Array:
    return np.concatenate([np.zeros((1, *values.shape[1:])), np.cumsum(values, axis=0)])


def _sides(t: Array, x: Array) -> Array:
    """Return, for each number k of leading samples, Σ r² of parabolas through them, summed over the columns of x.

    t has shape (n,), x (n, channels), the result (n+1,); inf where there are too few samples.
    """
    powers = _prefix(t[:, None] ** np.arange(5))
    moments = _prefix(x[:, None, :] * (t[:, None] ** np.arange(3))[:, :, None])
    squares = _prefix((x**2).sum(axis=1))
    cost = np.full(len(t) + 1, np.inf)
    counts = np.arange(_LEAST, len(t) + 1)
    normal = powers[counts][:, np.add.outer(np.arange(3), np.arange(3))]
    right = moments[counts]
    c = np.linalg.solve(normal, right)
    cost[counts] = np.maximum(squares[counts] - np.einsum("kij,kij->k", c, right), 0.0)
    return cost


def break_row(trial: Trial) -> int | None:
    """Return the row that starts the motion after a hit: the best single break of two parabolas over all channels.

    None if there are too few samples or a break explains little. Prefix sums make it linear in the samples; see
    Bai & Perron, Econometrica 66 (1998) 47-78, for break points by least squares.
    """
    channels = [c.si for body in trial.followed for c in body.channels]
    if not channels:
        return None
    rows, channels = _on_common_rows(trial.t, channels)
    if len(rows) < 2 * _LEAST:
        return None
    t = trial.t[rows]
    t = (t - t[0]) / (t[-1] - t[0])
    x = np.stack([channel[rows] - channel[rows].mean() for channel in channels], axis=1)
    left = _sides(t, x)
    cost, whole = left + _sides(1.0 - t[::-1], x[::-1])[::-1], left[-1]
    best = int(np.argmin(cost))
    still = whole <= 1e-20 * max(1.0, float((x**2).sum()))  # nothing but rounding is left to explain
    if not np.isfinite(cost[best]) or still or cost[best] > 0.5 * whole:
        return None
    return int(rows[best])


def _on_common_rows(t: Array, channels: list[Array]) -> tuple[Rows, list[Array]]:
    """The rows at which all channels have a value; with clocks of their own, values between stamps are filled in."""
    seen = np.isfinite(channels)
    shared = np.flatnonzero(seen.all(axis=0))
    if len(shared) >= 0.5 * int(seen.sum(axis=1).max()) or min(seen.sum(axis=1)) < _LEAST:
        return shared, channels
    filled = [np.interp(t, t[good], x[good], np.nan, np.nan) for x, good in zip(channels, seen, strict=True)]
    return np.flatnonzero(np.isfinite(filled).all(axis=0)), filled


def _meeting(trial: Trial, rows: slice, time: float) -> Array:
    """Return position and velocity of every channel at a time, from a parabola each; shape (2, channels), in SI."""
    scale = float(np.ptp(trial.t[rows])) or 1.0
    local = (trial.t[rows] - time) / scale
    found = []
    for x in (c.si[rows] for body in trial.followed for c in body.channels):
        used = np.isfinite(x)
        design = np.vander(local[used], 3, increasing=True)
        found.append(np.linalg.lstsq(design, x[used], rcond=None)[0][:2] / np.array([1.0, scale]))
    return np.array(found).T


def suggest_spans(trial: Trial) -> Spans:
    """Return before, contact and after for a trial with one hit; no spans if no hit stands out.

    The moment of the hit is where the two parabolas of the channel that changed most meet; the contact is marked
    MARGIN sampling steps to either side of it, or MARGIN_OF_FEW in a short recording.
    """
    row = break_row(trial)
    if row is None:
        return Spans()
    t, step = trial.t, trial.step()
    middle = 0.5 * float(t[row - 1] + t[row])
    before, after = _meeting(trial, slice(0, row), middle), _meeting(trial, slice(row, len(t)), middle)
    kicks = after[1] - before[1]
    clearest = int(np.argmax(np.abs(kicks)))
    away = (before[0] - after[0])[clearest] / (kicks[clearest] or np.inf)
    moment = middle + float(np.clip(away, -step, step))
    margin = (MARGIN if min(row, len(t) - row) > FEW else MARGIN_OF_FEW) * step
    start, stop = moment - margin, moment + margin
    inside = np.searchsorted(t, (start, stop))
    if inside[0] < LEAST_IN_SPAN or len(t) - inside[1] < LEAST_IN_SPAN:
        return Spans()
    return Spans(
        (
            Span(BEFORE, SpanKind.FREE, float(t[0]), start),
            Span(CONTACT, SpanKind.CONTACT, start, stop),
            Span(AFTER, SpanKind.FREE, stop, float(t[-1])),
        )
    )
