"""Edits: pure functions from project to a named, finished edit. One gesture is one edit."""

from collections.abc import Mapping, Sequence
from dataclasses import replace

from inertian.motion.derivatives.local_derivatives import parse_window
from inertian.motion.fits.free_motion import FreeMotion
from inertian.motion.recording.frame import FILE_FRAME, Frame
from inertian.motion.recording.prepared_trial import prepare
from inertian.motion.recording.tidying import TidyStep, carried_over
from inertian.motion.recording.trials import Channel, Trial
from inertian.motion.spans.clock_alignment import join_trials
from inertian.motion.spans.span_suggestion import suggest_spans
from inertian.motion.spans.spans import Span, SpanKind, Spans, move_edge, move_span
from inertian.physics.accounts.verdicts import Expectation
from inertian.physics.definitions.fact_names import SCALE, TIME_BASE, offset_key
from inertian.project.history import Edit
from inertian.project.project import Entry, Project
from inertian.quantities.errors import InertianError
from inertian.quantities.facts import Fact, FactId
from inertian.quantities.units import PIXEL


def _limits(entry: Entry) -> tuple[float, float]:
    return float(entry.trial.t[0]), float(entry.trial.t[-1])


def _respanned(project: Project, entry: Entry, spans: Spans, name: str) -> Edit:
    if spans == entry.spans:
        return Edit(name, project)
    return Edit(name, project.with_entry(replace(entry, spans=spans)))


def edge_moved(project: Project, trial: str, span: str, edge: str, time: float) -> Edit:
    """Move one edge ("start" or "stop") of a span to a time in s; see `spans.move_edge` for the
    rules.
    """
    entry = project.entry(trial)
    spans = move_edge(entry.spans, span, edge, time, entry.trial.step(), _limits(entry))
    return _respanned(project, entry, spans, f"Move {edge} of “{span}”")


def span_moved(project: Project, trial: str, span: str, shift: float) -> Edit:
    """Move a whole span by `shift` seconds, its length kept as far as there is room."""
    entry = project.entry(trial)
    spans = move_span(entry.spans, span, shift, entry.trial.step(), _limits(entry))
    return _respanned(project, entry, spans, f"Move “{span}”")


def spans_suggested(project: Project, trial: str) -> Edit:
    """Mark the spans that the finder suggests; where it finds nothing, in thirds, to be dragged."""
    entry = project.entry(trial)
    spans = suggest_spans(entry.used_trial)
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


def series_marked(project: Project, series: str, found: Mapping[str, Spans]) -> Edit:
    """Mark in all trials of a series what the finder found in each; `found` holds spans by trial,
    empty: left alone.
    """
    count = 0
    for entry in project.entries_of(series):
        spans = found.get(entry.trial.id, Spans())
        if spans and spans != entry.spans:
            project, count = project.with_entry(replace(entry, spans=spans)), count + 1
    return Edit(f"Mark spans in {count} trials", project)


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


def window_set(project: Project, series: str, text: str) -> Edit:
    """Choose the window of local fits of a series: "0.2 s", "15 samples", "" for by the data.
    Raises InertianError.
    """
    parse_window(text)
    old, new = project.series_named(series), text.strip()
    changed = project if old.window == new else project.with_series(replace(old, window=new))
    return Edit(f"Window: {new}" if new else "Window by the data", changed)


def expectation_set(
    project: Project, series: str, law: str, expectation: Expectation, e: Fact | None = None
) -> Edit:
    """Say what is expected of a law in a series; `e` is the restitution that "given e" refers
    to.
    """
    old = project.series_named(series)
    if old.expectations.get(law) is not expectation:
        project = project.with_series(
            replace(old, expectations={**old.expectations, law: expectation})
        )
    key = FactId("restitution", old.scope)
    if e is not None and project.setup.get(key) != e:
        project = project.with_fact(key, e)
    return Edit(f"Expect {law}: {expectation}", project)


def pattern_set(project: Project, trial: str) -> Edit:
    """Let a trial be the pattern of its series: files are treated like it."""
    entry = project.entry(trial)
    old = project.series_named(entry.series)
    if old.pattern == trial:
        return Edit("", project)
    return Edit(
        f"Make “{entry.trial.name}” the pattern",
        project.with_series(replace(old, pattern=trial)),
    )


