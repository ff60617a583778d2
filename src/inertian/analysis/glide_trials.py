"""Glide trials of a series: those in which a body only glides on the level, and that tell how much
friction slows it down in the others.
"""

from collections.abc import Callable, Mapping
from typing import Protocol

import numpy as np

from inertian.physics.accounts.account_inputs import DateValue
from inertian.physics.accounts.collision_inputs import CollisionFacts
from inertian.physics.accounts.date_readings import DateReader, FitOf
from inertian.physics.accounts.entries import SLOWING
from inertian.physics.accounts.events import Event, EventKind
from inertian.physics.accounts.forms import INCLINE
from inertian.physics.accounts.statements import Date
from inertian.physics.accounts.told_by_motion import GLIDES, acceleration_of
from inertian.physics.evaluation.trial_context import TrialContext
from inertian.project.project import Entry, Project
from inertian.quantities.facts import Fact, FactId, Meaning
from inertian.quantities.units import unit_of

ASKED_FOR = (EventKind.SLOPE, EventKind.THRUST, EventKind.LAUNCH)
METRES_PER_SECOND_SQUARED = unit_of("acceleration", "m/s²")


class KnownEvents(Protocol):
    """What is worked out of one trial at a time, and remembered."""

    def event(self, project: Project, entry: Entry) -> Event:
        """Return what happens in a trial."""

    def trial_context(self, project: Project, entry: Entry) -> TrialContext:
        """Return a trial as readings see it."""


def glides_beside(
    known: KnownEvents,
    project: Project,
    entry: Entry,
    event: Event,
    fit_of: Callable[[Entry], FitOf],
    facts_of: Callable[[Entry], CollisionFacts],
) -> Mapping[tuple[str, str], tuple[FactId, Fact]]:
    """Return the decelerations of a trial's bodies in m/s², as facts by symbol and body, that glide
    trials of its series tell: means weighted by 1/u² (JCGM 100:2008, F.1.2.4); none where its event
    does not ask for them.
    """
    if event.kind not in ASKED_FOR or len(entry.trial.axes) != 1:
        return {}
    told: dict[str, list[tuple[float, float]]] = {}
    for other in project.entries_of(entry.series):
        if other is entry or other.spans.contact is not None or len(other.trial.axes) != 1:
            continue
        incline = project.setup_facts(other).get((INCLINE, ""))
        if incline is not None and incline[1].si != 0.0:
            continue
        if known.event(project, other).kind is EventKind.NONE:
            context = known.trial_context(project, other)
            for body in other.trial.followed:
                told.setdefault(body.name, []).extend(
                    _decelerations(context, body.name, fit_of(other), facts_of(other))
                )
    found = {}
    for name, own in told.items():
        if own and name in [b.name for b in entry.trial.followed]:
            values, us = np.array(own).T
            weights = 1.0 / us**2
            mean, u = float(weights @ values / weights.sum()), float(weights.sum() ** -0.5)
            key = FactId(f"deceleration of {name} in glide trials", f"series {entry.series}")
            fact = Fact(mean, u, Meaning.STANDARD, METRES_PER_SECOND_SQUARED)
            found[SLOWING, name] = key, fact
    return found


def _decelerations(
    context: TrialContext, body: str, fit: FitOf, facts: CollisionFacts
) -> list[tuple[float, float]]:
    """Deceleration and its u in m/s² of a body in the longest span that it glides in."""
    own = [s for s in context.spans.of(body) if s.kind in GLIDES]
    if not own:
        return []
    span = max(own, key=lambda s: s.length)
    if acceleration_of(context, body, span, fit, facts) is None:
        return []
    axis = context.trial.body(body).axes[0]
    reader = DateReader(context, fit, facts, (Date("glide", 0.5 * (span.start + span.stop)),))
    rate, bend = (DateValue(order, body, axis, 0) for order in (1, 2))
    inputs = reader.inputs([rate, bend])
    way = float(np.sign(inputs.values[inputs.index(rate)]))
    u = inputs.u(bend)
    return [(-way * float(inputs.values[inputs.index(bend)]), u)] if u > 0.0 else []
