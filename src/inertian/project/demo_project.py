"""The demo project: the rink's files read in like anybody's, with the stones as weighed."""

import json
from importlib.resources import files
from pathlib import Path

from inertian.files.reader import read_bytes
from inertian.files.trial_building import trials_of
from inertian.motion.recording.trials import Trial
from inertian.motion.spans.span_suggestion import suggest_spans
from inertian.motion.spans.spans import Span, SpanKind, Spans
from inertian.physics.definitions.fact_names import mass_key
from inertian.project.project import Project, with_trials
from inertian.quantities.facts import Fact, FactId, Meaning
from inertian.quantities.units import unit_of
from inertian.rink.day import MASS_LIMITS, MASSES, day

NAME = "Ice rink"


def demo_project() -> Project:
    """Return the demo: ten in-line collisions and a glancing one, masses from the scales, spans
    suggested.
    """
    kg = unit_of("mass", "kg")
    setup = {
        FactId(mass_key(b)): Fact(m, MASS_LIMITS, Meaning.LIMITS, kg) for b, m in MASSES.items()
    }
    project = Project(NAME, setup=setup)
    for file in day():
        project = with_trials(
            project, trials_of(read_bytes(file.name, file.content)), file.series, marked_before
        )
    return project


def marked_before(trial: Trial) -> Spans:
    """Return the spans the finder suggests for a trial of the demo, looked up: searching would hold
    up every start.

    They belong to the recordings of `day()`; `scripts/demo_spans.py` writes them, and a test
    compares them.
    """
    kept = json.loads(
        files("inertian.project").joinpath("demo_spans.json").read_text(encoding="utf-8")
    )
    if trial.id not in kept:
        return suggest_spans(trial)
    return Spans(
        Span(name, SpanKind(kind), start, stop, tuple(own), why)
        for name, kind, start, stop, own, why in kept[trial.id]
    )


def write_demo(folder: Path) -> list[Path]:
    """Write the demo's raw files and its project into a folder, made if needed, and return their
    paths.

    Raises OSError if the folder cannot be written, and ProjectFileError as saving does.
    """
    from inertian.project.saving import save

    folder.mkdir(parents=True, exist_ok=True)
    written = []
    for file in day():
        path = folder / file.name
        path.write_bytes(file.content)
        written.append(path)
    target = folder / f"{NAME}.inertian"
    save(demo_project(), target)
    return [*written, target]
