"""The second look at trials: all rules, and what they say, the gravest first."""

from collections.abc import Callable, Iterable, Iterator, Mapping, Sequence
from itertools import chain

from inertian.analysis.evaluation import Evaluator
from inertian.analysis.second_look import (
    gauge_rules,
    gravity_rules,
    place_steps,
    sample_rules,
    span_rules,
    statement_rules,
)
from inertian.analysis.second_look.body_rules import apart, exchanged_labels, perspective
from inertian.analysis.second_look.cases import Case
from inertian.analysis.second_look.hypotheses import balance
from inertian.analysis.second_look.notes import Note, gravest_first
from inertian.project.project import Project
from inertian.quantities.errors import InertianError

OF_ONE: tuple[Callable[[Case], Iterator[Note]], ...] = (
    *sample_rules.RULES,
    place_steps.moved_places,
    *gravity_rules.RULES,
    *gauge_rules.RULES,
    *span_rules.RULES,
    *statement_rules.RULES,
)
OF_SERIES: tuple[Callable[[Case, Sequence[Case]], Iterator[Note]], ...] = (
    balance,
    perspective,
    apart,
)


def second_look(
    project: Project, evaluator: Evaluator, wanted: Iterable[str] | None = None
) -> Mapping[str, tuple[Note, ...]]:
    """Return the notes on trials, by id: on all, or on those that are wanted; no entry where there
    is nothing to say.

    Samples that jump, stick or lost their target are set aside before other rules look: what they
    bring about is not told twice.
    """
    trials = [e.trial.id for e in project.entries if wanted is None or e.trial.id in set(wanted)]
    series = {project.entry(t).series for t in trials}
    found: dict[str, list[Note]] = {}
    tidied, coarse = project, set()
    for entry in project.entries:
        if entry.series in series:
            notes = _said(sample_rules.coarse_steps, Case(tidied, entry, evaluator))
            if notes:
                coarse.add(entry.trial.id)
            else:
                notes, tidied = _tidied(tidied, entry.trial.id, evaluator)
            found[entry.trial.id] = notes
    cases = {e.trial.id: Case(tidied, e, evaluator) for e in tidied.entries if e.series in series}
    for trial in trials:
        case = cases[trial]
        if trial in coarse:  # nothing else can be told from such a recording
            found[trial] += _said(statement_rules.impossible_uncertainties, case)
            continue
        beside = [c for c in cases.values() if c.entry.series == case.entry.series]
        sharing = list(cases.values())
        found[trial] += chain.from_iterable(_said(rule, case) for rule in OF_ONE)
        for rule in OF_SERIES:
            found[trial] += _said(rule, case, sharing if rule is balance else beside)
    return {t: gravest_first(found[t]) for t in trials if found[t]}


def _said(rule: Callable[..., Iterator[Note]], *cases: object) -> list[Note]:
    """What a rule says; nothing where a fit or an account it asks for cannot be made."""
    found: list[Note] = []
    try:
        found.extend(rule(*cases))
    except InertianError:
        pass
    return found


def _tidied(project: Project, trial: str, evaluator: Evaluator) -> tuple[list[Note], Project]:
    """What single samples of a trial give away, and the project without them."""
    notes: list[Note] = []
    for rule in (exchanged_labels, *sample_rules.TIDIED_FIRST):
        case = Case(project, project.entry(trial), evaluator)
        for note in _said(rule, case):
            notes.append(note)
            if note.remedy is not None:
                project = note.remedy.edit(project).project
    return notes, project