def trial_removed(project: Project, trial: str) -> Edit:
    """Take a trial out of the project; undo brings it back."""
    entry = project.entry(trial)
    rest = tuple(e for e in project.entries if e is not entry)
    kept = tuple(s for s in project.series if any(e.series == s.name for e in rest))
    return Edit(f"Remove “{entry.trial.name}”", replace(project, entries=rest, series=kept))


def trials_joined(
    project: Project, first: str, second: str, offset: Fact, facing: float | None
) -> Edit:
    """Join the recording `second` to `first`: one trial with the bodies of both, the second gone
    from the list.

    `offset` (s) is added to the times of the second, `facing` is L in m of x = L − x′. Raises
    JoinError.
    """
    one, two = project.entry(first), project.entry(second)
    trial = join_trials(one.trial, two.trial, offset.si, facing)
    steps = carried_over(one.steps, one.trial.t, trial.t)
    frame = fitting(trial, steps, one.frame)
    found = suggest_spans(prepare(trial, steps, frame).trial)
    new = replace(one, trial=trial, spans=found, steps=steps, frame=frame)
    project = trial_removed(project, second).project.with_entry(new)
    if offset.u > 0.0:
        for body in trial.bodies[len(one.trial.bodies) :]:
            project = project.with_fact(FactId(offset_key(body.name), f"trial {first}"), offset)
    return Edit(f"Join “{two.trial.name}” to “{one.trial.name}”", project)


def scale_set(project: Project, series: str, name: str, fact: Fact) -> Edit:
    """Correct the scale of pixels, or the time base, of a whole series; spans stay at the samples
    they were at.

    Samples are kept as read; only what they are multiplied by changes.
    """
    for entry in project.entries_of(series):
        trial = entry.trial
        if name == TIME_BASE:
            ratio = fact.si / trial.time_base
            project = project.with_entry(
                with_trial_in_other_time(entry, replace(trial, time_base=fact.si), ratio)
            )
        elif name == SCALE:
            bodies = tuple(
                replace(b, channels=tuple(_scaled(c, fact.si) for c in b.channels))
                for b in trial.bodies
            )
            frame = _stretched_places(entry.frame, fact.si / _scale_of(trial))
            project = project.with_entry(
                replace(entry, trial=replace(trial, bodies=bodies), frame=frame)
            )
    return Edit(f"Set {name}", project.with_fact(FactId(name, f"series {series}"), fact))


def fitting(trial: Trial, steps: Sequence[TidyStep], frame: Frame) -> Frame:
    """Return the frame, or the file's own where it does not fit a trial that was read or joined
    anew.
    """
    try:
        prepare(trial, steps, frame)
    except InertianError:
        return FILE_FRAME
    return frame


def with_trial_in_other_time(entry: Entry, trial: Trial, ratio: float) -> Entry:
    """Return an entry with another trial; all that is kept in file time moves along with the
    samples it was at.
    """
    spans = Spans(replace(s, start=s.start * ratio, stop=s.stop * ratio) for s in entry.spans)
    named = tuple(replace(n, times=tuple(t * ratio for t in n.times)) for n in entry.named)
    frame = replace(entry.frame, time_zero=entry.frame.time_zero * ratio)
    dates = tuple(replace(d, t=d.t * ratio) for d in entry.dates)
    typed = tuple(replace(one, at=one.at * ratio) for one in entry.typed)
    return replace(
        entry, trial=trial, spans=spans, named=named, frame=frame, dates=dates, typed=typed
    )


def _scale_of(trial: Trial) -> float:
    """What pixels are multiplied by, 1 where there are none."""
    factors = [c.unit.factor for b in trial.bodies for c in b.channels if c.unit.symbol == PIXEL]
    return factors[0] if factors else 1.0


def _stretched_places(frame: Frame, ratio: float) -> Frame:
    """Origin and centre stay at the samples they were at."""
    x, y = frame.origin
    centre = (frame.centre[0] * ratio, frame.centre[1] * ratio) if frame.centre else None
    return replace(frame, origin=(x * ratio, y * ratio), centre=centre)


def _scaled(channel: Channel, scale: float) -> Channel:
    if channel.unit.symbol != PIXEL:
        return channel
    return replace(channel, unit=replace(channel.unit, factor=scale))
