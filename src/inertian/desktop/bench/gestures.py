"""Grabbing spans with the mouse: one rule for the rail and for every strip."""

from collections.abc import Sequence
from dataclasses import dataclass

from inertian.desktop.look.tokens import GRIP
from inertian.desktop.state.document import Document
from inertian.motion.spans.spans import Spans
from inertian.physics.accounts.statements import Date
from inertian.project.account_edits import date_moved
from inertian.project.edits import edge_moved, span_moved
from inertian.project.history import Edit
from inertian.project.marking_edits import DEFAULT_SPAN_NAME, span_added
from inertian.project.project import Project
from inertian.quantities.errors import InertianError


@dataclass(frozen=True)
class Handle:
    """Part of a span that can be taken: "start", "stop" or "body"."""

    span: str
    part: str


def handles(spans: Spans) -> list[Handle]:
    """Return all handles in order of time, for going through them with keys: of each span start,
    body and stop.
    """
    ordered = sorted(spans, key=lambda s: s.start)
    return [Handle(s.name, part) for s in ordered for part in ("start", "body", "stop")]


def edge_time(spans: Spans, handle: Handle) -> float:
    """Return the time of an edge in s; a body is where it starts."""
    span = spans.named(handle.span)
    return span.stop if handle.part == "stop" else span.start


def handle_at(spans: Spans, time: float, per_pixel: float) -> Handle | None:
    """Return what lies under a moment: an edge within the grip, else the span around it, else
    nothing.

    Where two edges meet, the side of the pointer decides: to the left the earlier span's, to the
    right the later's.
    """
    reach = 0.5 * GRIP * per_pixel + 2 * per_pixel
    near = []
    for span in spans:
        for part, edge in (("start", span.start), ("stop", span.stop)):
            if abs(time - edge) <= reach:
                inside = span.start <= time <= span.stop
                near.append((not inside, abs(time - edge), Handle(span.name, part)))
    if near:
        return min(near, key=lambda item: item[:2])[2]
    around = [s for s in spans if s.start <= time <= s.stop]
    return Handle(min(around, key=lambda s: s.length).name, "body") if around else None


def handle_moved(project: Project, trial: str, handle: Handle, time: float) -> Edit:
    """Return the edit that takes a handle to a time in s; a body takes its whole span along."""
    if handle.part == "body":
        return span_moved(
            project, trial, handle.span, time - edge_time(project.entry(trial).spans, handle)
        )
    return edge_moved(project, trial, handle.span, handle.part, time)


class Drag:
    """A gesture on one handle: shows its edit while it moves, makes it when it ends."""

    def __init__(self, document: Document, handle: Handle, grabbed: float) -> None:
        self.handle = handle
        self._document = document
        entry = document.entry
        assert entry is not None  # a handle was hit, so there is a trial
        self._trial = entry.trial.id
        spans = document.committed.entry(self._trial).spans
        self._offset = edge_time(spans, handle) - grabbed

    def move(self, time: float) -> None:
        """Follow the pointer to a time in s."""
        self._document.preview(
            handle_moved(self._document.committed, self._trial, self.handle, time + self._offset)
        )

    def finish(self) -> None:
        """Make the edit; one gesture, one entry in the Undo menu."""
        self._document.commit()

    def cancel(self) -> None:
        """Drop it; nothing happened."""
        self._document.abandon()


class DateDrag:
    """A gesture on a date of the accounts; numbers follow while it moves."""

    def __init__(self, document: Document, place: int) -> None:
        self._document, self._place = document, place
        assert document.entry is not None  # a date was hit, so there is a trial
        self._trial = document.entry.trial.id

    def move(self, time: float) -> None:
        """Show the accounts with the date at a time in s."""
        document = self._document
        document.preview(date_moved(document.committed, self._trial, self._place, time))

    def finish(self) -> None:
        """Make the edit."""
        self._document.commit()

    def cancel(self) -> None:
        """Put the date back."""
        self._document.abandon()


def date_at(dates: Sequence[Date], time: float, reach: float) -> int | None:
    """Return the place of the date that lies within a reach in s of a time, or None."""
    near = [(abs(d.t - time), k) for k, d in enumerate(dates) if abs(d.t - time) <= reach]
    return min(near)[1] if near else None


class NewSpan:
    """A gesture that marks a new span from where it began to where the pointer is."""

    def __init__(self, document: Document, begun: float) -> None:
        self._document, self._begun = document, begun
        assert document.entry is not None
        self._trial = document.entry.trial.id
        self.name = document.entry.spans.free_name(DEFAULT_SPAN_NAME)

    def move(self, time: float) -> None:
        """Follow the pointer to a time in s."""
        try:
            edit = span_added(self._document.committed, self._trial, self._begun, time)
        except InertianError:  # no length yet
            self._document.abandon()
        else:
            self._document.preview(edit)

    def finish(self) -> bool:
        """Make the edit, if there is one; say whether there was."""
        made = self._document.previewing
        self._document.commit()
        return made

    def cancel(self) -> None:
        """Drop it; nothing happened."""
        self._document.abandon()
