"""Edits of the models that stand beside a trial."""

from collections.abc import Sequence
from dataclasses import replace
from datetime import UTC, datetime

from inertian.models.definitions.model import KeptPrediction, Model
from inertian.motion.recording.trials import Trial
from inertian.project.history import Edit
from inertian.project.project import Project, with_trials
from inertian.quantities.errors import Refusal
from inertian.quantities.facts import Fact

MOST_MODELS = 60  # beside a trial
WITHOUT_DATA = "Without data"  # a series


def _with(project: Project, trial: str, models: Sequence[Model], name: str) -> Edit:
    entry = project.entry(trial)
    if len(models) > MOST_MODELS:
        raise Refusal(f"A trial has {MOST_MODELS} models at most.")
    same = tuple(models) == entry.models
    new = project if same else project.with_entry(replace(entry, models=tuple(models)))
    return Edit("" if same else name, new)


def free_model_name(project: Project, trial: str, wanted: str) -> str:
    """Return a name that no model of a trial has yet: the wanted one, or that with a number."""
    taken, number, name = {m.name for m in project.entry(trial).models}, 2, wanted
    while name in taken:
        name, number = f"{wanted} {number}", number + 1
    return name


def trial_without_data_added(project: Project, trial: Trial) -> Edit:
    """Add a trial of which nothing was recorded, in a series of such trials."""
    return Edit(f"Add “{trial.name}”", with_trials(project, [trial], WITHOUT_DATA))


def models_added(project: Project, trial: str, models: Sequence[Model]) -> Edit:
    """Put models beside a trial, with names of their own. Raises Refusal for too many."""
    known = list(project.entry(trial).models)
    for model in models:
        taken, number, name = {m.name for m in known}, 2, model.name
        while name in taken:
            name, number = f"{model.name} {number}", number + 1
        known.append(replace(model, name=name))
    what = f"Add {models[0].name}" if len(models) == 1 else "Add models"
    return _with(project, trial, known, what)


def model_changed(project: Project, trial: str, old: str, new: Model, what: str) -> Edit:
    """Exchange a model of a trial. Raises Refusal where its new name is taken, or there is none."""
    models = project.entry(trial).models
    if new.name != old and any(m.name == new.name for m in models):
        raise Refusal(f"There is a model “{new.name}” already: choose another name.")
    if not new.name.strip():
        raise Refusal("Give the model a name.")
    changed = [new if m.name == old else m for m in models]
    return _with(project, trial, changed, what)


def model_removed(project: Project, trial: str, name: str) -> Edit:
    """Take a model away from a trial."""
    left = [m for m in project.entry(trial).models if m.name != name]
    return _with(project, trial, left, f"Remove {name}")


def model_for_series(project: Project, trial: str, name: str) -> Edit:
    """Put a model of a trial beside all trials of its series that have none of its name."""
    entry = project.entry(trial)
    model = next(m for m in entry.models if m.name == name)
    free = replace(model, start=replace(model.start, typed=(), time=None))
    for other in project.entries_of(entry.series):
        if other.trial.id != trial and all(m.name != name for m in other.models):
            project = project.with_entry(replace(other, models=(*other.models, free)))
    return Edit(f"{name} for all trials of the series", project)


def parameter_shared(project: Project, trial: str, name: str, symbol: str, on: bool) -> Edit:
    """Let a parameter of a model have one value in all trials of the series, or one in each again;
    the model is put beside those that have none of its name.
    """
    if on:
        project = model_for_series(project, trial, name).project
    for entry in project.entries_of(project.entry(trial).series):
        models = []
        for model in entry.models:
            kept = tuple(s for s in model.shared if s != symbol)
            own = replace(model, shared=(*kept, symbol) if on else kept)
            models.append(own if model.name == name else model)
        if tuple(models) != entry.models:
            project = project.with_entry(replace(entry, models=tuple(models)))
    what = f"One {symbol} for all trials" if on else f"{symbol} for each trial"
    return Edit(what, project)


def prediction_kept(project: Project, trial: str, model: str, name: str, fact: Fact) -> Edit:
    """Keep what somebody expects of a parameter before it is fitted, with the time."""
    one = next(m for m in project.entry(trial).models if m.name == model)
    when = datetime.now(UTC).isoformat(timespec="seconds")
    kept = KeptPrediction(name, fact, when)
    new = replace(one, predictions=(*one.predictions, kept))
    return model_changed(project, trial, model, new, f"Keep a prediction of {name}")
