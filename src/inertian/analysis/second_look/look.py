"""The second look at trials: all rules, and what they say, the gravest first."""

from collections.abc import Callable, Iterable, Iterator, Mapping, Sequence
from contextlib import suppress
from itertools import chain

from inertian.analysis.evaluation import Evaluator
from inertian.analysis.second_look import (
    equal_readings,
    gauge_rules,
    gravity_rules,
    place_steps,
    sample_rules,
    span_rules,
    statement_rules,
)
from inertian.analysis.second_look.body_rules import (
    apart,
    clock_drift,
    exchanged_labels,
    perspective,
)
from inertian.analysis.second_look.cases import Case
from inertian.analysis.second_look.hypotheses import Tried, balance
from inertian.analysis.second_look.notes import Note, gravest_first
from inertian.analysis.second_look.tidied_first import SeenSamples
from inertian.project.project import Entry, Project
from inertian.quantities.errors import InertianError

MOST_COMPARED = 60  # trials of a series that one is held against
OF_ONE: tuple[Callable[[Case], Iterator[Note]], ...] = (
    sample_rules.time_order,
    equal_readings.repeated_values,
    equal_readings.clipped,
    place_steps.moved_places,
    clock_drift,
    *gravity_rules.RULES,
    *gauge_rules.RULES,
    *span_rules.RULES,
    *statement_rules.RULES,
)
# Their remedies are applied before other rules look, from the first on
TIDIED_FIRST: tuple[Callable[[Case], Iterator[Note]], ...] = (
    exchanged_labels,
    sample_rules.lost_target,
    equal_readings.stuck_sensor,
    sample_rules.jumps,
)
OF_SERIES: tuple[Callable[[Case, Sequence[Case]], Iterator[Note]], ...] = (
    perspective,
    apart,
)


def second_look(
    project: Project,
    evaluator: Evaluator,
    wanted: Iterable[str] | None = None,
    known: SeenSamples | None = None,
) -> Mapping[str, tuple[Note, ...]]:
    """Return the notes on trials, by id, without those that were dismissed: on all trials, or on
    those that are wanted; no entry where there is nothing to say. `known` remembers what single
    samples give away.

    Samples that jump, stick or lost their target are set aside before other rules look: what they
    bring about is not told twice.
    """
    chosen = None if wanted is None else set(wanted)
    trials = [e.trial.id for e in project.entries if chosen is None or e.trial.id in chosen]
    series = {project.entry(t).series for t in trials}
    known = known or SeenSamples()
    known.forget_others({e.trial.id for e in project.entries})
    seen, tidied = {}, project
    for entry in _compared(project, series, trials):
        seen[entry.trial.id], tidied = _tidied(tidied, entry, evaluator, known)
    cases = {t: Case(tidied, tidied.entry(t), evaluator) for t in seen}
    tried, found = Tried(), {}
    for trial in trials:
        case = cases[trial]
        notes = [*seen[trial], *_of_one(case, seen[trial])]
        if not _coarse(seen[trial]):
            notes += _said(balance, case, list(cases.values()), tried)
            beside = _alike(case, cases)
            for rule in OF_SERIES:
                notes += _said(rule, case, beside)
        told = gravest_first(_not_dismissed(project, trial, notes))
        if told:
            found[trial] = told
    return found


def _alike(case: Case, cases: Mapping[str, Case]) -> list[Case]:
    """Trials of the same bodies, those nearest in order, if there are very many."""
    bodies = {b.name for b in case.trial.followed}
    alike = [c for c in cases.values() if {b.name for b in c.trial.followed} == bodies]
    here = next(k for k, c in enumerate(alike) if c is case)
    low = max(min(here - MOST_COMPARED // 2, len(alike) - MOST_COMPARED), 0)
    return alike[low : low + MOST_COMPARED]


def _compared(project: Project, series: set[str], trials: Sequence[str]) -> list[Entry]:
    """The trials of some series, or, of one with very many, those around the trials in question."""
    found: list[Entry] = []
    for name in series:
        entries = project.entries_of(name)
        if len(entries) > MOST_COMPARED:
            places = {e.trial.id: k for k, e in enumerate(entries)}
            half = MOST_COMPARED // 2
            near = {
                k for t in trials if t in places for k in range(places[t] - half, places[t] + half)
            }
            entries = tuple(entries[k] for k in sorted(near) if 0 <= k < len(entries))
        found += entries
    return found


def look_at(project: Project, trial: str, evaluator: Evaluator) -> tuple[Note, ...]:
    """Return the notes on one trial for itself, whatever others of its series say."""
    seen, tidied = _tidied(project, project.entry(trial), evaluator, SeenSamples())
    case = Case(tidied, tidied.entry(trial), evaluator)
    notes = [*seen, *_of_one(case, seen)]
    if not _coarse(seen):
        notes += _said(balance, case, (), Tried())
    return gravest_first(_not_dismissed(project, trial, notes))


def _not_dismissed(project: Project, trial: str, notes: list[Note]) -> list[Note]:
    away = {(d.code, d.subject) for d in project.entry(trial).dismissed}
    return [note for note in notes if (note.code, note.subject) not in away]


def _coarse(seen: Sequence[Note]) -> bool:
    """Whether a recording is so coarse that nothing else can be told from it."""
    return any(note.code == "coarse-steps" for note in seen)


def _of_one(case: Case, seen: Sequence[Note]) -> list[Note]:
    rules = (statement_rules.impossible_uncertainties,) if _coarse(seen) else OF_ONE
    return list(chain.from_iterable(_said(rule, case) for rule in rules))


def _said(rule: Callable[..., Iterator[Note]], *cases: object) -> list[Note]:
    """What a rule says; nothing where a fit or an account it asks for cannot be made."""
    found: list[Note] = []
    with suppress(InertianError):
        found.extend(rule(*cases))
    return found


def _tidied(
    project: Project, entry: Entry, evaluator: Evaluator, known: SeenSamples
) -> tuple[list[Note], Project]:
    """What single samples of a trial give away, and the project without them."""
    before = known.of(entry)
    if before is not None:
        return before[0], project if before[1] is entry else project.with_entry(before[1])
    case = Case(project, entry, evaluator)
    notes = _said(equal_readings.coarse_steps, case)
    tidied, trial = project, entry.trial.id
    for rule in () if notes else TIDIED_FIRST:
        for note in _said(rule, case):
            notes.append(note)
            if note.remedy is not None:
                tidied = note.remedy.edit(tidied).project
                case = Case(tidied, tidied.entry(trial), evaluator)
    known.keep(entry, notes, tidied.entry(trial))
    return notes, tidied
