"""Reading a contact off the fits of its series, as long as a gauge is pushed where there is one."""

from collections.abc import Callable
from dataclasses import replace
from typing import Protocol

import numpy as np

from inertian.analysis.series_results import SeriesResult
from inertian.motion.fits.free_motion import BodyFit, FreeMotion
from inertian.motion.recording.trials import Trial
from inertian.motion.spans.spans import Span
from inertian.physics.accounts.collision_inputs import (
    AccountError,
    CollisionFacts,
    CollisionInputs,
    read_collision,
)
from inertian.physics.accounts.date_readings import FitOf
from inertian.physics.accounts.events import Event
from inertian.physics.accounts.gauges import gauge_of
from inertian.physics.accounts.interactions import interaction_of
from inertian.physics.accounts.shared_decelerations import shared_decelerations
from inertian.physics.accounts.statements import Date
from inertian.physics.accounts.trial_accounts import gauge_beside
from inertian.physics.evaluation.trial_context import TrialContext
from inertian.project.project import Entry, Project

LEAST_KEPT = 0.5  # of a free span, that is left where a gauge is not pushed


class KnownTrials(Protocol):
    """What is worked out of one trial at a time, and remembered."""

    def fit(
        self, trial: Trial, body: str, span: Span, model: FreeMotion, alone: bool = False
    ) -> BodyFit:
        """Return the fit of one body over one span. Raises TooFewSamplesError."""

    def event(self, project: Project, entry: Entry) -> Event:
        """Return what happens in a trial."""


def beside_gauges(
    known: KnownTrials, project: Project, entry: Entry, series: SeriesResult
) -> SeriesResult:
    """What a series tells where gauges say when a body is pushed: the fits of such trials only
    as far as it is not pushed yet, or no more. There they move freely, so that no tail of a
    force bends them.
    """
    gauged = [
        one
        for one in project.entries_of(entry.series)
        if _pushed_alone(one) and one.trial.id in series.before
    ]
    if entry.trial.id not in [one.trial.id for one in gauged]:
        return series
    model = project.series_named(entry.series).motion
    before, after = dict(series.before), dict(series.after)
    for one in gauged:
        key = one.trial.id
        start, stop = (d.t for d in known.event(project, replace(one, dates=())).dates[:2])
        before[key] = _shortened(known, one, before[key], model, -np.inf, start)
        if key in after:
            after[key] = _shortened(known, one, after[key], model, stop, np.inf)
    bent = series.bent - {one.trial.id for one in gauged}
    glide = shared_decelerations(
        [*before.values(), *after.values()],
        tuple(series.glide.values),
        series.noise,
        series.glide.scope,
        {key: {} for key in bent},
    )
    return replace(series, before=before, after=after, glide=glide, bent=bent)


def _pushed_alone(entry: Entry) -> bool:
    """Whether one body is pushed by what a gauge records."""
    alone = len(entry.trial.followed) == 1 and entry.spans.contact is not None
    return alone and gauge_of(entry.used_trial) is not None


def _shortened(
    known: KnownTrials,
    entry: Entry,
    fits: tuple[BodyFit, ...],
    model: FreeMotion,
    start: float,
    stop: float,
) -> tuple[BodyFit, ...]:
    """Fits over what of their spans lies from start to stop in s, if that is most of them."""
    made = []
    for one in fits:
        span = one.span
        inner = (max(span.start, start), min(span.stop, stop))
        whole = inner == (span.start, span.stop)
        if not whole and inner[1] - inner[0] > LEAST_KEPT * span.length:
            shorter = replace(span, start=inner[0], stop=inner[1])
            one = known.fit(entry.used_trial, one.body, shorter, model, alone=True)
        made.append(one)
    return tuple(made)


def read_contact(
    entry: Entry,
    series: SeriesResult,
    facts: CollisionFacts,
    dates: tuple[Date, ...],
    context: Callable[[], TrialContext],
    fit: FitOf,
) -> CollisionInputs:
    """Return the readings of one collision off the fits of its series, in SI, from the first of two
    `dates` to the second. Raises AccountError, or another InertianError, with what is missing.
    """
    trial, spans = entry.used_trial, entry.spans
    contact = spans.contact
    marked = trial.id in series.refused or (trial.id in series.before and trial.id in series.after)
    if contact is None or (trial.followed and not marked):
        raise AccountError(trial.name, "The spans before, contact and after are not marked yet.")
    if trial.id in series.refused:
        raise series.refused[trial.id]
    if not trial.followed:
        raise AccountError(
            trial.name,
            "No positions were recorded, so there is nothing to fit; sensors are shown only.",
        )
    before, after = series.before[trial.id], series.after[trial.id]
    contact = replace(contact, start=dates[0].t, stop=dates[1].t)  # as long as a gauge is pushed
    interaction = None
    beside = None
    if gauge_of(trial) is not None:
        beside = gauge_beside(context(), fit, facts, dates)
    if trial.id in series.bent:
        interaction = interaction_of(context(), contact, before, after)
    return read_collision(
        trial,
        contact,
        before,
        after,
        facts=facts,
        noise=series.noise_of(trial.id),
        glide=series.glide,
        interaction=interaction,
        beside=beside,
    )
