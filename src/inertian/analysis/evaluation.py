"""From a project to results: lazy, cached, and only what a change touches is computed anew."""

import weakref
from collections.abc import Callable, Hashable, Mapping
from dataclasses import dataclass, replace
from functools import partial
from typing import TypeVar, cast

import numpy as np

from inertian.analysis.contact_reading import beside_gauges, read_contact
from inertian.analysis.glide_trials import glides_beside
from inertian.analysis.series_results import SeriesResult, series_result, without_touch
from inertian.motion.derivatives.derive import Method, derive, noise_of_trial
from inertian.motion.derivatives.local_derivatives import parse_window
from inertian.motion.derivatives.local_fit_cache import LocalFitCache
from inertian.motion.fits.free_motion import BodyFit, FreeMotion, fit_body
from inertian.motion.noise.reading_noise import InstrumentNoise
from inertian.motion.recording.trials import Trial
from inertian.motion.spans.spans import Span, SpanKind
from inertian.physics.accounts.collision_inputs import (
    CollisionFacts,
    CollisionInputs,
)
from inertian.physics.accounts.events import Event, EventKind, recognised
from inertian.physics.accounts.forms import INCLINE
from inertian.physics.accounts.gauges import gauge_of
from inertian.physics.accounts.ledger import ENERGY, Accounts
from inertian.physics.accounts.told_by_motion import drag_curves
from inertian.physics.accounts.trial_accounts import (
    accounts_between,
    accounts_of_contact,
)
from inertian.physics.accounts.typed_entries import facts_of_entries
from inertian.physics.accounts.verdicts import Expectation
from inertian.physics.definitions.requests import TOTAL, CurveRequest, Quantity, QuantityRef
from inertian.physics.evaluation.quantity_values import at_all_samples
from inertian.physics.evaluation.trial_context import NoValueError, TrialContext
from inertian.physics.readings.budgets import one_estimate
from inertian.physics.readings.combined_parameters import CombinedParameter, combine_parameters
from inertian.physics.readings.readings import CurveResult, fit_curve_request, read_named
from inertian.project.project import READING_NOISE, RESTITUTION, Entry, Project
from inertian.quantities.coverage import Scalar
from inertian.quantities.errors import InertianError
from inertian.quantities.estimates import Array
from inertian.quantities.memo import Memo, Recent, room

# Results that are remembered, and samples they may rest on together: fewer of long recordings, but
# always a few, so that undo and redo find theirs
MOST_REMEMBERED, REMEMBERED_SAMPLES, LEAST_REMEMBERED = 256, 20_000_000, 4
SERIES_AT_HAND = 8  # results of series that are found without looking at their trials
REMEMBERED_FOR_ONE_SERIES = 8  # results of trials that are remembered for each one of a series

# What hangs on positions and the frame alone
OF_POSITIONS = (
    Quantity.POSITION,
    Quantity.VELOCITY,
    Quantity.ACCELERATION,
    Quantity.SPEED,
    Quantity.SENSOR,
)

Result = TypeVar("Result")


@dataclass(frozen=True, eq=False)
class SeriesCurve:
    """A curve in all trials of a series: results by name, symbols and units of its parameters,
    their common values.
    """

    trials: tuple[tuple[str, CurveResult | InertianError], ...]
    symbols: tuple[str, ...]
    units: Mapping[str, str]
    together: Mapping[str, CombinedParameter]


