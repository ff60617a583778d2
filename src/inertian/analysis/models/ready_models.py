"""Models that fit what happens in a trial, ready to be chosen: with nothing, and with what is most
likely to act besides.
"""

from inertian.analysis.evaluation import Evaluator
from inertian.models.definitions.model import Model, Start, TypedState
from inertian.models.definitions.typed_forces import parse_force
from inertian.physics.accounts.events import EventKind
from inertian.physics.accounts.forms import INCLINE, STIFFNESS
from inertian.project.project import Entry, Project
from inertian.quantities.facts import Fact, Meaning
from inertian.quantities.units import unit_of

WEIGHT, SLOPE, FRICTION = "weight", "weight along the incline", "sliding friction"
DRAG, LINEAR = "quadratic drag", "linear drag"
_READY: dict[EventKind, tuple[tuple[str, tuple[str, ...]], ...]] = {
    EventKind.UP_AND_BACK: (
        ("Weight alone", (SLOPE,)),
        ("Weight and friction", (SLOPE, FRICTION)),
        ("Weight, friction and drag", (SLOPE, FRICTION, DRAG)),
    ),
    EventKind.FALL: (
        ("Weight alone", (WEIGHT,)),
        ("Weight and linear drag", (WEIGHT, LINEAR)),
        ("Weight and quadratic drag", (WEIGHT, DRAG)),
    ),
    EventKind.SWING: (
        ("Pendulum", ("pendulum",)),
        ("Damped pendulum", ("pendulum b=free",)),
        ("Pendulum in a dry bearing", ("pendulum", "dry torque")),
    ),
    EventKind.SPINNING: (
        ("No torque", ("viscous torque β=0 N·m·s",)),
        ("Dry bearing", ("dry torque",)),
        ("Dry and viscous bearing", ("dry torque", "viscous torque")),
    ),
    EventKind.BUMPER: (
        ("Spring bumper", ("one-sided spring k=free x_0=free",)),
        ("Damped bumper", ("one-sided spring k=free x_0=free b=free",)),
        ("Damped bumper and friction", ("one-sided spring k=free x_0=free b=free", FRICTION)),
    ),
    EventKind.REPULSION: (
        ("Repulsion, 1/r", ("repulsion n=1",)),
        ("Repulsion, 1/r²", ("repulsion n=2",)),
        ("Repulsion, any power, and friction", ("repulsion n=free", FRICTION)),
    ),
}
_READY |= {EventKind.SLOPE: _READY[EventKind.UP_AND_BACK], EventKind.HOPS: _READY[EventKind.FALL]}
_SPRING = (
    ("Spring", ("spring x_0=free",)),
    ("Damped spring", ("damped spring x_0=free b=free",)),
    ("Spring and friction", ("spring x_0=free", FRICTION)),
)
_GLIDE = (
    ("No net force", ("none",)),
    ("Friction", (FRICTION,)),
    ("Friction and drag", (FRICTION, DRAG)),
)
# Where there is nothing to find a value by: of a stone on ice, to be changed
_TYPED = (
    ("No net force", ("none",)),
    ("Friction", (f"{FRICTION} μ=0.01±0",)),
    ("Friction and drag", (f"{FRICTION} μ=0.01±0", f"{DRAG} c=0.3±0 kg/m")),
)


def ready_models(evaluator: Evaluator, project: Project, entry: Entry) -> tuple[Model, ...]:
    """Return three models that fit the event of a trial, the simplest first."""
    if not entry.trial.recorded:
        return _without_data(entry)
    kind = evaluator.event(project, entry).kind
    facts = {**project.setup_facts(entry), **project.account_facts(entry)}
    offered = _READY.get(kind, _GLIDE)
    plane = any(len(body.axes) > 1 for body in entry.trial.followed)
    if offered is _GLIDE and (INCLINE, "") in facts:
        offered = _READY[EventKind.UP_AND_BACK]
    if (kind is EventKind.SWING and not plane) or kind is EventKind.LAUNCH:
        known = (STIFFNESS, "") in facts
        offered = _SPRING if known or project.masses(entry) else offered
    turns = entry.frame.centre is not None and plane
    if (kind is EventKind.SPINNING or turns) and kind is not EventKind.SWING:
        offered = _READY[EventKind.SPINNING]
        if not any(symbol == "I" for symbol, _ in facts):
            offered = offered[:1]
    start = Start(time=_after_release(entry))
    return tuple(
        Model(name, tuple(parse_force(text) for text in texts), start=start)
        for name, texts in offered
    )


def _without_data(entry: Entry) -> tuple[Model, ...]:
    """Three models that run at once: the first body moves, the others rest ahead of it."""
    states = []
    for place, body in enumerate(entry.trial.followed):
        for axis in body.axes:
            first = axis == body.axes[0]
            at = unit_of("length", "m"), float(place) if first else 0.0
            speed = unit_of("speed", "m/s"), 1.0 if first and place == 0 else 0.0
            facts = [Fact(value, 0.0, Meaning.EXACT, unit) for unit, value in (at, speed)]
            states.append(TypedState(body.name, axis, *facts))
    start = Start(typed=tuple(states))
    return tuple(
        Model(name, tuple(parse_force(text) for text in texts), start=start)
        for name, texts in _TYPED
    )


def _after_release(entry: Entry) -> float | None:
    """When a body is let go: the end of a push, or of rest, that the trial begins with."""
    first = [s for s in entry.spans.in_order() if str(s.kind) in ("push", "rest")]
    t = entry.trial.t
    if first and first[0].start <= t[0] + 0.02 * (t[-1] - t[0]) and str(first[0].kind) == "push":
        return first[0].stop
    return None
