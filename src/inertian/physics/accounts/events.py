"""What happens in a trial, as far as its spans, bodies, sensors and facts tell, and the dates that
an account of it has.
"""

from collections.abc import Callable, Collection, Sequence
from dataclasses import dataclass, replace
from enum import StrEnum

import numpy as np

from inertian.motion.fits.free_motion import BodyFit
from inertian.motion.recording.trials import Trial
from inertian.motion.spans.spans import Span, SpanKind, Spans
from inertian.physics.accounts.along_track import Track, track_of
from inertian.physics.accounts.forms import INCLINE, INERTIA, STIFFNESS
from inertian.physics.accounts.gauges import gauge_of, pushed
from inertian.physics.accounts.statements import MOST_DATES, Date

FALLS = 0.1  # of g: by how much an acceleration may differ from it and still be a fall
CLEAR_SHARE = 0.2  # of a steady span, into which a launch surely does not reach
MAIN = (SpanKind.CONTACT, SpanKind.INTERACTION)


class EventKind(StrEnum):
    """What happens in a trial; says which accounts make sense."""

    HIT_IN_LINE = "hit in line"
    GLANCE = "hit at a glance"
    REPULSION = "repulsion without touch"
    STICKING = "sticking together"
    EXPLOSION = "explosion from rest"
    SEVERAL = "three bodies"
    WALL = "body against a wall"
    BUMPER = "body against a bumper with a gauge"
    UP_AND_BACK = "up and back on a slope"
    SLOPE = "down a slope"
    FALL = "free fall"
    HOPS = "hops"
    SWING = "swing"
    LAUNCH = "spring launch"
    THRUST = "thrust run"
    TOWED = "towed with a gauge or an accelerometer"
    SPINNING = "spinning down"
    NONE = "no event"

    @property
    def contact(self) -> bool:
        """Whether it is accounted for from one wall of a contact to the other."""
        return self in (
            EventKind.HIT_IN_LINE,
            EventKind.GLANCE,
            EventKind.REPULSION,
            EventKind.STICKING,
            EventKind.EXPLOSION,
            EventKind.SEVERAL,
            EventKind.WALL,
            EventKind.BUMPER,
        )


@dataclass(frozen=True)
class Vertical:
    """The axis that gravity acts along, and whether it points up (1) or down (−1)."""

    axis: str
    upwards: float


@dataclass(frozen=True)
class Event:
    """What happens in a trial, and at which dates it is accounted for. `held` are the periods, by
    place, in which something is given away by its kind, such as the bounces of hops. `track` holds
    the cosines of a straight track in the plane, `step` is the time between samples in s.
    """

    kind: EventKind
    dates: tuple[Date, ...]
    vertical: Vertical | None = None
    held: tuple[int, ...] = ()
    track: Track | None = None
    step: float = 0.0

    def at_dates(self, dates: tuple[Date, ...]) -> "Event":
        """Return the event as it is accounted for at other dates; a contact is then like any other
        stretch of time.
        """
        kind = EventKind.NONE if self.kind.contact else self.kind
        return Event(kind, dates, self.vertical, track=self.track, step=self.step)


FitOf = Callable[[str, Span], BodyFit | None]


def recognised(
    trial: Trial, spans: Spans, facts: Collection[tuple[str, str]], gravity: float, fit: FitOf
) -> Event:
    """Return the event of a trial. `facts` are the symbols of facts that are known,
    with the body where they belong to one, `gravity` is g in m/s²,
    and `fit` gives the fit of a body over a steady span.
    """
    track = track_of(trial)
    found = replace(_recognised(trial, spans, facts, gravity, fit), step=trial.step())
    if track is None:
        return found
    kind = EventKind.HIT_IN_LINE if found.kind is EventKind.GLANCE else found.kind
    return replace(found, kind=kind, track=track)


def _recognised(
    trial: Trial, spans: Spans, facts: Collection[tuple[str, str]], gravity: float, fit: FitOf
) -> Event:
    bodies = tuple(b.name for b in trial.followed)
    if not bodies:
        return Event(EventKind.TOWED, _ends(trial, spans))
    in_plane = {"x", "y"} <= set(trial.followed[0].axes)
    if len(bodies) == 1 and in_plane and (INERTIA, bodies[0]) in facts:
        return _spinning(trial, spans.of(bodies[0]))
    contacts = [s for s in spans.in_order() if s.kind in MAIN]
    if len(contacts) > 1 and len(bodies) > 1:
        return _several(contacts)
    if spans.contact is not None:
        return _around(trial, spans, bodies, spans.contact)
    own = spans.of(bodies[0])
    if any(s.kind is SpanKind.BOUNCE for s in own) and len(bodies) == 1:
        return _hops_or_wall(trial, own, gravity, fit)
    if len(bodies) == 1:
        return _of_one_body(trial, own, facts, gravity, fit)
    return Event(EventKind.NONE, _ends(trial, spans))


