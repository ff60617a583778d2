"""Tidy steps: which samples count, each a named, switchable entry of a trial; the raw recording is
never touched.
"""

from collections.abc import Iterable, Mapping, Sequence
from dataclasses import dataclass, field, replace
from enum import StrEnum

import numpy as np

from inertian.motion.numerics.outliers import THRESHOLD, outlier_rows
from inertian.motion.recording.trials import Body, Trial
from inertian.quantities.errors import Refusal
from inertian.quantities.estimates import Array, Mask, Rows
from inertian.quantities.rounding import write_shortest

BRIDGED_AT_MOST = 10  # samples that a bridge may span; more is guessing
SAME_TIME = 0.25  # of a step that the time of a row may differ by and still be the same row
BRIDGE_SIDE = 4  # samples on each side of a gap that a bridge rests on


class StepKind(StrEnum):
    """What a tidy step does."""

    SET_ASIDE = "set aside"  # rows chosen by hand, with a reason
    JUMPS = "jumps"  # samples off by more than a number of local spreads
    TRIM = "trim"  # only the rows between two
    BRIDGE = "bridge"  # a short gap, drawn through but never fitted
    EXCHANGE = "exchange"  # two bodies whose labels were exchanged for a while


class Reason(StrEnum):
    """Why samples are set aside by hand; any other words will do as well."""

    LOST = "marker lost"
    TOUCHED = "touched by a hand"
    BLURRED = "blurred"
    HIDDEN = "hidden by something"
    OUTSIDE = "not part of the motion"


@dataclass(frozen=True)
class TidyStep:
    """One tidy step. `runs` are first and last raw rows, both included; no `body` means all bodies;
    `other` is the body that one is exchanged with.

    `threshold` is in local spreads; `version` is that of the rule that finds jumps.
    """

    kind: StepKind
    runs: tuple[tuple[int, int], ...] = ()
    body: str = ""
    reason: str = ""
    threshold: float = THRESHOLD
    on: bool = True
    version: int = 1
    other: str = ""

    def rows(self, count: int) -> Rows:
        """Return the raw rows of the runs, in a recording of `count` rows."""
        parts = [np.arange(max(a, 0), min(b, count - 1) + 1) for a, b in self.runs]
        return np.unique(np.concatenate(parts)) if parts else np.zeros(0, dtype=np.intp)


class TidyError(Refusal):
    """A step cannot be made; nothing was changed."""


def runs_of(rows: Iterable[int]) -> tuple[tuple[int, int], ...]:
    """Return rows as runs of first and last."""
    ordered = np.unique(np.fromiter(rows, dtype=np.intp))
    if not ordered.size:
        return ()
    cuts = np.flatnonzero(np.diff(ordered) > 1) + 1
    return tuple((int(part[0]), int(part[-1])) for part in np.split(ordered, cuts))


@dataclass(frozen=True)
class Effect:
    """What one step does: how many samples of which bodies it sets aside or bridges."""

    step: TidyStep
    counts: Mapping[str, int] = field(default_factory=dict)

    @property
    def total(self) -> int:
        """Samples over all bodies."""
        return sum(self.counts.values())


@dataclass(frozen=True, eq=False)
class Tidied:
    """What is left of a trial after its steps: by body the rows set aside, and values drawn through
    gaps.
    """

    aside: Mapping[str, Rows]
    bridged: Mapping[str, Rows]
    effects: tuple[Effect, ...]


def _seen(body: Body) -> Mask:
    """Whether a body has a position on all its axes, by row; of a body with sensors only, any
    reading.
    """
    channels = body.channels or body.sensors
    return np.asarray(np.isfinite([c.raw for c in channels]).all(axis=0))


def jump_rows(
    trial: Trial, body: str, threshold: float = THRESHOLD, gone: Rows | None = None
) -> Rows:
    """Return the raw rows of a body that fit neither what comes before nor after nor around them on
    any axis.

    `threshold` is in local spreads; `gone`, shape (n,), tells which samples do not count.
    """
    moving = trial.body(body)
    seen = _seen(moving)
    if gone is not None:
        seen[gone] = False
    rows = np.flatnonzero(seen)
    found = [np.zeros(0, dtype=np.intp)]
    for channel in (c for c in moving.channels if not c.constant):
        floor = channel.resolution / np.sqrt(12.0)
        found.append(rows[outlier_rows(trial.t[rows], channel.si[rows], floor, threshold)])
    return np.unique(np.concatenate(found))


def with_exchanges(trial: Trial, steps: Sequence[TidyStep]) -> Trial:
    """Return a trial in which bodies have the readings of one another where steps exchange them.

    Channels along the same axis and in the same unit are exchanged; others stay.
    """
    for step in steps:
        if step.kind is not StepKind.EXCHANGE or not step.on:
            continue
        rows = step.rows(len(trial.t))
        known = {b.name: b for b in trial.bodies}
        if step.body not in known or step.other not in known:
            continue
        one, two = known[step.body], known[step.other]
        made = {b.name: _mixed(b, o, rows) for b, o in ((one, two), (two, one))}
        trial = replace(trial, bodies=tuple(made.get(b.name, b) for b in trial.bodies))
    return trial


