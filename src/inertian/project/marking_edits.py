"""Edits of what is marked in a trial: spans, named readings, fitted curves."""

from collections.abc import Iterable
from dataclasses import replace

from inertian.motion.spans.spans import Span, SpanError, SpanKind, Spans
from inertian.physics.definitions.formula_resolution import meaning_in_formulas
from inertian.physics.definitions.requests import CurveRequest, NamedReading
from inertian.project.history import Edit
from inertian.project.project import Entry, Project
from inertian.quantities.errors import Refusal

DEFAULT_SPAN_NAME = "span"


def _respanned(project: Project, entry: Entry, spans: Spans, name: str) -> Edit:
    if spans == entry.spans:
        return Edit(name, project)
    return Edit(name, project.with_entry(replace(entry, spans=spans)))


def span_added(
    project: Project,
    trial: str,
    start: float,
    stop: float,
    name: str = "",
    kind: SpanKind = SpanKind.FREE,
    bodies: tuple[str, ...] = (),
) -> Edit:
    """Mark a new span from start to stop in s, clipped to the recording; without a name it gets a
    free one.

    Raises SpanError if nothing is left of it.
    """
    entry = project.entry(trial)
    low, high = float(entry.trial.t[0]), float(entry.trial.t[-1])
    free = entry.spans.free_name(name or DEFAULT_SPAN_NAME)
    span = Span(free, kind, max(min(start, stop), low), min(max(start, stop), high), bodies)
    return _respanned(project, entry, Spans((*entry.spans, span)).in_order(), f"Mark “{free}”")


def span_removed(project: Project, trial: str, name: str) -> Edit:
    """Take a span away; curves and readings over it go with it."""
    entry = project.entry(trial)
    curves = tuple(c for c in entry.curves if c.span != name)
    named = tuple(n for n in entry.named if n.span != name)
    entry = replace(entry, spans=entry.spans.without(name), curves=curves, named=named)
    return Edit(f"Remove “{name}”", project.with_entry(entry))


def span_renamed(project: Project, trial: str, name: str, new: str) -> Edit:
    """Give a span another name; curves and readings over it follow. Raises SpanError if the name is
    taken or empty.
    """
    entry = project.entry(trial)
    new = new.strip()
    if new == name:
        return Edit("Rename", project)
    if not new:
        raise SpanError(name, "a span needs a name.")
    if any(s.name == new for s in entry.spans):
        raise SpanError(name, f"there is a span “{new}” already.")
    renamed = replace(entry.spans.named(name), name=new)
    # A span called contact is one
    told = next((kind for kind in SpanKind if kind == new.lower()), None)
    spans = entry.spans.replacing(name, renamed if told is None else replace(renamed, kind=told))
    curves = tuple(replace(c, span=new) if c.span == name else c for c in entry.curves)
    named = tuple(replace(n, span=new) if n.span == name else n for n in entry.named)
    entry = replace(entry, spans=spans, curves=curves, named=named)
    return Edit(f"Rename “{name}” to “{new}”", project.with_entry(entry))


def span_kind_set(project: Project, trial: str, name: str, kind: SpanKind) -> Edit:
    """Say what happens in a span; the steady spans beside a new event step back from it."""
    entry = project.entry(trial)
    changed = replace(entry.spans.named(name), kind=kind)
    spans = entry.spans.replacing(name, changed)
    if kind.event:
        spans = Spans(_beside(span, changed) for span in spans)
    return _respanned(project, entry, spans, f"“{name}” is: {kind}")


def _beside(span: Span, event: Span) -> Span:
    """A steady span that no longer reaches into an event, as long as something is left of it."""
    if not span.kind.steady or span.stop <= event.start or span.start >= event.stop:
        return span
    if span.start < event.start:
        return replace(span, stop=event.start)
    return replace(span, start=event.stop) if span.stop > event.stop else span


