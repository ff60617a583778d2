"""Edits: pure functions from project to a named, finished edit. One gesture is one edit."""

from collections.abc import Iterable
from dataclasses import replace

from inertian.motion.contact import suggest_spans
from inertian.motion.freemotion import FreeMotion
from inertian.motion.spans import Span, SpanKind, Spans, move_edge, move_span
from inertian.motion.trials import Trial
from inertian.physics.verdicts import Expectation
from inertian.project.history import Edit
from inertian.project.project import Entry, Project, with_trials
from inertian.quantities.facts import Fact, FactId


def _limits(entry: Entry) -> tuple[float, float]:
    return float(entry.trial.t[0]), float(entry.trial.t[-1])


def _respanned(project: Project, entry: Entry, spans: Spans, name: str) -> Edit:
    if spans == entry.spans:
        return Edit(name, project)
    return Edit(name, project.with_entry(replace(entry, spans=spans)))


def edge_moved(project: Project, trial: str, span: str, edge: str, time: float) -> Edit:
    """Move one edge ("start" or "stop") of a span to a time in s; see `spans.move_edge` for the rules."""
    entry = project.entry(trial)
    spans = move_edge(entry.spans, span, edge, time, entry.trial.step(), _limits(entry))
    return _respanned(project, entry, spans, f"Move {edge} of “{span}”")


def span_moved(project: Project, trial: str, span: str, shift: float) -> Edit:
    """Move a whole span by `shift` seconds, its length kept as far as there is room."""
    entry = project.entry(trial)
    spans = move_span(entry.spans, span, shift, entry.trial.step(), _limits(entry))
    return _respanned(project, entry, spans, f"Move “{span}”")


def spans_suggested(project: Project, trial: str) -> Edit:
    """Mark before, contact and after where the motion breaks; where no hit stands out, in thirds, to be dragged."""
    entry = project.entry(trial)
    spans = suggest_spans(entry.trial)
    if not spans:
        start, stop = _limits(entry)
        length = stop - start
        a, b = start + 0.45 * length, start + 0.55 * length
        spans = Spans(
            (
                Span("before", SpanKind.FREE, start, a),
                Span("contact", SpanKind.CONTACT, a, b),
                Span("after", SpanKind.FREE, b, stop),
            )
        )
    return _respanned(project, entry, spans, "Mark spans")


def fact_set(project: Project, key: FactId, fact: Fact | None) -> Edit:
    """Set one fact of the setup, or take it out if None."""
    if project.setup.get(key) == fact:
        return Edit("", project)
    return Edit(f"{'Set' if fact else 'Clear'} {key.name}", project.with_fact(key, fact))


def motion_set(project: Project, series: str, motion: FreeMotion) -> Edit:
    """Choose how bodies are taken to move between contacts, for one series."""
    old = project.series_named(series)
    new = project if old.motion is motion else project.with_series(replace(old, motion=motion))
    return Edit(f"Free motion: {motion}", new)


def expectation_set(project: Project, series: str, law: str, expectation: Expectation, e: Fact | None = None) -> Edit:
    """Say what is expected of a law in a series; `e` is the restitution that "given e" refers to."""
    old = project.series_named(series)
    if old.expectations.get(law) is not expectation:
        project = project.with_series(replace(old, expectations={**old.expectations, law: expectation}))
    key = FactId("restitution", old.scope)
    if e is not None and project.setup.get(key) != e:
        project = project.with_fact(key, e)
    return Edit(f"Expect {law}: {expectation}", project)


def trials_added(project: Project, trials: Iterable[Trial], series: str) -> Edit:
    """Add recordings to a series, spans suggested."""
    trials = list(trials)
    name = f"Bring in “{trials[0].name}”" if len(trials) == 1 else f"Bring in {len(trials)} trials"
    return Edit(name, with_trials(project, trials, series) if trials else project)


def trial_removed(project: Project, trial: str) -> Edit:
    """Take a trial out of the project; undo brings it back."""
    entry = project.entry(trial)
    rest = tuple(e for e in project.entries if e is not entry)
    kept = tuple(s for s in project.series if any(e.series == s.name for e in rest))
    return Edit(f"Remove “{entry.trial.name}”", replace(project, entries=rest, series=kept))
