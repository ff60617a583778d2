"""What the trials of a series tell together: fits of free motion, noise, shared decelerations."""

from collections.abc import Container, Mapping, Sequence
from dataclasses import dataclass, field, replace
from typing import Protocol, TypeVar

import numpy as np

from inertian.motion.derivatives.derive import stated_sigma
from inertian.motion.fits.coming_to_rest import stop_of
from inertian.motion.fits.free_motion import (
    BodyFit,
    FreeMotion,
    apart_from_others,
    fit_body,
    shared_deceleration,
)
from inertian.motion.noise.reading_noise import (
    READINGS,
    InstrumentNoise,
    noise_of_free_motion,
)
from inertian.motion.numerics.window_selection import LONG_RECORDING
from inertian.motion.recording.trials import Trial
from inertian.motion.spans.spans import Span, SpanKind
from inertian.physics.accounts.shared_decelerations import SharedDecelerations, shared_decelerations
from inertian.project.project import Entry
from inertian.quantities.errors import InertianError
from inertian.quantities.estimates import Pools

Result = TypeVar("Result")
Groups = list[tuple[BodyFit, ...]]


class RememberedTrials(Protocol):
    """What is worked out of one trial at a time, and remembered."""

    def fit(
        self, trial: Trial, body: str, span: Span, model: FreeMotion, alone: bool = False
    ) -> BodyFit:
        """Return the fit of one body over one span. Raises TooFewSamplesError."""

    def resolution(self, trial: Trial) -> float:
        """Return the coarsest step of a trial's position channels, in m."""

    def own_noise(self, entry: Entry) -> InstrumentNoise:
        """Return the noise of a trial about its smooth motion."""


@dataclass(frozen=True, eq=False)
class SeriesResult:
    """What the trials of a series tell together: fits per trial and side, noise, shared
    decelerations.

    `refused` holds, by trial id, why a trial's spans could not be fitted; `bent` are the trials
    whose free motion is bent, by a force without touch or whatever else.
    """

    before: dict[str, tuple[BodyFit, ...]]
    after: dict[str, tuple[BodyFit, ...]]
    noise: InstrumentNoise
    glide: SharedDecelerations
    refused: dict[str, InertianError] = field(default_factory=dict)
    bent: frozenset[str] = frozenset()

    @property
    def fitted(self) -> bool:
        """Whether there is free motion in the series that could tell the noise."""
        return bool(self.before or self.after)

    def noise_of(self, trial: str) -> InstrumentNoise:
        """Return the noise for one trial: the series', or its own scatter where a span of a long
        recording holds more than free motion.
        """
        own = [
            float(np.sqrt(f.sum_of_squares / f.dof))
            for b in self.fits(trial)
            if b.stray and trial not in self.bent
            for f in b.fits.values()
        ]
        return replace(self.noise, reading=max([self.noise.reading, *own]))

    def fits(self, trial: str) -> tuple[BodyFit, ...]:
        """Return all fits of one trial, before and after."""
        return (*self.before.get(trial, ()), *self.after.get(trial, ()))


def series_result(
    known: RememberedTrials,
    entries: Sequence[Entry],
    model: FreeMotion,
    scope: str,
    given: float | None,
    near: Mapping[str, Mapping[str, float]],
) -> SeriesResult:
    """Return what a series tells; `given` is a typed σ in m, `near` are the trials with an
    interaction without touch, with the masses of their bodies in kg.
    """
    before, after, refused = _fits(known, entries, model)
    spans = [*before.values(), *after.values()]
    groups = _dependable(spans, near)
    values: dict[str, float] = {}
    bent = {fit.trial.id for group in spans for fit in group if fit.stray}
    if model is FreeMotion.GLIDE:
        values = _decelerations(groups)
        for body in dict.fromkeys(f.body for group in spans for f in group):
            bent |= apart_from_others([f for group in spans for f in group if f.body == body])
    resolution = max((known.resolution(e.trial) for e in entries), default=0.0)
    stated = 0.0 if given is not None else _stated(entries)
    typed = given or stated or None
    noise = replace(noise_of_free_motion(groups, values, resolution, typed), stated=stated)
    if near or all(group[0].trial.id in bent for group in groups):  # what bends is no noise
        noise = _noise_without_tails(known, entries, noise)
    smoothed = {e.trial.id for e in entries if len(e.trial.t) <= LONG_RECORDING}
    tails = {**{trial: {} for trial in bent & smoothed}, **near}
    glide = shared_decelerations(groups, tuple(values), noise, scope, tails)
    after = {t: _until_rest(own, glide.values, noise, tails) for t, own in after.items()}
    return SeriesResult(before, after, noise, glide, refused, frozenset(tails))


