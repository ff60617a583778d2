"""What the span finder says: suggested spans with their names and reasons."""

from collections.abc import Mapping, Sequence
from dataclasses import dataclass, replace

import numpy as np

from inertian.motion.spans.curved_motion import Swing
from inertian.motion.spans.spans import SpanKind
from inertian.quantities.estimates import Array
from inertian.quantities.rounding import write_estimate, write_number

MAIN_EVENTS = (SpanKind.CONTACT, SpanKind.INTERACTION)
FADES = 0.05  # e-folds of an amplitude that are worth a word
PLAIN_NAMES = {
    SpanKind.REST: "rest",
    SpanKind.VELOCITY: "glide",
    SpanKind.ACCELERATION: "glide",
    SpanKind.GLIDE: "glide",
    SpanKind.SWING: "swing",
    SpanKind.TURN: "turning point",
    SpanKind.MIDDLE: "middle",
    SpanKind.BOUNCE: "bounce",
    SpanKind.PUSH: "push",
    SpanKind.END_STOP: "end stop",
    SpanKind.CONTACT: "contact",
    SpanKind.INTERACTION: "interaction",
}


@dataclass(frozen=True)
class FoundSpan:
    """A suggested span: what kind, its name, from t0 to t1 in s, the bodies it is about, and
    why.
    """

    kind: SpanKind
    name: str
    t0: float
    t1: float
    bodies: tuple[str, ...]
    why: str


@dataclass(frozen=True, eq=False)
class FoundEvent:
    """A change of velocity from start to stop in s; `dv` by body and axis in m/s; `seen` if it was
    followed.
    """

    kind: SpanKind
    start: float
    stop: float
    dv: Mapping[str, Array]
    seen: bool

    @property
    def bodies(self) -> tuple[str, ...]:
        """The bodies whose velocity changes."""
        return tuple(self.dv)


@dataclass(frozen=True, eq=False)
class FoundMotion:
    """A body's steady motion from start to stop in s: velocity at both ends, acceleration and its
    u, by axis.

    `sigma` is the standard deviation of a reading in m.
    """

    kind: SpanKind
    start: float
    stop: float
    body: str
    v: tuple[Array, Array]
    a: Array
    u_a: Array
    samples: int
    sigma: float


def reason_of_event(event: FoundEvent) -> str:
    """Say why something is thought to have happened."""
    changes = ", ".join(
        f"that of {b} by {write_number(float(np.linalg.norm(dv)), 2)} m/s"
        for b, dv in event.dv.items()
    )
    length = 1e3 * (event.stop - event.start)
    how = (
        f"smoothly within {length:.0f} ms"
        if event.seen
        else f"within {write_number(length, 2)} ms, too fast to be followed"
    )
    tail = {
        SpanKind.BOUNCE: "; it is driven back to where it came from",
        SpanKind.END_STOP: "; then little motion is left",
        SpanKind.PUSH: "; before, there is none",
    }.get(event.kind, "")
    return f"the velocity changes, {changes}, {how}{tail}"


def reason_of_motion(motion: FoundMotion) -> str:
    """Say why a motion is thought to be steady."""
    speed = float(np.linalg.norm(0.5 * (motion.v[0] + motion.v[1])))
    many = f"{motion.body}: {motion.samples} samples"
    if motion.kind is SpanKind.REST:
        return f"{many} scatter about one place"
    if motion.kind is SpanKind.VELOCITY:
        return f"{many} scatter about a line of {write_number(speed)} m/s"
    worst = int(np.argmax(np.abs(motion.a) / motion.u_a))
    bend = write_estimate(motion.a[worst], motion.u_a[worst], "m/s²")
    return f"{many} scatter about a parabola of {bend}"


def reason_of_swing(body: str, swing: Swing) -> str:
    """Say why a motion is thought to be a swing."""
    period, amplitude = write_number(swing.period), write_number(swing.amplitude, 2)
    fading = ""
    if swing.damping * (swing.stop - swing.start) > FADES:
        fading = f", which fades to half in {write_number(np.log(2.0) / swing.damping, 2)} s"
    return f"{body}: a sine with a period of {period} s and an amplitude of {amplitude} m{fading}"


def with_names(found: Sequence[FoundSpan]) -> list[FoundSpan]:
    """Return the spans with names: before, contact, after; what lies between several; else what
    happens, numbered.

    Spans of different bodies may share a name, where they tell of the same part of the story.
    """
    events = [f for f in found if f.kind in MAIN_EVENTS]
    named_so = [
        replace(f, name=_name(f, found, events)) for f in sorted(found, key=lambda f: (f.t0, f.t1))
    ]
    return _numbered(named_so)


def _name(one: FoundSpan, found: Sequence[FoundSpan], events: Sequence[FoundSpan]) -> str:
    if one.kind in MAIN_EVENTS:
        return PLAIN_NAMES[one.kind]
    if not one.kind.steady:
        return PLAIN_NAMES[one.kind]
    mine = [e for e in events if set(e.bodies) & set(one.bodies)]
    steady = [f for f in found if f.kind.steady and set(f.bodies) & set(one.bodies)]
    for number, event in enumerate(mine):
        until = [f for f in steady if f.t1 <= event.t0 + 1e-9]
        since = [f for f in steady if f.t0 >= event.t1 - 1e-9]
        if since and one is min(since, key=lambda f: f.t0) and number == len(mine) - 1:
            return "after"
        if until and one is max(until, key=lambda f: f.t1):
            return "before" if number == 0 else "between"
    turns = [f for f in found if f.kind is SpanKind.TURN and set(f.bodies) & set(one.bodies)]
    if one.kind is SpanKind.ACCELERATION and any(
        abs(0.5 * (t.t0 + t.t1) - one.t1) < t.t1 - t.t0 for t in turns
    ):
        return "up"
    if one.kind is SpanKind.ACCELERATION and any(
        abs(0.5 * (t.t0 + t.t1) - one.t0) < t.t1 - t.t0 for t in turns
    ):
        return "down"
    bounces = [f for f in found if f.kind is SpanKind.BOUNCE and set(f.bodies) & set(one.bodies)]
    return "flight" if bounces and one.kind is SpanKind.ACCELERATION else PLAIN_NAMES[one.kind]


def _numbered(found: Sequence[FoundSpan]) -> list[FoundSpan]:
    """Number names that the same body has more than once, or that stand for different times."""
    times: dict[str, list[tuple[float, float]]] = {}
    for f in found:
        own = times.setdefault(f.name, [])
        if not any(min(f.t1, b) > max(f.t0, a) for a, b in own):
            own.append((f.t0, f.t1))
    result = []
    for f in found:
        own = times[f.name]
        if len(own) > 1:
            place = max(range(len(own)), key=lambda k: min(f.t1, own[k][1]) - max(f.t0, own[k][0]))
            f = replace(f, name=f"{f.name} {place + 1}")
        result.append(f)
    return result
