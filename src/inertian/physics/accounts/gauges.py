"""A recorded force in a trial: which sensor it is, and from when to when it pushes."""

import numpy as np

from inertian.motion.recording.trials import Trial
from inertian.motion.spans.spans import Span, SpanKind, Spans
from inertian.quantities.estimates import Array

PUSHES = 4.0  # σ of the quiet gauge that a push differs from its zero by
FEWEST_QUIET = 6  # samples that tell σ
SPARED = 5  # one sample in so many of a quiet stretch is left out beside a push
SAME_LEVEL = 3.0  # u by which the zeros at both ends may differ
OF_NORMAL = 1.4826  # median absolute deviation to σ of a normal distribution


def gauge_of(trial: Trial, kind: str = "F") -> tuple[str, str] | None:
    """Return body and axis of the first sensor of a kind in a trial, "F" for a force, "a" for an
    acceleration, or None.
    """
    for body in trial.bodies:
        for channel in body.sensors:
            if channel.axis.startswith(kind):
                return body.name, channel.axis
    return None


def pushed(
    trial: Trial, gauge: tuple[str, str], spans: Spans, contact: Span
) -> tuple[float, float]:
    """Return from when to when, in s, a gauge is pushed around a contact: at least the contact, and
    as far as it clearly differs from its zero beside it; one sample more on both sides.
    """
    t, y = trial.t, _of(trial, gauge)
    quiet = np.zeros(len(t), dtype=bool)
    for span in spans:
        if span.kind.steady:
            quiet[span.rows(t)] = True
    quiet &= np.isfinite(y)
    if quiet.sum() < FEWEST_QUIET:
        return contact.start, contact.stop
    # Medians of both sides: a drift counts, and the few samples of a push beside a wall do not
    sides = [quiet & (t < contact.start), quiet & (t > contact.stop)]
    level = _line([(t[s], y[s]) for s in sides if s.any()], t)
    away = np.abs(y - level)
    limit = PUSHES * OF_NORMAL * float(np.median(away[quiet]))
    on = np.isfinite(y) & (away > limit)
    first, last = (int(np.searchsorted(t, edge)) for edge in (contact.start, contact.stop))
    first, last = min(first, len(t) - 1), min(last, len(t) - 1)
    while first > 0 and on[first - 1]:
        first -= 1
    while last < len(t) - 1 and on[last]:
        last += 1
    return (
        min(contact.start, float(t[max(first - 1, 0)])),
        max(contact.stop, float(t[min(last + 1, len(t) - 1)])),
    )


def rests(trial: Trial, gauge: tuple[str, str]) -> list[Span]:
    """Return the spans of rest at the ends of a trial that was not followed, as a sensor has them:
    quiet from the first sample on; and up to the last one, if it then says the same.
    """
    t, y = trial.t, _of(trial, gauge)
    good = np.flatnonzero(np.isfinite(y))
    if len(good) < 2 * FEWEST_QUIET:
        return []
    steps = np.diff(y[good])
    sigma = OF_NORMAL * float(np.median(np.abs(steps - np.median(steps)))) / np.sqrt(2.0)
    found: list[Span] = []
    levels: list[tuple[float, float]] = []
    for rows in (good, good[::-1]):
        level = float(np.median(y[rows[:FEWEST_QUIET]]))
        off = np.abs(y[rows] - level) > PUSHES * sigma + 1e-12
        count = int(np.argmax(off)) if off.any() else len(rows)
        count -= count // SPARED  # a push begins softly
        if count >= FEWEST_QUIET:
            own = y[rows[:count]]
            one, two = float(t[rows[0]]), float(t[rows[count - 1]])
            levels.append((float(own.mean()), sigma / np.sqrt(count)))
            found.append(
                Span(f"rest {len(found) + 1}", SpanKind.REST, min(one, two), max(one, two))
            )
    if len(found) == 2:
        (one, u1), (two, u2) = levels
        if abs(one - two) > SAME_LEVEL * np.hypot(u1, u2) or found[0].stop >= found[1].start:
            found = found[:1]
    return found


def _of(trial: Trial, gauge: tuple[str, str]) -> Array:
    return next(c.si for c in trial.body(gauge[0]).sensors if c.axis == gauge[1])


def _line(sides: list[tuple[Array, Array]], t: Array) -> Array:
    """The line through the medians of two sides, at times t in s; of one side, its median."""
    middles = [(float(np.median(when)), float(np.median(y))) for when, y in sides]
    (t1, y1), (t2, y2) = middles[0], middles[-1]
    slope = (y2 - y1) / (t2 - t1) if t2 > t1 else 0.0
    return np.asarray(y1 + slope * (t - t1))
