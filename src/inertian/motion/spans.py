"""Spans: named stretches of time in a trial, and the walls that contacts put between them."""

from dataclasses import dataclass, replace
from enum import StrEnum

import numpy as np

from inertian.quantities.errors import InertianError
from inertian.quantities.estimates import Array


class SpanKind(StrEnum):
    """What happens in a span. Only a contact has walls that nothing is fitted across."""

    FREE = "free"  # nothing in particular is known; one's own
    REST = "rest"
    VELOCITY = "steady velocity"
    ACCELERATION = "steady acceleration"
    CONTACT = "contact"
    INTERACTION = "interaction"
    TURN = "turning point"
    BOUNCE = "bounce"
    PUSH = "push"
    END_STOP = "end stop"

    @property
    def steady(self) -> bool:
        """Whether a body moves freely in such a span, so that it can be fitted."""
        return self in (SpanKind.FREE, SpanKind.REST, SpanKind.VELOCITY, SpanKind.ACCELERATION)

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
    """A named stretch of file time in s; both ends are included."""

    name: str
    kind: SpanKind
    start: float
    stop: float

    def __post_init__(self) -> None:
        """Refuse an empty span. Raises SpanError."""
        if not self.start < self.stop:  # NaN fails too
            raise SpanError(self.name, f"it would start at {self.start:.6g} s and end at {self.stop:.6g} s.")

    def rows(self, t: Array) -> slice:
        """Return the rows of the samples inside, for sorted times t of shape (n,)."""
        return slice(int(np.searchsorted(t, self.start, "left")), int(np.searchsorted(t, self.stop, "right")))

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
        """The contact, if one is marked."""
        return next((span for span in self if span.kind is SpanKind.CONTACT), None)

    @property
    def before(self) -> Span | None:
        """The last free span that ends at or before the contact."""
        wall = self.contact
        free = [s for s in self if s.kind is SpanKind.FREE and wall and s.stop <= wall.start]
        return max(free, key=lambda s: s.stop) if free else None

    @property
    def after(self) -> Span | None:
        """The first free span that starts at or after the contact."""
        wall = self.contact
        free = [s for s in self if s.kind is SpanKind.FREE and wall and s.start >= wall.stop]
        return min(free, key=lambda s: s.start) if free else None

    def replacing(self, old: str, new: Span) -> "Spans":
        """Return these spans with one exchanged."""
        return Spans(new if span.name == old else span for span in self)

    def walls(self) -> tuple[float, ...]:
        """Return the times that nothing may be fitted across: both edges of each contact."""
        return tuple(sorted(w for s in self if s.kind is SpanKind.CONTACT for w in (s.start, s.stop)))


def move_edge(spans: Spans, name: str, edge: str, time: float, least: float, limits: tuple[float, float]) -> Spans:
    """Return the spans with one edge ("start" or "stop") of one span moved to `time`.

    A free span stops at the walls of the contact; a contact pushes the free spans out of its way. No span gets shorter
    than `least`, nor leaves `limits`. Raises KeyError for an unknown span.
    """
    span = spans.named(name)
    low, high = limits
    if span.kind is SpanKind.FREE:
        wall = spans.contact
        if wall is not None and span.stop <= wall.start:
            high = wall.start
        elif wall is not None and span.start >= wall.stop:
            low = wall.stop
    else:
        before, after = spans.before, spans.after
        low = before.start + least if before else low
        high = after.stop - least if after else high
    if edge == "start":
        moved = replace(span, start=max(min(time, span.stop - least), low))  # the wall has the last word, to the bit
    else:
        moved = replace(span, stop=min(max(time, span.start + least), high))
    return _pushed(spans.replacing(name, moved), span, moved)


def move_span(spans: Spans, name: str, shift: float, least: float, limits: tuple[float, float]) -> Spans:
    """Return the spans with one span moved by `shift` seconds, its length kept, under the rules of `move_edge`."""
    span = spans.named(name)
    low, high = limits
    wall = spans.contact
    if span.kind is SpanKind.FREE and wall is not None:
        low, high = (low, wall.start) if span.stop <= wall.start else (wall.stop, high)
    elif span.kind is SpanKind.CONTACT:
        low = spans.before.start + least if spans.before else low
        high = spans.after.stop - least if spans.after else high
    start = min(max(span.start + shift, low), max(high - span.length, low))
    moved = replace(span, start=start, stop=min(start + span.length, high))
    return _pushed(spans.replacing(name, moved), span, moved)


def _pushed(spans: Spans, old: Span, moved: Span) -> Spans:
    """Move the edges of free spans out of the way of a contact that was `old`, so that each stays on its side."""
    if moved.kind is not SpanKind.CONTACT:
        return spans
    result = []
    for span in spans:
        if span.kind is SpanKind.FREE and span.stop <= old.start:
            span = replace(span, stop=min(span.stop, moved.start))
        elif span.kind is SpanKind.FREE and span.start >= old.stop:
            span = replace(span, start=max(span.start, moved.stop))
        result.append(span)
    return Spans(result)
