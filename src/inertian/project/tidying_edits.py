"""Edits of what comes before spans: tidy steps and the frame of a trial. The raw recording is never
touched.
"""

from collections.abc import Iterable, Mapping
from dataclasses import replace

from inertian.motion.recording.frame import Frame, zero_key
from inertian.motion.recording.prepared_trial import prepare
from inertian.motion.recording.tidying import (
    StepKind,
    TidyError,
    TidyStep,
    gap_around,
    jump_rows,
    runs_of,
)
from inertian.motion.spans.span_suggestion import suggest_spans
from inertian.project.history import Edit
from inertian.project.project import Entry, Project
from inertian.quantities.facts import Fact, FactId, Meaning
from inertian.quantities.units import SI_SYMBOL, unit_of


def _stepped(project: Project, entry: Entry, steps: Iterable[TidyStep], name: str) -> Edit:
    steps = tuple(steps)
    if steps == entry.steps:
        return Edit(name, project)
    return Edit(name, project.with_entry(replace(entry, steps=steps)))


def rows_set_aside(
    project: Project, trial: str, body: str, rows: Iterable[int], reason: str
) -> Edit:
    """Set raw rows of a body aside, with a reason; what was set aside just before for the same
    reason grows.
    """
    entry = project.entry(trial)
    before = entry.prepared.aside.get(body, ())
    new = set(rows) - set(before)
    name = f"Set {len(new)} aside: {reason}"
    if not new:
        return Edit(name, project)
    last = entry.steps[-1] if entry.steps else None
    if (
        last
        and last.on
        and last.kind is StepKind.SET_ASIDE
        and (last.body, last.reason) == (body, reason)
    ):
        grown = replace(last, runs=runs_of([*last.rows(len(entry.trial.t)), *new]))
        return _stepped(project, entry, (*entry.steps[:-1], grown), name)
    return _stepped(
        project,
        entry,
        (*entry.steps, TidyStep(StepKind.SET_ASIDE, runs_of(new), body, reason)),
        name,
    )


def rows_taken_back(project: Project, trial: str, body: str, rows: Iterable[int]) -> Edit:
    """Let samples of a body count again; a rule that set them aside becomes a list of what it still
    sets aside.
    """
    entry, back = project.entry(trial), set(rows)
    count, steps = len(entry.trial.t), []
    for step, effect in zip(entry.steps, entry.prepared.effects, strict=True):
        if not step.on or step.kind is StepKind.BRIDGE or not effect.counts.get(body):
            steps.append(step)
            continue
        if step.kind is StepKind.SET_ASIDE:
            steps += _split(
                step,
                body,
                [b.name for b in entry.trial.bodies],
                set(step.rows(count).tolist()),
                back,
            )
        elif step.kind is StepKind.JUMPS:
            found = {
                b.name: set(jump_rows(entry.trial, b.name, step.threshold).tolist())
                for b in entry.trial.followed
            }
            if not found.get(body, set()) & back:
                steps.append(step)
                continue
            said = f"jumps over {step.threshold:g} local spreads"
            for name, own in found.items():
                if step.body in ("", name):
                    left = own - back if name == body else own
                    steps += (
                        [TidyStep(StepKind.SET_ASIDE, runs_of(left), name, said)] if left else []
                    )
        else:
            steps.append(step)
    return _stepped(project, entry, steps, "Let samples count again")


def _split(
    step: TidyStep, body: str, bodies: list[str], own: set[int], back: set[int]
) -> list[TidyStep]:
    """A step by hand without some rows of one body."""
    if not own & back:
        return [step]
    names = [step.body] if step.body else bodies
    found = [(name, own - back if name == body else own) for name in names]
    return [replace(step, body=name, runs=runs_of(left)) for name, left in found if left]


def jumps_set_aside(project: Project, trial: str, threshold: float, body: str = "") -> Edit:
    """Set aside what jumps by more than `threshold` local spreads, as a rule that is applied anew
    to changed data.
    """
    entry = project.entry(trial)
    kept = [s for s in entry.steps if not (s.kind is StepKind.JUMPS and s.body == body)]
    step = TidyStep(StepKind.JUMPS, body=body, threshold=threshold)
    return _stepped(
        project, entry, (*kept, step), f"Set jumps over {threshold:g} local spreads aside"
    )