def _spinning(trial: Trial, own: Spans) -> Event:
    """A body that turns, and what falls onto it or strikes it, if something does."""
    start, end = _whole(trial)
    contact = next((s for s in own.in_order() if s.kind is SpanKind.CONTACT), None)
    if contact is None:
        return Event(EventKind.SPINNING, (start, end))
    struck = Date("before", contact.start, -1), Date("after", contact.stop, 1)
    return Event(EventKind.SPINNING, (start, *struck, end), held=(1,))


def _around(trial: Trial, spans: Spans, bodies: Sequence[str], contact: Span) -> Event:
    """A contact, from wall to wall; with a gauge, as long as that is pushed."""
    kind, gauge = _kind_of_contact(trial, bodies, contact), gauge_of(trial)
    start, stop = contact.start, contact.stop
    if kind is EventKind.BUMPER and gauge is not None:
        start, stop = pushed(trial, gauge, spans, contact)
    return Event(kind, (Date("before", start, -1), Date("after", stop, 1)))


def _several(contacts: Sequence[Span]) -> Event:
    """Contacts one after another; between them bodies move freely."""
    dates: list[Date] = []
    for number, span in enumerate(contacts[: MOST_DATES // 2], 1):
        dates += [
            Date(f"before contact {number}", span.start, -1),
            Date(f"after contact {number}", span.stop, 1),
        ]
    return Event(EventKind.SEVERAL, tuple(dates), held=tuple(range(1, len(dates) - 1, 2)))


def _kind_of_contact(trial: Trial, bodies: Sequence[str], contact: Span) -> EventKind:
    if len(bodies) == 1:
        return EventKind.BUMPER if gauge_of(trial) else EventKind.WALL
    if len(bodies) > 2:
        return EventKind.SEVERAL
    if contact.kind is SpanKind.INTERACTION:
        return EventKind.REPULSION
    return EventKind.GLANCE if len(trial.followed[0].axes) > 1 else EventKind.HIT_IN_LINE


def _hops_or_wall(trial: Trial, own: Spans, gravity: float, fit: FitOf) -> Event:
    """Hops where the body falls between bounces; else a bounce off a wall."""
    bounces = [s for s in own if s.kind is SpanKind.BOUNCE]
    falls = [s for s in own if s.kind is SpanKind.ACCELERATION]
    vertical = _vertical(trial, falls, gravity, fit)
    if vertical is None:
        return _around(trial, own, (trial.followed[0].name,), bounces[0])
    found: list[Date] = []
    for number, bounce in enumerate(bounces[: MOST_DATES // 2], 1):
        found += [
            Date(f"before bounce {number}", bounce.start, -1),
            Date(f"after bounce {number}", bounce.stop, 1),
        ]
    return Event(EventKind.HOPS, tuple(found), vertical, tuple(range(0, len(found) - 1, 2)))


def _of_one_body(
    trial: Trial, own: Spans, facts: Collection[tuple[str, str]], gravity: float, fit: FitOf
) -> Event:
    turns = [s for s in own if s.kind is SpanKind.TURN]
    curved = [s for s in own if s.kind is SpanKind.ACCELERATION]
    pushes = push_spans(own)
    vertical = _vertical(trial, curved, gravity, fit)
    if any(s.kind is SpanKind.SWING for s in own):
        return Event(EventKind.SWING, _of_a_swing(trial, own), vertical)
    ways = both_ways(own) if vertical is None else None
    if ways is not None:
        turn = next(t for t in turns if ways[0].start < t.stop and t.start < ways[1].stop)
        dates = (
            Date("start", ways[0].start, 1),
            Date("turning point", 0.5 * (turn.start + turn.stop), -1),
            Date("end", ways[1].stop, -1),
        )
        return Event(EventKind.UP_AND_BACK, dates)
    if curved and vertical is not None:
        return Event(EventKind.FALL, _over(curved[0], turns), vertical)
    if curved and (INCLINE, "") in facts:
        return Event(EventKind.SLOPE, _over(curved[0], turns))
    if pushes:
        kind = EventKind.LAUNCH if (STIFFNESS, "") in facts else EventKind.THRUST
        push = pushes[0]
        start, end = push.start, push.stop if kind is EventKind.THRUST else _clear_of(push, own)
        if push.kind is not SpanKind.PUSH:  # where a steady push begins and ends hides in noise
            start, end = _clear_around(push, own)
        return Event(kind, (Date("start", start, -1), Date("end", end, 1)))
    return Event(EventKind.NONE, _ends(trial, own))


def push_spans(own: Spans) -> list[Span]:
    """Return the spans in which a body is pushed: those that are marked so, else a steady
    acceleration from rest that goes over into another steady motion.
    """
    marked = [s for s in own if s.kind is SpanKind.PUSH]
    steady = [s for s in own.in_order() if s.kind.steady]
    return marked or [
        two
        for one, two, _ in zip(steady, steady[1:], steady[2:], strict=False)
        if one.kind is SpanKind.REST and two.kind is SpanKind.ACCELERATION
    ]


def _clear_around(push: Span, own: Spans) -> tuple[float, float]:
    """Times surely before and after a push, in the steady spans beside it."""
    clear = CLEAR_SHARE * push.length
    steady = [s for s in own if s.kind.steady and s != push]
    before = max((s for s in steady if s.stop <= push.start + 1e-9), key=lambda s: s.stop)
    after = min((s for s in steady if s.start >= push.stop - 1e-9), key=lambda s: s.start)
    start = push.start - min(clear, 0.5 * before.length)
    return start, push.stop + min(clear, 0.5 * after.length)


def _clear_of(push: Span, own: Spans) -> float:
    """When a body that was launched is surely free: a little into the steady span that follows."""
    after = [s for s in own if s.kind.steady and s.start >= push.stop - 1e-9]
    if not after:
        return push.stop
    first = min(after, key=lambda s: s.start)
    return first.start + CLEAR_SHARE * first.length


def both_ways(own: Spans) -> tuple[Span, Span] | None:
    """Return the spans in which a body goes one way and comes back, on either side of its first
    turning point; None where there are none.
    """
    curved = [s for s in own if s.kind is SpanKind.ACCELERATION]
    for turn in (s for s in own.in_order() if s.kind is SpanKind.TURN):
        up = [s for s in curved if s.stop <= turn.stop]
        down = [s for s in curved if s.start >= turn.start]
        if up and down:
            return max(up, key=lambda s: s.stop), min(down, key=lambda s: s.start)
    return None


def _over(span: Span, turns: Sequence[Span]) -> tuple[Date, ...]:
    """The ends of a span, and the turning points inside."""
    inner = [0.5 * (s.start + s.stop) for s in turns]
    return (
        Date("start", span.start, 1),
        *(Date("turning point", t) for t in inner if span.start < t < span.stop),
        Date("end", span.stop, -1),
    )


def _of_a_swing(trial: Trial, own: Spans) -> tuple[Date, ...]:
    """Turning points and middles in order of time, by number."""
    named = {SpanKind.TURN: "turning point", SpanKind.MIDDLE: "middle"}
    count = dict.fromkeys(named, 0)
    dates: list[Date] = []
    for span in own.in_order():
        if span.kind in named and len(dates) < MOST_DATES:
            count[span.kind] += 1
            t = 0.5 * (span.start + span.stop)
            dates.append(Date(f"{named[span.kind]} {count[span.kind]}", t))
    return tuple(dates) if len(dates) > 1 else _ends(trial, own)


def _whole(trial: Trial) -> tuple[Date, ...]:
    """The ends of a trial."""
    return Date("start", float(trial.t[0]), 1), Date("end", float(trial.t[-1]), -1)


def _ends(trial: Trial, own: Spans) -> tuple[Date, ...]:
    """The ends of the trial, or of what is steady in it."""
    steady = [s for s in own if s.kind.steady]
    start = min((s.start for s in steady), default=float(trial.t[0]))
    stop = max((s.stop for s in steady), default=float(trial.t[-1]))
    return Date("start", start, 1), Date("end", stop, -1)


def _vertical(trial: Trial, falls: Sequence[Span], gravity: float, fit: FitOf) -> Vertical | None:
    """The axis along which a body falls with about g, whichever way the axis points."""
    for span in falls:
        body = trial.followed[0]
        made = fit(body.name, span)
        if made is None:
            continue
        for axis, own in made.fits.items():
            a = own.at(own.t0, 2)
            if abs(abs(a) - gravity) < FALLS * gravity:
                return Vertical(axis, float(-np.sign(a)))
    return None
