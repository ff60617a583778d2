"""From what was read to trials: sorted, one clock, with where it all came from."""

import numpy as np

from inertian.files.cells import size_limits
from inertian.files.cells.findings import Code
from inertian.files.cells.recipes import Recipe, recipe_json
from inertian.files.interpretation.assembly import FRAME, ROW
from inertian.files.interpretation.file_description import sentences
from inertian.files.interpretation.parsed_file import ParsedFile
from inertian.files.interpretation.parsed_trial import ParsedBody, ParsedChannel, ParsedTrial
from inertian.motion.recording.trials import Body, Channel, Provenance, Trial, TrialError
from inertian.quantities.estimates import Array, Rows, distinct_values
from inertian.quantities.units import Unit

_POSITIONS = ("x", "y")
MENDED = (Code.TIME_NOT_SORTED, Code.DUPLICATE_TIME)  # what was put right in the samples themselves


def trials_of(parsed: ParsedFile) -> list[Trial]:
    """Return the trials of a file that was read, in its order.

    Samples are put in the order of time; of those with equal times the first is kept. Raises
    UnreadableFileError if the file was refused, and TrialError if no trial in it has the two
    samples that it needs; a shorter one is left out.
    """
    if parsed.refused is not None:
        raise parsed.refused
    usable = [(part, t) for part, t in enumerate(parsed.trials) if can_be_brought_in(t)]
    if not usable:
        first = parsed.trials[0]
        raise TrialError(
            first.name, f"a trial needs at least 2 samples; there is {len(first.time.values)}."
        )
    return [_trial(parsed, t, part) for part, t in usable]


def can_be_brought_in(trial: ParsedTrial) -> bool:
    """Whether a trial has the two samples it needs."""
    return len(distinct_values(trial.time.values)) >= 2


def _trial(parsed: ParsedFile, trial: ParsedTrial, part: int) -> Trial:
    recipe = parsed.recipe
    kept = parsed.content if len(parsed.content) <= size_limits.KEPT_BYTES else None
    mended = tuple(f.text for f in parsed.findings if f.code in MENDED)
    provenance = Provenance(
        parsed.file,
        parsed.sha256,
        parsed.size,
        kept,
        (*sentences(parsed), *mended),
        tuple((u.line, u.text, u.why) for u in trial.unusable),
        recipe_json(recipe) if recipe else "",
        part,
    )
    times, bodies = _one_clock(trial, recipe)
    time_base = recipe.time_base.value if recipe and recipe.time_base else 1.0
    identity = parsed.sha256[:12] if len(parsed.trials) == 1 else f"{parsed.sha256[:12]}-{part + 1}"
    unit = trial.time.unit
    if unit.symbol in (FRAME, ROW):
        times, unit = times * unit.factor, Unit("s", "time", 1.0)
    return Trial(
        identity, trial.name, trial.time.column or "", unit, times, bodies, provenance, time_base
    )


def _one_clock(trial: ParsedTrial, recipe: Recipe | None) -> tuple[Array, tuple[Body, ...]]:
    """The union of all time stamps, and every channel on it."""
    flip = set(recipe.flip) if recipe else set()
    main = trial.time.values
    clocks = [main] + [_in_unit(b, trial) for b in trial.bodies if b.time is not None]
    times = distinct_values(np.concatenate(clocks))
    bodies = []
    for body in trial.bodies:
        own = main if body.time is None else _in_unit(body, trial)
        # In order; equal stamps count once
        first = np.flatnonzero(np.concatenate([[True], own[1:] != own[:-1]]))
        rows = np.searchsorted(times, own[first])
        positions = [
            _channel(c, first, rows, len(times), flip)
            for c in body.channels
            if c.axis in _POSITIONS
        ]
        sensors = [
            _channel(c, first, rows, len(times), flip)
            for c in body.channels
            if c.axis not in _POSITIONS
        ]
        bodies.append(Body(body.name, tuple(positions), tuple(sensors)))
    return times, tuple(bodies)


def _in_unit(body: ParsedBody, trial: ParsedTrial) -> Array:
    """A body's own times in the unit of the trial's."""
    assert body.time is not None
    if body.time.unit.factor == trial.time.unit.factor:
        return body.time.values
    return np.asarray(body.time.seconds / trial.time.unit.factor)


def _channel(parsed: ParsedChannel, first: Rows, rows: Rows, n: int, flip: set[str]) -> Channel:
    values = np.full(n, np.nan)
    values[rows] = parsed.values[first]
    u = None
    if parsed.u is not None:
        u = np.full(n, np.nan)
        u[rows] = parsed.u[first]
    along = {"F": "x", "a": "x", "v": "x"}.get(parsed.axis, parsed.axis)
    return Channel(
        parsed.axis, parsed.column, parsed.unit, values, -1.0 if along in flip else 1.0, u=u
    )
