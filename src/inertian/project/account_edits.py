"""Edits of accounts: at which dates a trial is accounted for, and which entries count."""

import re
from collections.abc import Sequence
from dataclasses import replace
from itertools import pairwise

from inertian.physics.accounts.statements import MOST_DATES, Date
from inertian.project.history import Edit
from inertian.project.project import Entry, Project
from inertian.quantities.errors import Refusal

_NUMBER = re.compile(r"[-+−]?\d+(?:[.,]\d+)?(?:[eE][-+]?\d+)?")


def dates_set(project: Project, trial: str, times: Sequence[float], name: str = "point") -> Edit:
    """Account for a trial at these file times in s, in any order; with none, at the dates that its
    event suggests. Raises Refusal where they are too few, too many, equal, or outside the trial.
    """
    entry = project.entry(trial)
    if not len(times):
        return Edit("Dates as found", project.with_entry(replace(entry, dates=())))
    ordered = sorted(times)
    first, last = float(entry.trial.t[0]), float(entry.trial.t[-1])
    if len(ordered) < 2:
        raise Refusal("An account needs two dates at least.")
    if len(ordered) > MOST_DATES:
        raise Refusal(f"An account may have {MOST_DATES} dates at most; these are {len(ordered)}.")
    if any(two <= one for one, two in pairwise(ordered)):
        raise Refusal("Two dates are at the same time.")
    if ordered[0] < first or ordered[-1] > last:
        raise Refusal(f"The recording runs from {first:.5g} s to {last:.5g} s; so may dates.")
    dates = tuple(Date(f"{name} {k}", float(t)) for k, t in enumerate(ordered, 1))
    return Edit(f"Set {len(dates)} dates", project.with_entry(replace(entry, dates=dates)))


def date_moved(project: Project, trial: str, place: int, time: float) -> Edit:
    """Move one of a trial's own dates to a file time in s, at most a sample's step to the dates
    beside it and the ends of the recording.
    """
    entry = project.entry(trial)
    dates, step = entry.dates, entry.trial.step()
    low = dates[place - 1].t + step if place else float(entry.trial.t[0])
    high = dates[place + 1].t - step if place + 1 < len(dates) else float(entry.trial.t[-1])
    at = min(max(time, low), max(high, low))
    moved = tuple(replace(d, t=at) if k == place else d for k, d in enumerate(dates))
    return Edit(f"Move “{dates[place].name}”", project.with_entry(replace(entry, dates=moved)))


def times_typed(text: str) -> list[float]:
    """Return the times in s that were typed, set apart by semicolons or blanks: "0.2; 0,8; 1.4".
    Raises Refusal where there is something else.
    """
    parts = [part for part in re.split(r"[;\s]+", text.strip()) if part and part != "s"]
    found = []
    for part in parts:
        if not _NUMBER.fullmatch(part):
            raise Refusal(f"“{part[:20]}” is no time. Write them in s, such as 0.2; 0.8; 1.4.")
        found.append(float(part.replace(",", ".").replace("−", "-")))
    return found


def evenly(entry: Entry, span: str, count: int) -> list[float]:
    """Return `count` times in s evenly over a span, its ends included. Raises KeyError."""
    own = entry.spans.named(span)
    return [own.start + own.length * k / (count - 1) for k in range(count)]


def entry_switched(project: Project, series: str, name: str, on: bool) -> Edit:
    """Let an entry count in the accounts of a series, or leave it out."""
    old = project.series_named(series)
    off = tuple(n for n in old.off if n != name) if on else (*old.off, name)
    done = "Count" if on else "Leave out"
    return Edit(f"{done} {name}", project.with_series(replace(old, off=off)))


def laws_chosen(project: Project, series: str, laws: Sequence[str]) -> Edit:
    """Draw up these accounts in the trials of a series, in this order; with none, those that make
    sense of each event.
    """
    changed = replace(project.series_named(series), laws=tuple(laws))
    return Edit("Choose accounts", project.with_series(changed))


def gauge_turned(project: Project, series: str, turned: bool | None) -> Edit:
    """Let the gauge of a series count the other way, or as it was recorded; None leaves it to the
    motion.
    """
    changed = replace(project.series_named(series), turned=turned)
    return Edit("Turn the gauge", project.with_series(changed))
