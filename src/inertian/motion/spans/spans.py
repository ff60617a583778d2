"""Spans: named stretches of time in a trial, and the walls that contacts put between them."""

from dataclasses import dataclass, field, replace
from enum import StrEnum

import numpy as np

from inertian.quantities.errors import InertianError
from inertian.quantities.estimates import Array
from inertian.quantities.rounding import write_shortest


class SpanKind(StrEnum):
    """What happens in a span. Only a contact has walls that nothing is fitted across."""

    FREE = "free"  # nothing in particular is known; one's own
    REST = "rest"
    VELOCITY = "steady velocity"
    ACCELERATION = "steady acceleration"
    GLIDE = "glide"  # slowed by what grows with the speed
    SWING = "swing"
    CONTACT = "contact"
    INTERACTION = "interaction"
    TURN = "turning point"
    MIDDLE = "middle"  # of a swing: the lowest point of a pendulum
    BOUNCE = "bounce"
    PUSH = "push"
    END_STOP = "end stop"

    @property
    def steady(self) -> bool:
        """Whether a body moves freely in such a span, so that it can be fitted."""
        return self in (
            SpanKind.FREE,
            SpanKind.REST,
            SpanKind.VELOCITY,
            SpanKind.ACCELERATION,
            SpanKind.GLIDE,
        )

    @property
    def event(self) -> bool:
        """Whether something changes a velocity in such a span, so that steady spans end at it."""
        return self in (
            SpanKind.CONTACT,
            SpanKind.INTERACTION,
            SpanKind.BOUNCE,
            SpanKind.PUSH,
            SpanKind.END_STOP,
        )

    @property
    def moment(self) -> bool:
        """Whether such a span only says when something is: it is drawn as one line."""
        return self in (SpanKind.TURN, SpanKind.MIDDLE)

    @property
    def walled(self) -> bool:
        """Whether nothing is fitted across its edges: bodies touch something hard."""
        return self in (SpanKind.CONTACT, SpanKind.BOUNCE, SpanKind.END_STOP)


class SpanError(InertianError):
    """A span would be empty, or would reach across a contact."""

    def __init__(self, name: str, why: str) -> None:
        super().__init__(name, why)
        self.name, self.why = name, why

    def __str__(self) -> str:
        return f"Span “{self.name}”: {self.why}"


@dataclass(frozen=True)
class Span:
    """A named stretch of file time in s; both ends are included. It is of all bodies unless it
    names some.
    """

    name: str
    kind: SpanKind
    start: float
    stop: float
    bodies: tuple[str, ...] = ()
    # Why the finder suggested it; gone once it is moved
    why: str = field(default="", compare=False)

    def __post_init__(self) -> None:
        """Refuse an empty span. Raises SpanError."""
        if not self.start < self.stop:  # NaN fails too
            start, stop = (f"{write_shortest(end, 6)} s" for end in (self.start, self.stop))
            raise SpanError(self.name, f"it would start at {start} and end at {stop}.")

    def rows(self, t: Array) -> slice:
        """Return the rows of the samples inside, for sorted times t of shape (n,)."""
        return slice(
            int(np.searchsorted(t, self.start, "left")), int(np.searchsorted(t, self.stop, "right"))
        )

    @property
    def length(self) -> float:
        """How long the span lasts, in s."""
        return self.stop - self.start


