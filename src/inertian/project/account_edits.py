"""Edits of accounts: at which dates a trial is accounted for, and which entries count."""

import re
from collections.abc import Sequence
from dataclasses import replace
from itertools import pairwise

from inertian.physics.accounts.contact_entries import GIVEN_LOSS, OUTSIDE
from inertian.physics.accounts.entries import (
    AIR,
    FRICTION,
    GAUGE,
    GAUGE_WORK,
    PUSH,
    ROLLS,
    WEIGHT,
)
from inertian.physics.accounts.forms import SPRING
from inertian.physics.accounts.statements import MOST_DATES, Date
from inertian.physics.accounts.typed_entries import TypedEntry
from inertian.project.history import Edit
from inertian.project.project import Entry, Project
from inertian.quantities.errors import Refusal

MOST_TYPED = 24  # entries by hand in a trial
OWN_NAMES = (OUTSIDE, GIVEN_LOSS, GAUGE, GAUGE_WORK, FRICTION, ROLLS, AIR, WEIGHT, PUSH, SPRING)
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


def entry_typed(
    project: Project, trial: str, new: TypedEntry, old: str = "", everywhere: bool = False
) -> Edit:
    """Add an entry by hand to the accounts of a trial, in place of the one named `old`; or
    `everywhere` in its series. Raises Refusal where the name is empty or taken, or the amount has
    another dimension than the account.
    """
    name = new.name.strip()
    if not name:
        raise Refusal("Give the entry a name: what brought it, such as “a hand that touched it”.")
    if name in OWN_NAMES:
        raise Refusal(f"“{name}” is an entry of its own. Choose another name.")
    entry = project.entry(trial)
    targets = project.entries_of(entry.series) if everywhere else (entry,)
    for one in targets:
        kept = tuple(t for t in one.typed if t.name not in (old, name))
        if one is entry and name != old and any(t.name == name for t in one.typed):
            raise Refusal(f"There is an entry “{name}” already. Choose another name.")
        if len(kept) >= MOST_TYPED:
            raise Refusal(f"A trial may have {MOST_TYPED} entries by hand at most.")
        at = new.at if one is entry else _alike(new.at, entry, one)
        typed = (*kept, replace(new, name=name, at=at))
        project = project.with_entry(replace(one, typed=typed))
    return Edit(f"{'Change' if old else 'Add'} “{name}”", project)


def _alike(at: float, entry: Entry, other: Entry) -> float:
    """The time in another trial that lies to its main event, or its start, as a time in this one
    does.
    """
    places = []
    for one in (entry, other):
        contact = one.spans.contact
        places.append(contact.start if contact else float(one.trial.t[0]))
    return at - places[0] + places[1]


def typed_entry_removed(project: Project, trial: str, name: str) -> Edit:
    """Take an entry by hand out of the accounts of a trial."""
    entry = project.entry(trial)
    kept = tuple(one for one in entry.typed if one.name != name)
    return Edit(f"Remove “{name}”", project.with_entry(replace(entry, typed=kept)))