def span_split(project: Project, trial: str, name: str) -> Edit:
    """Give each body a span of its own in place of a shared one, or put the split ones together
    again.
    """
    entry = project.entry(trial)
    span = entry.spans.named(name)
    bodies = [b.name for b in entry.trial.followed]
    if span.bodies or len(bodies) < 2:
        return Edit("Split a span", project)
    spans = entry.spans.without(name)
    for body in bodies:
        spans = Spans(
            (*spans, replace(span, name=spans.free_name(f"{name} ({body})"), bodies=(body,)))
        )
    return _respanned(project, entry, spans.in_order(), f"Split “{name}” by body")


def copied_span(span: Span, source: Spans, target: Spans, limits: tuple[float, float]) -> Span:
    """Return a span as it lies in another trial: as far from its contact, on the same side.

    Raises SpanError if it would lie outside the other recording.
    """
    one, other = source.contact, target.contact
    shift = 0.0
    if one is not None and other is not None:
        after = span.start >= one.stop - 1e-9
        shift = other.stop - one.stop if after else other.start - one.start
    start, stop = max(span.start + shift, limits[0]), min(span.stop + shift, limits[1])
    return replace(span, start=start, stop=stop)


def span_copied(project: Project, source: str, name: str, targets: Iterable[str]) -> Edit:
    """Copy a span to other trials, aligned to each one's own contact; one of that name is
    replaced.
    """
    origin = project.entry(source)
    span, count = origin.spans.named(name), 0
    for trial in targets:
        entry = project.entry(trial)
        others = entry.spans.without(name)
        aligned = others if others.contact or span.kind is not SpanKind.CONTACT else entry.spans
        try:
            limits = (float(entry.trial.t[0]), float(entry.trial.t[-1]))
            new = copied_span(
                span, origin.spans, aligned if aligned.contact else entry.spans, limits
            )
        except SpanError:
            continue
        project = project.with_entry(replace(entry, spans=Spans((*others, new)).in_order()))
        count += 1
    return Edit(f"Copy “{name}” to {count} trials", project)


def reading_named(project: Project, trial: str, named: NamedReading) -> Edit:
    """Keep a reading as a result of the trial; one of the same name is replaced. Raises Refusal for
    a name that formulas understand as something else.
    """
    entry = project.entry(trial)
    meaning = meaning_in_formulas(
        named.name,
        tuple(body.name for body in entry.trial.bodies),
        {sensor.axis for body in entry.trial.bodies for sensor in body.sensors},
        {quantity.symbol for quantity in project.derived},
    )
    if meaning is not None:
        raise Refusal(
            f"“{named.name}” already means something in formulas: {meaning}. Choose another name."
        )
    others = tuple(n for n in entry.named if n.name != named.name)
    return Edit(f"Name “{named.name}”", project.with_entry(replace(entry, named=(*others, named))))


def reading_forgotten(project: Project, trial: str, name: str) -> Edit:
    """Take a named reading away."""
    entry = project.entry(trial)
    left = tuple(n for n in entry.named if n.name != name)
    return Edit(f"Forget “{name}”", project.with_entry(replace(entry, named=left)))


def curve_added(project: Project, trial: str, asked: CurveRequest) -> Edit:
    """Fit a curve over a span; one of the same shape there, of the same quantity, is replaced."""
    entry = project.entry(trial)
    others = tuple(c for c in entry.curves if replace(c, held=()) != replace(asked, held=()))
    return Edit(f"Fit a {asked.shape}", project.with_entry(replace(entry, curves=(*others, asked))))


def curves_removed(
    project: Project, trial: str, which: Iterable[CurveRequest] | None = None
) -> Edit:
    """Take fitted curves away: all of them, or some."""
    entry = project.entry(trial)
    gone = set(entry.curves if which is None else which)
    if not gone:
        return Edit("Remove fits", project)
    left = tuple(c for c in entry.curves if c not in gone)
    return Edit(
        "Remove fits" if len(gone) > 1 else "Remove a fit",
        project.with_entry(replace(entry, curves=left)),
    )
