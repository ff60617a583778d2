"""Edits of units and directions: what the numbers of a file mean, where it did not say it, or said
it wrongly.
"""

from collections.abc import Sequence
from dataclasses import replace

from inertian.motion.recording.trials import Body, Channel, Trial
from inertian.physics.definitions.fact_names import SCALE
from inertian.project.edits import fitting, scale_set
from inertian.project.history import Edit
from inertian.project.project import Project
from inertian.quantities.facts import Fact, Meaning
from inertian.quantities.units import Unit, unit_of

_NAMED = ("m", "dm", "cm", "mm", "dam", "hm", "km", "µm")
NEAR = 1e-9  # relative: the size of a unit with a name


def length_unit(old: Unit, factor: float) -> Unit | None:
    """Return the unit of length that is `factor` times another one, if it has a name."""
    for symbol in _NAMED:
        unit = unit_of("length", symbol)
        if abs(unit.factor / (old.factor * factor) - 1.0) < NEAR:
            return unit
    return None


def length_unit_set(project: Project, series: str, factor: float) -> Edit:
    """Read the positions of all trials of a series in a unit that is `factor` times the one they
    were read in; readings, rows and spans stay. Where they are pixels, the scale is that much
    larger. A unit without a name stays.
    """
    for entry in project.entries_of(series):
        if entry.trial.in_pixels:
            known = project.fact(SCALE, entry)
            fact = known[1] if known else Fact(1.0, 0.0, Meaning.EXACT, Unit("m/px", "number", 1.0))
            other = replace(fact, typed=fact.typed * factor, plus_minus=fact.plus_minus * factor)
            return scale_set(project, series, SCALE, other)
        trial = _in_other_unit(entry.trial, factor)
        project = project.with_entry(
            replace(entry, trial=trial, frame=fitting(trial, entry.steps, entry.frame))
        )
    return Edit("Take lengths in another unit", project)


def _in_other_unit(trial: Trial, factor: float) -> Trial:
    def changed(channels: Sequence[Channel]) -> tuple[Channel, ...]:
        return tuple(
            replace(c, unit=length_unit(c.unit, factor) or c.unit, step=None) for c in channels
        )

    return replace(
        trial, bodies=tuple(replace(b, channels=changed(b.channels)) for b in trial.bodies)
    )


def body_flipped(project: Project, trials: Sequence[str], body: str, axis: str) -> Edit:
    """Let an axis of one body point the other way, in some trials, as for recorders that face one
    another.
    """
    for name in trials:
        entry = project.entry(name)
        bodies = tuple(_flipped(b, axis) if b.name == body else b for b in entry.trial.bodies)
        project = project.with_entry(replace(entry, trial=replace(entry.trial, bodies=bodies)))
    return Edit(f"Turn {axis} of {body} round", project)


def _flipped(body: Body, axis: str) -> Body:
    return replace(
        body,
        channels=tuple(
            replace(c, sign=-c.sign, shift=-c.shift) if c.axis == axis else c for c in body.channels
        ),
    )
