"""What a recording itself gives away: times out of order or twice, gaps, sensors at their end or
stuck.
"""

from collections.abc import Iterable

import numpy as np

from inertian.files.cells.findings import PUT_IN_ORDER, Code, Finding
from inertian.files.interpretation.parsed_trial import ParsedChannel, ParsedTrial
from inertian.quantities.estimates import Array, distinct_values
from inertian.quantities.rounding import write_shortest

_GAP = 4.5  # usual steps
_AT_A_RUN = 5.0  # steps of reading from one sample to the next, just beside the run
_EVEN = 0.02  # of a step: more unevenness than rounding explains is no even step


def step_of(seconds: Array, resolution: float = 0.0) -> float | None:
    """Return the time between samples in s if it is even, lost samples allowed; None if it is
    not.
    """
    if seconds.size < 2:
        return None
    times = seconds
    steps = np.diff(times)
    if steps.min() <= 0:
        times = distinct_values(seconds)
        steps = np.diff(times)
    if times.size < 2:
        return None
    usual = float(np.median(steps))
    if times.size == 2:
        return usual
    if usual < 1e-15 * float(np.max(np.abs(times))):
        return None
    counts = np.round(steps / usual)
    if np.any(counts < 1) or float((counts == 1).mean()) < 0.7:
        return None
    mean = float((times[-1] - times[0]) / counts.sum())
    rounding = 1e-12 * float(np.max(np.abs(times))) + resolution
    if np.any(np.abs(steps - counts * mean) > _EVEN * mean + rounding):
        return None
    return mean


def check_time(unsorted: Array, lines: Iterable[int] = ()) -> list[Finding]:
    """Return what is wrong with the times of one trial, in s and in the order of the file."""
    found: list[Finding] = []
    if unsorted.size < 2:
        return found
    times, steps = unsorted, np.diff(unsorted)
    if steps.min() < 0:
        count = int((steps < 0).sum())
        found.append(
            Finding(Code.TIME_NOT_SORTED, f"Time goes back {count} times; {PUT_IN_ORDER}.")
        )
        times = np.sort(unsorted)
        steps = np.diff(times)
    if steps.min() == 0:
        found.append(
            Finding(
                Code.DUPLICATE_TIME,
                (
                    f"{int((steps == 0).sum())} samples have the time of another one; the first "
                    "counts."
                ),
            )
        )
        times = distinct_values(times)
        steps = np.diff(times)
    if steps.size >= 5:
        longest = float(steps.max())
        if longest <= 2.0 * float(times[-1] - times[0]) / steps.size:
            return found  # no step is much longer than the mean one
        usual = float(np.median(steps))
        if longest > _GAP * usual and longest > 3.0 * float(np.quantile(steps, 0.8)):
            gaps = np.flatnonzero(steps > max(_GAP * usual, 3.0 * float(np.quantile(steps, 0.8))))
            if gaps.size <= 0.2 * steps.size:
                many = f"{gaps.size} {'gap' if gaps.size == 1 else 'gaps'}"
                said = f"{many}, the longest {write_shortest(longest, 4)} s"
                found.append(
                    Finding(
                        Code.GAP, f"{said}, the first after {write_shortest(times[gaps[0]], 6)} s."
                    )
                )
    return found


def check_channel(trial: ParsedTrial) -> list[Finding]:
    """Return what the values of a trial's channels give away."""
    found = []
    for body in trial.bodies:
        for channel in body.channels:
            name = f"{body.name} {channel.axis}"
            good = finite(channel.values)
            if good.size >= 4 and np.ptp(good) == 0.0:
                found.append(
                    Finding(Code.CONSTANT, f"{name} never changes: was the sensor connected?")
                )
            elif (limit := saturated_at(channel)) is not None:
                value = f"{write_shortest(limit, 6)} {channel.unit.symbol}"
                said = f"{name} stays exactly at {value} for a while, as a sensor at its end does."
                found.append(Finding(Code.SATURATED, said))
    return found


def finite(values: Array) -> Array:
    """Return the values that are there; the array itself if none is missing."""
    return values if np.isfinite(values.sum()) else values[np.isfinite(values)]


def _stays(x: Array, extreme: float) -> bool:
    at = np.flatnonzero(x == extreme)
    return at.size >= 3 and extreme != 0.0 and bool(np.any(at[2:] - at[:-2] == 2))


def saturated_at(channel: ParsedChannel) -> float | None:
    """Return the value at which a channel is cut off, or None if it is not.

    A sensor at its end comes to an extreme value at a run, stays exactly there, and leaves at a
    run. A body that rests, and a coarse turning point, do not look like that: they come to their
    place slowly, or begin or end there.
    """
    x = finite(channel.values)
    if x.size < 10 or not any(_stays(x, e) for e in (float(x.max()), float(x.min()))):
        return None
    steps = np.abs(np.diff(x))
    # The step of the readings, or less
    least = float(np.diff(distinct_values(x)).min(initial=np.inf))
    for extreme in (float(x.max()), float(x.min())):
        at = np.concatenate([[False], x == extreme, [False]])
        edges = np.flatnonzero(np.diff(at.astype(np.int8)))
        for start, stop in zip(edges[::2], edges[1::2], strict=True):  # the run is x[start:stop]
            if stop - start < 3 or start < 2 or stop > x.size - 2 or extreme == 0.0:
                continue
            if min(steps[start - 2], steps[stop]) > _AT_A_RUN * least:
                return extreme
    return None