class Evaluator:
    """Computes results of a project and remembers them, by the identity of what they depend on.

    One for each open project: it goes with it, and frees its data. Not for use from two threads at
    once.
    """

    def __init__(self) -> None:
        self._of_trials = Memo()
        self._series: Recent[SeriesResult] = Recent()
        # The same by project and name: what a result hangs on is long where trials are many
        self._of_project: Recent[SeriesResult] = Recent()
        self._results: Recent[object] = Recent()
        self._size = 0  # samples behind one series result

    def hold(self) -> None:
        """Keep what is known now while a gesture tries many values, so that giving it up costs
        nothing.
        """
        self._series.hold()
        self._results.hold()

    def release(self) -> None:
        """The gesture is over: what was known before it is like the rest."""
        self._series.release()
        self._results.release()

    def fork(self) -> "Evaluator":
        """Return an evaluator for another thread that knows what was worked out of the recordings
        and series so far; it shares nothing that either of them changes.
        """
        other = Evaluator()
        other._of_trials = self._of_trials.copied({"derivatives": LocalFitCache.copy})
        other._series.adopt(self._series)
        other._size = self._size
        return other

    def adopt(self, other: "Evaluator") -> None:
        """Take over what another evaluator worked out, on a thread of its own; it must not be used
        any more.
        """
        self._of_trials.adopt(other._of_trials)
        self._series.adopt(other._series)
        self._results.adopt(other._results)
        self._size = max(self._size, other._size)

    def _of_trial(self, trial: Trial, key: Hashable, compute: Callable[[], Result]) -> Result:
        return self._of_trials.get(trial, key, compute, self._room(len(trial.t)))

    def remembered(self, trial: Trial, key: Hashable, compute: Callable[[], Result]) -> Result:
        """Return what was worked out of the samples of a trial alone, once."""
        return self._of_trial(trial, key, compute)

    @staticmethod
    def _room(samples: int) -> int:
        """How many results to keep that rest on so many samples each."""
        return room(MOST_REMEMBERED, samples, REMEMBERED_SAMPLES, LEAST_REMEMBERED)

    def fit(
        self, trial: Trial, body: str, span: Span, model: FreeMotion, alone: bool = False
    ) -> BodyFit:
        """Return one body's fit over one free span; `alone` if others use another span. Raises
        TooFewSamplesError.
        """
        parabola, condensed = model is FreeMotion.PARABOLA, not alone
        key = ("fit", body, span, parabola, alone)
        return self._of_trial(trial, key, lambda: fit_body(trial, body, span, model, condensed))

    def resolution(self, trial: Trial) -> float:
        """Return the coarsest step of a trial's position channels, in m."""
        channels = [c for b in trial.followed for c in b.channels]
        return self._of_trial(
            trial, "resolution", lambda: max((c.resolution for c in channels), default=0.0)
        )

    def series(self, project: Project, name: str) -> SeriesResult:
        """Return what the trials of one series tell together."""
        place = (weakref.ref(project), name)
        return self._of_project.get(place, lambda: self._found(project, name), SERIES_AT_HAND)

    def _found(self, project: Project, name: str) -> SeriesResult:
        entries, settings = project.entries_of(name), project.series_named(name)
        given, near, key = self._of_series(project, name)

        def compute() -> SeriesResult:
            return series_result(self, entries, settings.motion, settings.scope, given, near)

        return self._series.get(key, compute, self._series_kept())

    def series_in_drag(self, project: Project, name: str, known: SeriesResult) -> None:
        """Take over what a series tells while a gesture is under way, for this very project."""
        self._of_project.get((weakref.ref(project), name), lambda: known, SERIES_AT_HAND)

    def know_series(self, project: Project, name: str, known: SeriesResult) -> None:
        """Take over what the trials of a series tell together with others, for a project that
        holds only some of them.
        """
        key = self._of_series(project, name)[2]
        self._series.get(key, lambda: known, self._series_kept())
        self._of_project.get((weakref.ref(project), name), lambda: known, SERIES_AT_HAND)

    def _series_kept(self) -> int:
        return max(self._room(self._size) // REMEMBERED_FOR_ONE_SERIES, 2)

    def _of_series(
        self, project: Project, name: str
    ) -> tuple[float | None, dict[str, dict[str, float]], Hashable]:
        """The σ that was typed, the trials with an interaction without touch, and what a result of
        a series hangs on.
        """
        entries, settings = project.entries_of(name), project.series_named(name)
        typed = project.fact(READING_NOISE, entries[0]) if entries else None
        given = typed[1].si if typed else None
        counted = [e.used_trial for e in entries]
        near = {
            e.trial.id: {body: fact.si for body, (_, fact) in project.masses(e).items()}
            for e in entries
            if without_touch(e)
        }
        key = (
            name,
            settings.motion,
            given,
            tuple((weakref.ref(t), e.spans) for t, e in zip(counted, entries, strict=True)),
            tuple((trial, *masses.items()) for trial, masses in near.items()),
        )
        self._size = sum(len(e.trial.t) for e in entries)
        return given, near, key

    def own_noise(self, entry: Entry) -> InstrumentNoise:
        """Return the noise of a trial about its smooth motion."""
        alone = partial(noise_of_trial, entry.used_trial, entry.spans)
        return self._sure(("noise", entry.spans), entry.used_trial, alone)

    def collision_inputs(self, project: Project, trial: str) -> CollisionInputs | InertianError:
        """Return the readings at the contact of one trial, or the reason why there are none; masses
        may be missing.
        """
        entry = project.entry(trial)
        series, facts = self.series(project, entry.series), self._collision_facts(project, entry)
        found = self.event(project, replace(entry, dates=()))
        dates = found.dates if entry.spans.contact else ()
        key = ("collision", trial, entry.spans, dates, *facts.key)

        def compute() -> CollisionInputs:
            context = partial(self.trial_context, project, entry)
            beside = beside_gauges(self, project, entry, series)
            return read_contact(
                entry, beside, facts, dates, context, partial(self._span_fit, entry)
            )

        return self._result(key, series, compute)

    @staticmethod
    def _collision_facts(project: Project, entry: Entry) -> CollisionFacts:
        given = project.series_named(entry.series).expectations.get(ENERGY) is Expectation.GIVEN_E
        typed = facts_of_entries(entry.typed, entry.trial.id)
        return CollisionFacts(
            project.masses(entry),
            {**project.scale_facts(entry), **project.frame_facts(entry)},
            project.clock_offsets(entry),
            project.fact(RESTITUTION, entry) if given else None,
            entry.frame,
            {name: fact for (_, name), fact in typed.items()},
        )

    def accounts(self, project: Project, trial: str) -> Accounts | InertianError:
        """Return the ledgers of one trial, or the reason why there are none."""
        entry = project.entry(trial)
        choices = project.account_choices(entry)
        key = ("accounts", *choices.key)
        event = self.event(project, entry)
        several = event.kind is EventKind.SEVERAL
        if entry.spans.contact is not None and event.kind.contact and not several:
            inputs = self.collision_inputs(project, trial)
            if isinstance(inputs, InertianError):
                return inputs
            gauge = gauge_of(entry.trial) if event.kind is EventKind.BUMPER else None
            centre = entry.frame.centre or (0.0, 0.0)
            return self._result(
                key,
                inputs,
                lambda: accounts_of_contact(event, inputs, choices, gauge, centre),
            )
        context, facts = self.trial_context(project, entry), self._collision_facts(project, entry)
        fit = partial(self._span_fit, entry)
        glides = glides_beside(
            self,
            project,
            entry,
            event,
            lambda other: partial(self._span_fit, other),
            partial(self._collision_facts, project),
        )

        bare = self.trial_context(project, entry, bare=True)  # masses do not bend a curve
        curves = self._sure("drag", bare, lambda: drag_curves(bare))

        def between() -> Accounts:
            beside = replace(context, setup={**context.setup, **glides}) if glides else context
            return accounts_between(event, beside, fit, facts, choices, curves)

        return self._result((*key, facts.key, event, *glides.values()), context, between)

    def event(self, project: Project, entry: Entry) -> Event:
        """Return what happens in a trial."""
        facts = {**project.setup_facts(entry), **project.account_facts(entry)}
        gravity = facts["g", ""][1].si
        fit = partial(self._span_fit, entry)
        level = facts.get((INCLINE, ""))
        known = tuple(key for key in facts if key[0] != INCLINE or (level and level[1].si != 0.0))
        found = self._of_trial(
            entry.used_trial,
            ("event", entry.spans, known, gravity),
            lambda: recognised(entry.used_trial, entry.spans, known, gravity, fit),
        )
        return found.at_dates(entry.dates) if entry.dates else found

    def _span_fit(self, entry: Entry, body: str, span: Span) -> BodyFit | None:
        """The fit of a body over a steady span, or None where it does not hold."""
        model = FreeMotion.LINE if span.kind is SpanKind.REST else FreeMotion.PARABOLA
        try:
            made = self.fit(entry.used_trial, body, span, model, alone=True)
        except InertianError:
            return None
        return None if made.stray else made

    def trial_context(self, project: Project, entry: Entry, bare: bool = False) -> TrialContext:
        """Return a trial as readings see it: samples that count, spans, frame, facts and the noise
        of its series; `bare` without masses and the facts of the setup.
        """
        series = self.series(project, entry.series)
        masses = {} if bare else project.masses(entry)
        shared = {
            **project.scale_facts(entry),
            **project.frame_facts(entry),
            **project.centre_facts(entry),
        }
        setup = {} if bare else {**project.setup_facts(entry), **project.account_facts(entry)}
        own = project.quantities(entry)
        window = parse_window(project.series_named(entry.series).window)
        facts = (*masses.items(), *shared.items(), *setup.items())
        key = (
            "observed",
            bare,
            entry.trial.id,
            entry.spans,
            entry.frame,
            *facts,
            project.derived,
            entry.named,
            window,
        )
        noise = series.noise_of(entry.trial.id)
        if not (np.isfinite(noise.dof) or series.fitted) and entry.trial.followed:
            noise = noise.or_scatter(self.own_noise(entry))
        known = self._of_trial(entry.used_trial, "derivatives", LocalFitCache)
        made = partial(
            TrialContext,
            entry.used_trial,
            entry.spans,
            entry.frame,
            noise,
            masses,
            shared,
            known,
            setup,
            own,
            window,
            named={n.name: n for n in entry.named},
            estimated=one_estimate,
        )
        return self._sure(key, series, made)

    def named(self, project: Project, entry: Entry) -> dict[str, Scalar | InertianError]:
        """Return the results of a trial's named readings, or why there are none."""
        context = self.trial_context(project, entry)
        return {
            n.name: self._result(("named", n), context, partial(read_named, context, n))
            for n in entry.named
        }

    def curves(self, project: Project, entry: Entry) -> list[CurveResult | InertianError]:
        """Return the curves fitted in a trial, in order, or why they cannot be."""
        context = self.trial_context(project, entry)
        return [
            self._result(("curve", c), context, partial(fit_curve_request, context, c))
            for c in entry.curves
        ]

    def curve_in_series(
        self,
        project: Project,
        series: str,
        request: CurveRequest,
        progress: Callable[[int, int], bool],
    ) -> SeriesCurve:
        """Fit the same curve over the spans of one name in all trials of a series, and take
        parameters together.

        `progress` gets how many trials are done and of how many; if it returns False, the others
        are left out.
        """
        entries, trials, usable = project.entries_of(series), [], []
        for done, entry in enumerate(entries):
            if not progress(done, len(entries)):
                break
            context = self.trial_context(project, entry)
            result: CurveResult | InertianError = NoValueError(f"There is no {request.body} in it.")
            if request.body in (TOTAL, *(b.name for b in entry.trial.bodies)):
                result = self._result(
                    ("curve", request), context, partial(fit_curve_request, context, request)
                )
            trials.append((entry.trial.name, result))
            if not isinstance(result, InertianError):
                usable.append((context, result))
        symbols = tuple(s for s, _ in usable[0][1].parameters) if usable else ()
        common = {symbol: combine_parameters(usable, symbol) for symbol in symbols}
        return SeriesCurve(
            tuple(trials),
            symbols,
            usable[0][1].units if usable else {},
            {s: c for s, c in common.items() if c},
        )

    def band(
        self, project: Project, entry: Entry, shown: QuantityRef, body: str
    ) -> tuple[Array, Array] | InertianError:
        """Return a quantity and its standard uncertainty at all samples, or why there is none."""
        # A mass that is edited moves no velocity
        context = self.trial_context(project, entry, shown.quantity in OF_POSITIONS)
        return self._result(
            ("band", shown, body), context, partial(at_all_samples, context, shown, body)
        )

    def differences(
        self, project: Project, entry: Entry, shown: QuantityRef, body: str, method: str
    ) -> tuple[Array, Array] | InertianError:
        """Return a velocity or acceleration along an axis, in SI, by "central" or "two-point"
        differences, as a class has it by hand, and its standard uncertainty at all samples, (n,);
        NaN where there is none, or why there is none.
        """
        context = self.trial_context(project, entry)
        found = self._result(
            ("differences", method),
            context,
            lambda: derive(entry.used_trial, entry.spans, Method(method)),
        )
        if isinstance(found, InertianError):
            return found
        channel = next(one for one in found if one.name == body).axes[shown.axis]
        value, u = np.full((2, len(entry.used_trial.t)), np.nan)
        velocity = shown.quantity is Quantity.VELOCITY
        value[channel.rows] = channel.v if velocity else channel.a
        u[channel.rows] = channel.u_v if velocity else channel.u_a
        return value, u

    def kept(
        self, source: object, key: Hashable, compute: Callable[[], Result]
    ) -> Result | InertianError:
        """Return what was worked out of this very source before, or is now; or why there is
        none.
        """
        return self._result(key, source, compute)

    def _sure(self, key: Hashable, source: object, compute: Callable[[], Result]) -> Result:
        """As `_result`, for what cannot fail."""
        result = self._result(key, source, compute)
        assert not isinstance(result, InertianError)
        return result

    def _result(
        self, key: Hashable, source: object, compute: Callable[[], Result]
    ) -> Result | InertianError:
        """Return a result, or why there is none, from the cache if it was made from this very
        source before.
        """

        def result() -> Result | InertianError:
            try:
                return compute()
            except InertianError as error:
                return error

        place = (weakref.ref(source), key)
        return cast(
            "Result | InertianError", self._results.get(place, result, self._room(self._size))
        )
