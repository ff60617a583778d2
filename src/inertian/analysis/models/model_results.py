"""A model of a trial, fitted: with what its residuals say, its stepping, and its accounts."""

from collections.abc import Callable, Sequence
from dataclasses import dataclass, replace

import numpy as np

from inertian.analysis.evaluation import Evaluator
from inertian.models.definitions.force_kinds import NONE
from inertian.models.definitions.model import Model
from inertian.models.definitions.system import Setting
from inertian.models.fitting.accounts import ModelLedger, Stepping, model_ledgers, stepped
from inertian.models.fitting.fit import ModelFit, fit_model
from inertian.models.fitting.fitted_trial import FittedTrial
from inertian.models.fitting.minimising import ModelFitError
from inertian.models.fitting.residual_patterns import (
    SIMPLE_FIRST,
    SIMPLICITY,
    ResidualPattern,
    residual_pattern,
)
from inertian.models.fitting.trial_model import TrialModel, trial_model
from inertian.project.project import Entry, Project
from inertian.quantities.coverage import Scalar
from inertian.quantities.errors import InertianError
from inertian.quantities.estimates import ErrorShape, Estimate
from inertian.quantities.facts import Fact, Meaning
from inertian.quantities.units import unit_of

Progress = Callable[[int, int], bool]
DOUBTFUL = 8.0  # normal deviates of a pattern, from which forces are tried by fitting them


@dataclass(frozen=True, eq=False)
class ModelResult:
    """A fitted model in one of its trials: `place` is that of the trial in the fit."""

    model: Model
    entry: Entry
    fit: ModelFit
    place: int
    pattern: ResidualPattern
    stepping: Stepping
    ledgers: tuple[ModelLedger, ...]

    @property
    def trial(self) -> FittedTrial:
        """The fit of this trial."""
        return self.fit.trials[self.place]

    def scalar(self, code: str) -> Scalar:
        """Return a setting, or the start of a coordinate, by its name in the program: as it was
        fitted; what is fixed with a ± as it is stated.
        """
        for one in self.trial.made.system.adjusted:
            if one.code == code and one.fact is not None:
                wide = (np.sqrt(3.0) * one.fact.u,) if one.fact.bounded else ()
                spread = 0.0 if wide else one.fact.u
                return Scalar(one.fact.si, one.fact.u, np.inf, ErrorShape(spread, np.inf, wide))
        try:
            return self.fit.scalar(code, self.place)
        except KeyError:
            known = {s.code: s.value for s in self.trial.made.system.distinct}
            value = self.trial.values.get(code, known.get(code))
            if value is None:
                cs = self.trial.made.system.coordinates
                names = [n for c in cs for n in (c.place, c.rate)]
                states = [
                    v
                    for pair in zip(self.trial.places, self.trial.rates, strict=True)
                    for v in pair
                ]
                value = dict(zip(names, states, strict=True))[code]
            return Scalar(float(value), 0.0, float("inf"))

    @property
    def settings(self) -> tuple[Setting, ...]:
        """Settings in the order of forces, masses last."""
        found = self.trial.made.system.distinct
        return tuple(sorted(found, key=lambda s: (s.force < 0, s.force)))


def fit_alone(
    evaluator: Evaluator, project: Project, entry: Entry, model: Model
) -> ModelFit | InertianError:
    """Return the fit of a model to one trial, or why there is none; remembered."""
    context = evaluator.trial_context(project, entry)
    return evaluator.kept(
        context, ("model", model), lambda: fit_model([trial_model(context, model)])
    )


def model_result(
    evaluator: Evaluator, project: Project, entry: Entry, model: Model,
    progress: Progress | None = None,
) -> ModelResult:  # fmt: skip
    """Fit a model of a trial; where parameters are shared, together with the trials of its series
    that have a model of its name. Raises InertianError.
    """
    return model_results(evaluator, project, [(entry, model)], progress)[0]


def model_results(
    evaluator: Evaluator, project: Project, asked: Sequence[tuple[Entry, Model]],
    progress: Progress | None = None,
) -> list[ModelResult]:  # fmt: skip
    """Fit one model in some trials together, or in one with the others that share a parameter with
    it; a result for each that was asked. Raises InertianError.
    """
    first_entry, first = asked[0]
    beside = list(asked)
    if first.shared:
        beside += [
            (other, one)
            for other in project.entries_of(first_entry.series)
            for one in other.models
            if one.name == first.name
            and other.apart is None
            and all(other.trial.id != e.trial.id for e, _ in asked)
        ]
    made = [
        trial_model(evaluator.trial_context(project, e), replace(m, shared=first.shared))
        for e, m in beside
    ]
    codes = _codes(made[0], first.shared)
    many = len(made)
    told = None if progress is None else lambda runs: progress(runs, 12 * many)
    alone = len(made) == 1 and not first.shared
    fit = fit_model(made, codes, told)
    if alone:  # the table of results asks for it as well
        evaluator.kept(made[0].context, ("model", first), lambda: fit)
    return [_result(fit, k, e, m) for k, (e, m) in enumerate(asked)]


def _codes(made: TrialModel, names: Sequence[str]) -> list[str]:
    found = []
    for name in names:
        codes = [s.code for s in made.system.free if name in (s.name, s.symbol)]
        if not codes:
            free = ", ".join(s.name for s in made.system.free) or "none"
            raise ModelFitError(f"“{name[:40]}” is not free, so it cannot be shared. Free: {free}.")
        found += codes
    return found


def _result(fit: ModelFit, place: int, entry: Entry, model: Model) -> ModelResult:
    trial = fit.trials[place]
    stepping = stepped(trial, model.rule, model.step)
    ledgers = tuple(model_ledgers(fit, place, stepping))
    pattern = residual_pattern(trial)
    if pattern.structured and pattern.statistic > DOUBTFUL and len(fit.trials) == 1:
        pattern = _named_by_trying(fit, pattern)
    return ModelResult(model, entry, fit, place, pattern, stepping, ledgers)


def _named_by_trying(fit: ModelFit, pattern: ResidualPattern) -> ResidualPattern:
    """Where a misfit is large, what is nearly linear in a small force is not in a large one: those
    that tell nearly as much are fitted, and the best is named.
    """
    made = fit.trials[0].made
    found: list[tuple[float, ResidualPattern]] = []
    for one in pattern.nearly:
        kept = tuple(f for f in made.model.acting if f.kind != NONE)
        if one.adds is None or any(f.kind == one.force for f in kept):
            continue
        larger = replace(made.model, forces=(*kept, one.adds))
        try:
            tried = fit_model([trial_model(made.context, larger)])
        except InertianError:
            continue
        if not tried.at_bound:
            found.append((tried.chi_squared, replace(one, p=pattern.p)))
    if not found:
        return pattern
    least = min(chi for chi, _ in found)
    near = [one for chi, one in found if chi <= least + SIMPLE_FIRST]
    return min(near, key=lambda one: SIMPLICITY.index(one.force))


def stated(value: float, u: float, kind: str, unit: str) -> Fact:
    """Return a fitted number as a fact, with its standard uncertainty."""
    known = unit_of(kind, unit)
    meaning = Meaning.STANDARD if u > 0.0 else Meaning.EXACT
    return Fact(known.from_si(value), known.from_si(u), meaning, known)


def estimate_of(result: ModelResult, name: str) -> Estimate:
    """Return a free parameter as an estimate, by its name in the program. Raises KeyError."""
    return result.fit.estimates[result.fit.key(result.place, name)]