def trimmed(project: Project, trial: str, start: float, stop: float) -> Edit:
    """Let only the samples from start to stop (s) count. Raises TidyError if none would be left."""
    entry = project.entry(trial)
    inside = [k for k, t in enumerate(entry.trial.t) if start <= t <= stop]
    if len(inside) < 2:
        raise TidyError("Fewer than 2 samples would be left; choose a longer stretch.")
    step = TidyStep(StepKind.TRIM, ((inside[0], inside[-1]),))
    kept = [s for s in entry.steps if s.kind is not StepKind.TRIM]
    return _stepped(project, entry, (*kept, step), "Trim")


def gap_bridged(project: Project, trial: str, body: str, time: float) -> Edit:
    """Draw through the gap of a body around a moment; nothing is fitted to it. Raises TidyError."""
    entry = project.entry(trial)
    run = gap_around(entry.trial, body, time, entry.prepared.aside.get(body))
    return _stepped(
        project, entry, (*entry.steps, TidyStep(StepKind.BRIDGE, (run,), body)), "Bridge a gap"
    )


def step_switched(project: Project, trial: str, place: int, on: bool) -> Edit:
    """Switch one step on or off."""
    entry = project.entry(trial)
    steps = [replace(s, on=on) if k == place else s for k, s in enumerate(entry.steps)]
    return _stepped(project, entry, steps, f"Switch a tidy step {'on' if on else 'off'}")


def step_removed(project: Project, trial: str, place: int) -> Edit:
    """Take one step out; its samples count again."""
    entry = project.entry(trial)
    return _stepped(
        project, entry, entry.steps[:place] + entry.steps[place + 1 :], "Remove a tidy step"
    )


def frame_set(
    project: Project,
    trials: Iterable[str],
    frame: Frame,
    facts: Mapping[str, Fact | None],
    name: str = "Set the frame",
) -> Edit:
    """Set the frame of trials, and the facts it rests on: the angle of the axes, origin and centre,
    each ± u.

    Spans stay where they are, since they are kept in file time. Raises FrameError if it does not
    fit one of them.
    """
    for trial in trials:
        entry = project.entry(trial)
        if frame == entry.frame:
            continue
        prepare(entry.trial, entry.steps, frame)  # refuses here, before anything is changed
        project = project.with_entry(replace(entry, frame=frame))
        for fact_name, fact in facts.items():
            key = FactId(fact_name, f"trial {trial}")
            if project.setup.get(key) != fact:
                project = project.with_fact(key, fact)
    return Edit(name, project)


def zero_taken_off(
    project: Project, trial: str, body: str, axis: str, zero: float, u: float
) -> Edit:
    """Take a zero off a sensor of a body, in SI with its standard uncertainty, besides one that was
    taken off before. Raises FrameError.
    """
    entry = project.entry(trial)
    before = sum(z for b, a, z in entry.frame.zeros if (b, a) == (body, axis))
    others = tuple(z for z in entry.frame.zeros if z[:2] != (body, axis))
    frame = replace(entry.frame, zeros=(*others, (body, axis, before + zero)))
    kind = {"F": "force", "a": "acceleration"}.get(axis[0], "speed")
    fact = Fact(before + zero, u, Meaning.STANDARD, unit_of(kind, SI_SYMBOL[kind]))
    return frame_set(project, [trial], frame, {zero_key(body, axis): fact}, "Zero a sensor")


def labels_exchanged(
    project: Project, trial: str, one: str, other: str, runs: tuple[tuple[int, int], ...]
) -> Edit:
    """Exchange two bodies in runs of raw rows, first and last, as where their labels were
    exchanged; spans are found anew, as they cannot have been right.
    """
    entry = project.entry(trial)
    step = TidyStep(StepKind.EXCHANGE, runs, one, other=other)
    new = replace(entry, steps=(*entry.steps, step))
    new = replace(new, spans=suggest_spans(new.used_trial) or entry.spans)
    return Edit(f"Exchange {one} and {other}", project.with_entry(new))