def with_trial_changed(
    known: RememberedTrials, series: SeriesResult, entry: Entry, model: FreeMotion
) -> SeriesResult:
    """Return what a series tells while the spans of one of its trials are dragged: noise and
    decelerations, which hang on all trials, as they were.
    """
    before, after, refused = _fits(known, [entry], model)
    trial = entry.trial.id
    tails = dict.fromkeys(series.bent, True)
    after = {
        t: _until_rest(own, series.glide.values, series.noise, tails) for t, own in after.items()
    }
    return replace(
        series,
        before={**_without(series.before, trial), **before},
        after={**_without(series.after, trial), **after},
        refused={**_without(series.refused, trial), **refused},
    )


def _without(found: Mapping[str, Result], trial: str) -> dict[str, Result]:
    return {key: one for key, one in found.items() if key != trial}


def _fits(
    known: RememberedTrials, entries: Sequence[Entry], model: FreeMotion
) -> tuple[
    dict[str, tuple[BodyFit, ...]], dict[str, tuple[BodyFit, ...]], dict[str, InertianError]
]:
    """The fits before and after by trial, and why some could not be made."""
    before: dict[str, tuple[BodyFit, ...]] = {}
    after: dict[str, tuple[BodyFit, ...]] = {}
    refused: dict[str, InertianError] = {}
    for entry in entries:
        trial, spans = entry.used_trial, entry.spans
        try:
            for side, place in ((before, "before"), (after, "after")):
                own = [(b.name, getattr(spans.of(b.name), place)) for b in trial.followed]
                if own and all(span is not None for _, span in own):
                    alone = any(span is not own[0][1] for _, span in own)
                    side[trial.id] = tuple(
                        known.fit(trial, body, span, model, alone) for body, span in own
                    )
        except InertianError as error:
            refused[trial.id] = error
            before.pop(trial.id, None)
    return before, after, refused


def _decelerations(groups: Groups) -> dict[str, float]:
    """The deceleration of each body that moves, in m/s², as least squares have it."""
    values = {}
    for body in dict.fromkeys(f.body for group in groups for f in group):
        found = shared_deceleration([f for g in groups for f in g if f.body == body and f.moving])
        if found is not None:
            values[body] = found
    return values


def _until_rest(
    fits: tuple[BodyFit, ...],
    values: Mapping[str, float],
    noise: InstrumentNoise,
    tails: Container[str],
) -> tuple[BodyFit, ...]:
    """Fits after a contact; of a body that comes to rest unseen, over the time till then, in which
    it is slowed down like elsewhere.
    """
    made = []
    for fit in fits:
        stop = None
        if fit.body in values and not fit.stray and fit.trial.id not in tails:
            stop = stop_of(fit, values[fit.body], noise.reading)
        if stop is not None:
            span = replace(fit.span, stop=min(stop.time, fit.span.stop))
            fit = fit_body(fit.trial, fit.body, span, FreeMotion.GLIDE, False, stop.way)
        made.append(fit)
    return tuple(made)


def _noise_without_tails(
    known: RememberedTrials, entries: Sequence[Entry], noise: InstrumentNoise
) -> InstrumentNoise:
    """The noise of a series about smooth motion, unless it is known from elsewhere."""
    own = [known.own_noise(e) for e in entries if e.trial.followed]
    told = [one for one in own if np.isfinite(one.dof) and one.dof > 0.0]
    if noise.given or not told:
        return noise
    weights = np.array([one.dof for one in told])
    square, stamp = (
        float(weights @ [kind**2 for kind in kinds] / weights.sum())
        for kinds in ([one.reading for one in told], [one.stamp for one in told])
    )
    dof = float(weights.sum())
    pools = Pools({(READINGS, READINGS): 2.0 / dof})
    return replace(noise, reading=square**0.5, stamp=stamp**0.5, dof=dof, pools=pools)


def without_touch(entry: Entry) -> bool:
    """Return whether what a trial is accounted around is an interaction of several bodies without
    touch; that of a long recording, which is not smoothed, counts as a contact.
    """
    contact = entry.spans.contact
    gradual = contact is not None and contact.kind is SpanKind.INTERACTION
    several = len(entry.trial.followed) > 1
    return gradual and several and len(entry.trial.t) <= LONG_RECORDING


def _dependable(groups: Groups, near: Container[str]) -> Groups:
    """The spans that noise and decelerations are estimated from: those in which nothing happened,
    if there are any, and those beside an interaction without touch, whose tails are reckoned with.

    One span that reaches across a hit must not spoil the numbers of the whole series.
    """
    return [
        group
        for group in groups
        if any(fit.trial.id in near for fit in group) or not any(fit.stray for fit in group)
    ] or groups


def _stated(entries: Sequence[Entry]) -> float:
    """The root mean square of what columns state of positions, in m; 0 unless all bodies that were
    followed have them.

    It stands for σ of the series, which is spread over the readings as the columns say.
    """
    sigmas = [stated_sigma(body) for entry in entries for body in entry.used_trial.followed]
    known = [sigma for sigma in sigmas if sigma is not None]
    return float(np.sqrt(np.mean(np.square(known)))) if known and len(known) == len(sigmas) else 0.0
