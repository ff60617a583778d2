"""Treating other trials like one: its steps, spans, names, readings, curves, frame, found anew at
each contact.
"""

from collections.abc import Callable, Mapping, Sequence
from dataclasses import dataclass, replace

import numpy as np

from inertian.analysis.evaluation import Evaluator
from inertian.analysis.second_look.look import second_look
from inertian.analysis.second_look.notes import Severity
from inertian.analysis.series_results import SeriesResult
from inertian.motion.recording.frame import Frame
from inertian.motion.recording.prepared_trial import prepare
from inertian.motion.recording.tidying import StepKind
from inertian.motion.recording.trials import Trial
from inertian.motion.spans.span_suggestion import suggest_spans
from inertian.motion.spans.spans import Span, SpanError, Spans
from inertian.project.history import Edit
from inertian.project.project import Entry, Project
from inertian.quantities.errors import InertianError
from inertian.quantities.facts import FactId

MANY_SET_ASIDE = 0.05  # share of samples set aside beyond which a person should look
SHORTEST_SHARE = 0.4  # of the pattern's span that one may shrink to
FEW_SAMPLES = 5  # samples in a span
ROUGH_SCATTER = 2.5  # times the usual scatter of the series
Progress = Callable[[int, int], bool]  # done, of how many → whether to go on


@dataclass(frozen=True)
class Problem:
    """Why a trial that was treated like another should be looked at: a code, and one sentence."""

    code: str
    text: str


@dataclass(frozen=True)
class Doubt:
    """What is doubtful about a trial that was treated like another; nothing, if it need not be
    looked at.
    """

    trial: str
    problems: tuple[Problem, ...] = ()

    @property
    def reasons(self) -> tuple[str, ...]:
        """The problems in words."""
        return tuple(problem.text for problem in self.problems)


@dataclass(frozen=True, eq=False)
class BatchResult:
    """The edit that treats trials alike, and what is doubtful about each; `complete` is False if it
    was cancelled.
    """

    edit: Edit
    doubts: tuple[Doubt, ...]
    complete: bool = True


def _go_on(_done: int, _of: int) -> bool:
    return True


def treat_alike(
    project: Project, source: str, targets: Sequence[str], progress: Progress = _go_on
) -> BatchResult:
    """Treat trials like `source`, in one edit. `progress` is asked after each; if it says no,
    nothing is changed.
    """
    pattern = project.entry(source)
    suggested = suggest_spans(pattern.used_trial)
    wanted, changed = [t for t in targets if t != source], project
    problems: dict[str, list[Problem]] = {}
    for number, trial in enumerate(wanted, 1):
        entry = project.entry(trial)
        problems[trial] = []
        new = treated(pattern, suggested, entry, problems[trial])
        changed = with_setup(changed.with_entry(new), pattern, trial)
        if not progress(number, len(wanted)):
            return BatchResult(Edit("", project), (), complete=False)
    settings = changed.series_named(pattern.series)
    changed = changed.with_series(replace(settings, pattern=source))
    name = f"Treat {len(wanted)} trials like “{pattern.trial.name}”"
    return BatchResult(Edit(name, changed), doubts_of(changed, problems, Evaluator()))


def doubts_of(
    project: Project, problems: Mapping[str, Sequence[Problem]], evaluator: Evaluator
) -> tuple[Doubt, ...]:
    """Return what is doubtful about trials: problems that their treatment had, and what their
    results and the second look say.
    """
    notes = second_look(project, evaluator, problems)
    found = []
    for trial, known in problems.items():
        all_of = [*known, *_of_results(project, project.entry(trial), evaluator)]
        all_of += [
            Problem(n.code, n.text) for n in notes.get(trial, ()) if n.severity is not Severity.LOW
        ]
        found.append(Doubt(trial, tuple(dict.fromkeys(all_of))))
    return tuple(found)


def treated(pattern: Entry, suggested: Spans, entry: Entry, problems: list[Problem]) -> Entry:
    """Return one trial treated like the pattern, whose spans the finder suggests are `suggested`;
    what is doubtful is added to `problems`.
    """
    trial = entry.trial
    theirs, ours = [b.name for b in pattern.trial.bodies], [b.name for b in trial.bodies]
    if theirs != ours:
        said = f"its bodies are {', '.join(ours)}, not {', '.join(theirs)}"
        problems.append(Problem("other-bodies", said))
    by_hand = tuple(s for s in entry.steps if s.kind in (StepKind.SET_ASIDE, StepKind.BRIDGE))
    rules = tuple(s for s in pattern.steps if s.kind is StepKind.JUMPS and s.body in ("", *ours))
    steps = (*rules, *by_hand)
    frame = pattern.frame
    try:
        made = prepare(trial, steps, frame)
    except InertianError as error:
        problems.append(Problem("no-frame", str(error)))
        frame, made = entry.frame, prepare(trial, steps, entry.frame)
    aside = sum(len(rows) for rows in made.aside.values())
    if aside > MANY_SET_ASIDE * len(trial.t) * max(len(ours), 1):
        problems.append(Problem("many-set-aside", f"{aside} samples are set aside"))
    spans = _spans_like(pattern.spans, suggested, made.trial, problems)
    shift = _shift(pattern.spans, spans)
    named = tuple(
        replace(n, times=tuple(t + shift for t in n.times))
        for n in pattern.named
        if n.body in ("", *ours)
    )
    curves = tuple(c for c in pattern.curves if c.body in ("", *ours))
    frame = _time_zero_like(pattern, frame, shift)
    new = replace(entry, steps=steps, frame=frame, spans=spans, named=named, curves=curves)
    if not pattern.dates:
        return new
    # Entries typed by hand stay where they are: they say what came from outside in that one trial
    dates = tuple(replace(d, t=d.t + shift) for d in pattern.dates)
    if dates[0].t < float(trial.t[0]) or dates[-1].t > float(trial.t[-1]):
        said = "dates of its accounts would lie outside the recording"
        problems.append(Problem("dates-outside", said))
        dates = ()
    return replace(new, dates=dates)