def _mixed(body: Body, other: Body, rows: Rows) -> Body:
    """A body with the places of another one in some rows."""
    theirs = {(c.axis, c.unit): c for c in other.channels}
    channels = []
    for own in body.channels:
        source = theirs.get((own.axis, own.unit))
        if source is not None:
            raw = np.array(own.raw)
            raw[rows] = (source.si[rows] - own.shift) / (own.sign * own.unit.factor)
            own = replace(own, raw=raw)
        channels.append(own)
    return replace(body, channels=tuple(channels))


def gap_around(trial: Trial, body: str, time: float, aside: Rows | None = None) -> tuple[int, int]:
    """Return the first and last row of the gap that a moment lies in; `aside` are rows, shape
    (k,), that do not count. Raises TidyError if it lies in none.
    """
    seen = _seen(trial.body(body))
    if aside is not None:
        seen[aside] = False
    rows = np.flatnonzero(seen)
    place = int(np.searchsorted(trial.t[rows], time))
    if place in (0, len(rows)) or rows[place] - rows[place - 1] < 2:
        raise TidyError(f"There is no gap of {body} at {write_shortest(time, 4)} s.")
    first, last = int(rows[place - 1]) + 1, int(rows[place]) - 1
    if last - first + 1 > BRIDGED_AT_MOST:
        raise TidyError(
            f"{last - first + 1} samples of {body} are missing there; a bridge may span "
            f"{BRIDGED_AT_MOST} at most."
        )
    return first, last


def apply_steps(trial: Trial, steps: Sequence[TidyStep]) -> Tidied:
    """Return what the steps that are switched on do to a trial, in their order."""
    count = len(trial.t)
    gone = {body.name: np.zeros(count, dtype=bool) for body in trial.bodies}
    bridged = {body.name: np.zeros(count, dtype=bool) for body in trial.bodies}
    effects = []
    for step in steps:
        counts = {}
        for body in trial.bodies if step.on else ():
            if step.kind is StepKind.EXCHANGE:
                shared = body.name in (step.body, step.other)
                counts[body.name] = len(step.rows(count)) if shared else 0
            elif step.body in ("", body.name):
                there = _seen(body) & ~gone[body.name]
                new = _chosen(trial, step, body.name, there, gone[body.name])
                counts[body.name] = int(new.sum())
                (bridged if step.kind is StepKind.BRIDGE else gone)[body.name] |= new
        effects.append(Effect(step, {b: n for b, n in counts.items() if n}))
    return Tidied(
        {b: np.flatnonzero(rows) for b, rows in gone.items()},
        {b: np.flatnonzero(rows) for b, rows in bridged.items()},
        tuple(effects),
    )


def _chosen(trial: Trial, step: TidyStep, body: str, there: Mask, gone: Mask) -> Mask:
    """The rows of one body that a step sets aside, or bridges."""
    chosen = np.zeros(len(there), dtype=bool)
    if step.kind is StepKind.JUMPS:
        chosen[jump_rows(trial, body, step.threshold, np.flatnonzero(gone))] = True
    elif step.kind is StepKind.TRIM:
        chosen[:] = True
        for first, last in step.runs:
            chosen[max(first, 0) : last + 1] = False
    else:
        chosen[step.rows(len(there))] = True
    return np.asarray(chosen & (~there if step.kind is StepKind.BRIDGE else there))


def carried_over(steps: Sequence[TidyStep], old: Array, new: Array) -> tuple[TidyStep, ...]:
    """Return steps for a recording with other rows: each row goes where its time is now; old and
    new are times in s, shapes (n,) and (m,).

    A row whose time is gone is dropped, and a step of which nothing is left.
    """
    if len(old) == len(new) and np.array_equal(old, new):
        return tuple(steps)
    near = SAME_TIME * float(np.median(np.diff(new)))
    kept = []
    for step in steps:
        if not step.runs:
            kept.append(step)
            continue
        times = old[step.rows(len(old))]
        place = np.clip(np.searchsorted(new, times), 1, len(new) - 1)
        place = np.where(times - new[place - 1] < new[place] - times, place - 1, place)
        place = place[np.abs(new[place] - times) <= near]
        if place.size:
            whole = step.kind is StepKind.TRIM
            runs = ((int(place.min()), int(place.max())),) if whole else runs_of(place.tolist())
            kept.append(replace(step, runs=runs))
    return tuple(kept)


def bridge(t: Array, x: Array, rows: Rows) -> Array:
    """Return values for missing rows from a cubic through the samples on both sides; t in s, x of
    shape (n,).

    They are drawn and nothing more: no fit uses them, so they add no degrees of freedom.
    """
    found = np.full(len(rows), np.nan)
    good = np.flatnonzero(np.isfinite(x))
    for first, last in runs_of(rows):
        place = int(np.searchsorted(good, first))
        around = good[max(place - BRIDGE_SIDE, 0) : place + BRIDGE_SIDE]
        inside = (rows >= first) & (rows <= last)
        if len(around) >= 2:
            scale = float(np.ptp(t[around])) or 1.0
            middle = t[first]
            c = np.polynomial.polynomial.polyfit(
                (t[around] - middle) / scale, x[around], min(3, len(around) - 1)
            )
            found[inside] = np.polynomial.polynomial.polyval((t[rows[inside]] - middle) / scale, c)
    return found
