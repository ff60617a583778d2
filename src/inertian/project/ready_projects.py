"""Ready projects of a day at the rink, to try the program on: each a handful of files, read in like
anybody's, with the facts as weighed and measured, and a task.
"""

from dataclasses import dataclass, replace

from inertian.models.definitions.model import Model
from inertian.models.definitions.typed_forces import parse_force
from inertian.motion.spans.spans import Span, SpanKind, Spans
from inertian.physics.definitions.requests import (
    NamedReading,
    Quantity,
    QuantityRef,
    ReadingKind,
)
from inertian.project.model_edits import models_added
from inertian.project.project import Entry, Project, with_trials
from inertian.project.trend_edits import with_variable_of_all
from inertian.project.typed_facts import with_typed_fact

DRIVEN = "Disc at twelve settings"
# Models that stand beside the first trial, as forces are typed
MODELS = {
    "Lone stone gliding": (
        ("No net force", ("none",)),
        ("Friction", ("sliding friction",)),
        ("Friction and drag", ("sliding friction", "quadratic drag")),
    ),
    "Sled up the bank": (
        ("Weight alone", ("weight along the incline",)),
        ("Weight and friction", ("weight along the incline", "sliding friction")),
    ),
    "Sled and bumpers": (
        ("Spring bumper", ("one-sided spring k=free x_0=free", "sliding friction")),
        ("Damped bumper", ("one-sided spring k=free x_0=free b=free", "sliding friction")),
    ),
}
IN_LINE, GLANCING = "Stones in line", "Glancing stones"
OF_STONES = {
    IN_LINE: (
        "in line",
        "Two stones hit in line, ten times over. Is momentum kept, and what becomes of the "
        "kinetic energy?",
    ),
    GLANCING: (
        "glancing",
        "A heavy stone hits a resting one off centre. Is momentum kept along both axes together?",
    ),
}


@dataclass(frozen=True, eq=False)
class ReadyProject:
    """A project and what to find out with it, in two sentences at most."""

    project: Project
    task: str


def ready_names() -> tuple[str, ...]:
    """Return the names of all ready projects, without making them."""
    from inertian.rink.experiments import EXPERIMENTS

    return (*OF_STONES, *EXPERIMENTS)


def ready_project(name: str) -> ReadyProject:
    """Return a ready project by name, spans found. Raises KeyError."""
    from inertian.files.reader import read_bytes
    from inertian.files.trial_building import trials_of
    from inertian.project.demo_project import demo_project
    from inertian.rink.experiments import EXPERIMENTS

    if name in OF_STONES:
        series, task = OF_STONES[name]
        whole = demo_project()
        entries = whole.entries_of(series)
        kept = tuple(s for s in whole.series if s.name == series)
        return ReadyProject(replace(whole, name=name, entries=entries, series=kept), task)
    made = EXPERIMENTS[name]()
    project = Project(name)
    for file, content in made.files:
        project = with_trials(project, trials_of(read_bytes(file, content)), name)
    for text in made.facts:
        project = with_typed_fact(project, text)
    for variable, values in made.variables:
        project = with_variable_of_all(project, f"{variable} = {'; '.join(values)}")
    if name == DRIVEN:
        for entry in project.entries:
            project = project.with_entry(_with_angular_speed(entry))
    first = project.entries[0].trial.id
    models = tuple(
        Model(title, tuple(parse_force(text) for text in forces))
        for title, forces in MODELS.get(name, ())
    )
    if models:
        project = models_added(project, first, models).project
    return ReadyProject(project, made.task)


def _with_angular_speed(entry: Entry) -> Entry:
    """A trial of a turning disc with its mean angular speed as a reading."""
    t = entry.trial.t
    whole = Span("turning", SpanKind.FREE, float(t[0]), float(t[-1]))
    shown = QuantityRef(Quantity.ANGULAR_SPEED)
    body = entry.trial.bodies[0].name
    reading = NamedReading("ω", ReadingKind.MEAN, shown, body, span=whole.name)
    return replace(entry, spans=Spans([whole]), named=(reading,))