class Spans(tuple[Span, ...]):
    """The spans of one trial, with the questions all stages ask of them."""

    __slots__ = ()

    def named(self, name: str) -> Span:
        """Return the span of that name. Raises KeyError."""
        for span in self:
            if span.name == name:
                return span
        raise KeyError(name)

    @property
    def contact(self) -> Span | None:
        """The first contact, or interaction without touch: what an account is drawn up around."""
        for kind in (SpanKind.CONTACT, SpanKind.INTERACTION):
            marked = [span for span in self if span.kind is kind]
            if marked:
                return min(marked, key=lambda s: s.start)
        return None

    @property
    def before(self) -> Span | None:
        """The last steady span that ends at or before the contact."""
        wall = self.contact
        free = [s for s in self if s.kind.steady and wall and s.stop <= wall.start]
        return max(free, key=lambda s: s.stop) if free else None

    @property
    def after(self) -> Span | None:
        """The first steady span that starts at or after the contact."""
        wall = self.contact
        free = [s for s in self if s.kind.steady and wall and s.start >= wall.stop]
        return min(free, key=lambda s: s.start) if free else None

    def of(self, body: str) -> "Spans":
        """Return the spans that hold for one body."""
        return Spans(span for span in self if not span.bodies or body in span.bodies)

    def free_name(self, wanted: str) -> str:
        """Return a name that no span has yet: the wanted one, or that with a number."""
        taken, number, name = {s.name for s in self}, 2, wanted
        while name in taken:
            name, number = f"{wanted} {number}", number + 1
        return name

    def in_order(self) -> "Spans":
        """Return these spans in order of time."""
        return Spans(sorted(self, key=lambda s: (s.start, s.stop)))

    def without(self, name: str) -> "Spans":
        """Return these spans without one of them."""
        return Spans(span for span in self if span.name != name)

    def replacing(self, old: str, new: Span) -> "Spans":
        """Return these spans with one exchanged."""
        return Spans(new if span.name == old else span for span in self)

    def walls(self) -> tuple[float, ...]:
        """Return the times that nothing may be fitted across: both edges of each contact, bounce
        and end stop.
        """
        return tuple(sorted(w for s in self if s.kind.walled for w in (s.start, s.stop)))


def move_edge(
    spans: Spans, name: str, edge: str, time: float, least: float, limits: tuple[float, float]
) -> Spans:
    """Return the spans with one edge ("start" or "stop") of one span moved to `time`.

    A steady span stops at contacts and other events; an event pushes the steady spans out of its
    way. No span gets shorter than `least`, nor leaves `limits`. Raises KeyError for an unknown
    span.
    """
    span = spans.named(name)
    low, high = _room(spans, span, least, limits)
    if edge == "start":
        # The wall has the last word, to the bit
        moved = replace(span, start=max(min(time, span.stop - least), low), why="")
    else:
        moved = replace(span, stop=min(max(time, span.start + least), high), why="")
    return _pushed(spans.replacing(name, moved), span, moved)


def move_span(
    spans: Spans, name: str, shift: float, least: float, limits: tuple[float, float]
) -> Spans:
    """Return the spans with one span moved by `shift` seconds, its length kept, under the rules of
    `move_edge`.
    """
    span = spans.named(name)
    low, high = _room(spans, span, least, limits)
    start = min(max(span.start + shift, low), max(high - span.length, low))
    moved = replace(span, start=start, stop=min(start + span.length, high), why="")
    return _pushed(spans.replacing(name, moved), span, moved)


def _meet(a: Span, b: Span) -> bool:
    """Whether two spans share a body."""
    return not a.bodies or not b.bodies or bool(set(a.bodies) & set(b.bodies))


def _room(
    spans: Spans, span: Span, least: float, limits: tuple[float, float]
) -> tuple[float, float]:
    """How far a span may reach: to the events beside it, or until what it pushes has no room
    left.
    """
    low, high = limits
    others = [s for s in spans if s is not span and _meet(s, span)]
    if span.kind.steady:
        low = max([low, *(s.stop for s in others if s.kind.event and s.stop <= span.start)])
        high = min([high, *(s.start for s in others if s.kind.event and s.start >= span.stop)])
    elif span.kind.event:
        low = max(
            [low, *(s.start + least for s in others if s.kind.steady and s.stop <= span.start)]
        )
        high = min(
            [high, *(s.stop - least for s in others if s.kind.steady and s.start >= span.stop)]
        )
    return low, high


def _pushed(spans: Spans, old: Span, moved: Span) -> Spans:
    """Move the edges of steady spans out of the way of an event that was `old`, so that each stays
    on its side.
    """
    if not moved.kind.event:
        return spans
    result = []
    for span in spans:
        if span.kind.steady and _meet(span, moved) and span.stop <= old.start:
            span = replace(span, stop=min(span.stop, moved.start))
        elif span.kind.steady and _meet(span, moved) and span.start >= old.stop:
            span = replace(span, start=max(span.start, moved.stop))
        result.append(span)
    return Spans(result)