def _shift(source: Spans, target: Spans) -> float:
    if source.contact is None or target.contact is None:
        return 0.0
    return target.contact.start - source.contact.start


def _time_zero_like(pattern: Entry, frame: Frame, shift: float) -> Frame:
    """Time zero moves along with the contact, if it was set at all."""
    return (
        replace(frame, time_zero=pattern.frame.time_zero + shift)
        if pattern.frame.time_zero
        else frame
    )


def _spans_like(source: Spans, suggested: Spans, trial: Trial, problems: list[Problem]) -> Spans:
    """The pattern's spans in another trial: around its own contact, with ends of their own where
    the pattern's were.
    """
    found = suggest_spans(trial)
    if source.contact is not None and found.contact is None:
        problems.append(Problem("no-contact", "no contact was found"))
    spans: list[Span] = []
    limits = (float(trial.t[0]), float(trial.t[-1]))
    for span in source:
        try:
            new = _like(span, source, suggested, found, limits, 1.5 * trial.step())
        except SpanError:
            said = f"“{span.name}” would lie outside the recording"
            problems.append(Problem("span-outside", said))
            continue
        spans.append(new)
        rows = new.rows(trial.t)
        if span.kind.steady and (
            rows.stop - rows.start < FEW_SAMPLES or new.length < SHORTEST_SHARE * span.length
        ):
            said = f"“{span.name}” is short: {rows.stop - rows.start} samples"
            problems.append(Problem("span-short", said))
    return Spans(spans).in_order()


def _like(
    span: Span,
    source: Spans,
    suggested: Spans,
    found: Spans,
    limits: tuple[float, float],
    step: float,
) -> Span:
    """One span of the pattern in another trial: each edge is found anew where the pattern's stands
    as it was found.
    """
    twin = next((s for s in suggested if s.name == span.name), None)
    match = next((s for s in found if s.name == span.name), None)
    if span is source.contact and found.contact is not None:
        match, twin = found.contact, suggested.contact
    edges = []
    for side in ("start", "stop"):
        own = getattr(span, side)
        as_found = twin is not None and match is not None and abs(own - getattr(twin, side)) <= step
        edges.append(getattr(match, side) if as_found else _moved_time(own, source, found))
    return replace(span, start=max(edges[0], limits[0]), stop=min(edges[1], limits[1]))


def _moved_time(time: float, source: Spans, found: Spans) -> float:
    """A time as far from the contact as in the pattern, on the same side of it."""
    one, other = source.contact, found.contact
    if one is None or other is None:
        return time
    return time + (other.stop - one.stop if time >= one.stop - 1e-9 else other.start - one.start)


def with_setup(project: Project, pattern: Entry, trial: str) -> Project:
    """Return a project in which facts that hold for the pattern alone hold for another trial too,
    but for the offsets of its clocks.
    """
    scope = f"trial {pattern.trial.id}"
    for key, fact in list(project.setup.items()):
        if key.scope == scope and not key.name.startswith("clock offset"):
            project = project.with_fact(FactId(key.name, f"trial {trial}"), fact)
    return project


def _of_results(project: Project, entry: Entry, evaluator: Evaluator) -> list[Problem]:
    """What the results themselves say against a trial."""
    try:
        series = evaluator.series(project, entry.series)
    except InertianError as error:
        return [Problem("no-results", str(error))]
    found = []
    if entry.spans.contact is not None and entry.trial.id in series.refused:
        found.append(Problem("no-results", str(series.refused[entry.trial.id])))
    scatters = {t: _scatter(series, t) for t in series.before}
    usual = float(np.median(list(scatters.values()))) if scatters else 0.0
    if scatters.get(entry.trial.id, 0.0) > ROUGH_SCATTER * usual:
        found.append(Problem("rough", "it scatters much more than the others"))
    return found


def _scatter(series: SeriesResult, trial: str) -> float:
    """The standard deviation of a trial's samples about its free motions."""
    squares, freedom = 0.0, 0
    for fit in series.fits(trial):
        a = series.glide.values.get(fit.body, 0.0) if fit.moving else 0.0
        for axis, line in fit.fits.items():
            left = fit.residuals(axis, a)
            squares, freedom = squares + float(left @ left) + line.rest, freedom + line.dof
    return float(np.sqrt(squares / max(freedom, 1)))
