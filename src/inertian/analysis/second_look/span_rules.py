"""What spans give away: that they hold more than free motion, reach into a contact, hold too few
samples, or that a contact is marked far too wide.
"""

from collections.abc import Iterator
from dataclasses import replace

from inertian.analysis.second_look.cases import Case
from inertian.analysis.second_look.notes import Note, Place, Remedy, Severity
from inertian.analysis.series_results import without_touch
from inertian.motion.fits.free_motion import BodyFit, FreeMotion
from inertian.motion.numerics.residuals import PATTERN_Z
from inertian.motion.spans.span_suggestion import suggest_spans
from inertian.motion.spans.spans import Span, SpanKind, Spans
from inertian.physics.accounts.events import EventKind
from inertian.project.edits import edge_moved
from inertian.project.history import Edit
from inertian.project.project import Project
from inertian.quantities.errors import InertianError
from inertian.quantities.rounding import write_estimate, write_shortest

STRUCTURED_Z = 6.0  # normal deviates (von Neumann's ratio) from which a pattern is told
ABOVE_STEP = 0.6  # of the step of a recording: residuals below it are rounding
CUTS = (0.08, 0.16, 0.24, 0.32, 0.4)  # shares of a span that are cut off an end to straighten it
FEW = 5  # samples below which a fit says little
REACHES = 1.5  # steps by which a span must reach into an event
TOO_WIDE, WIDER_BY = 3.0, 10.0  # times its found length, and steps, that a contact is wider
FAR_OFF = 3  # samples left out of a fit, from which it is told
GROWS_Z = 6.0  # u of an acceleration along the motion, where nothing pushes


def found_spans(case: Case) -> Spans:
    """Return what the finder finds in the trial as it counts now."""
    return case.evaluator.remembered(
        case.trial, "spans that are found", lambda: suggest_spans(case.trial)
    )


def structured_spans(case: Case) -> Iterator[Note]:
    """A steady span whose residuals about a parabola follow a pattern by more than 6 normal
    deviates (von Neumann's ratio): *span-holds-event* where the finder finds an event inside,
    *curved-ends* where up to 40 % cut off one end take the pattern away, else
    *structured-residuals*.
    """
    if without_touch(case.entry) or case.event.kind is EventKind.SPINNING:
        return
    told: set[str] = set()
    for body in case.trial.followed:
        for span, fit in case.steady(body.name):
            z = max((fit.pattern(axis) for axis in fit.fits), default=0.0)
            if (
                z > STRUCTURED_Z
                and _shows(case, fit)
                and span.kind is not SpanKind.GLIDE
                and span.name not in told
            ):
                told.add(span.name)
                yield _structured(case, span, fit, z)


def _shows(case: Case, fit: BodyFit) -> bool:
    """Whether residuals are larger than what the steps of the recording leave by themselves."""
    for axis, own in fit.fits.items():
        step = case.trial.body(fit.body).channel(axis).resolution
        if own.sum_of_squares > own.dof * (ABOVE_STEP * step) ** 2:
            return True
    return False


def _structured(case: Case, span: Span, fit: BodyFit, z: float) -> Note:
    evidence = {"z": z}
    place = Place(fit.body, span.name, span.start, span.stop)
    step = case.trial.step()
    for event in found_spans(case):
        reach = min(event.stop, span.stop) - max(event.start, span.start)
        if event.kind.event and reach > REACHES * step:
            left = event.start - span.start >= span.stop - event.stop
            edge, time = ("stop", event.start) if left else ("start", event.stop)
            return Note(
                "span-holds-event",
                Severity.HIGH,
                f"“{span.name}” of {fit.body} holds a {event.kind} at "
                f"{write_shortest(0.5 * (event.start + event.stop), 4)} s; a fit must not reach "
                "across it.",
                {**evidence, "event": str(event.kind), "t0": event.start, "t1": event.stop},
                replace(place, t0=event.start, t1=event.stop),
                _moved(case, span.name, edge, time, f"End “{span.name}” before it" if left else
                       f"Begin “{span.name}” after it"),
                span.name,
                z,
            )  # fmt: skip
    cut = _straightened(case, span, fit)
    if cut is not None:
        edge, time, share = cut
        side = "end" if edge == "stop" else "beginning"
        return Note(
            "curved-ends",
            Severity.MEDIUM,
            f"“{span.name}” of {fit.body} bends at its {side}: without {round(100 * share)} % of "
            "it, residuals scatter as they should.",
            {**evidence, "share": share, "t": time},
            replace(place, t0=min(time, span.stop), t1=span.stop)
            if edge == "stop"
            else replace(place, t0=span.start, t1=time),
            _moved(case, span.name, edge, time, f"Leave the {side} out"),
            span.name,
            z,
        )
    return Note(
        "structured-residuals",
        Severity.MEDIUM,
        f"“{span.name}” of {fit.body}: the samples do not scatter about the fit, they follow a "
        f"pattern ({write_shortest(z, 2)} normal deviates): the motion is not what is fitted.",
        evidence,
        place,
        None,
        span.name,
        z,
    )


def _moved(case: Case, span: str, edge: str, time: float, text: str) -> Remedy:
    def edit(project: Project) -> Edit:
        return edge_moved(project, case.id, span, edge, time)

    return Remedy(text, edit)


def _straightened(case: Case, span: Span, fit: BodyFit) -> tuple[str, float, float] | None:
    """The edge to move, where to, and how much of the span goes, so that no pattern is left."""
    for share in CUTS:
        best: tuple[float, str, float] | None = None
        for edge in ("start", "stop"):
            cut = share * span.length
            time = span.start + cut if edge == "start" else span.stop - cut
            first = edge == "start"
            shorter = replace(
                span, start=time if first else span.start, stop=span.stop if first else time
            )
            try:
                made = case.evaluator.fit(
                    case.trial, fit.body, shorter, FreeMotion.PARABOLA, alone=True
                )
            except InertianError:
                continue
            z = max(made.pattern(axis) for axis in made.fits)
            if z < 0.5 * PATTERN_Z and (best is None or z < best[0]):
                best = z, edge, time
        if best is not None:
            return best[1], best[2], share
    return None


def few_samples(case: Case) -> Iterator[Note]:
    """A span beside the contact with fewer than 5 samples of a body that moves."""
    if case.entry.spans.contact is None:
        return
    for fit in case.series.fits(case.id):
        count = min(own.count for own in fit.fits.values())
        if count < FEW and fit.moving:
            yield Note(
                "few-samples",
                Severity.LOW,
                f"“{fit.span.name}” holds {count} samples of {fit.body}: a speed from so few is "
                "hardly known.",
                {"count": float(count)},
                Place(fit.body, fit.span.name, fit.span.start, fit.span.stop),
                None,
                f"{fit.body} {fit.span.name}",
                float(FEW - count),
            )


def wide_contact(case: Case) -> Iterator[Note]:
    """A contact that is marked more than 3 times as wide as it is found, and by 10 steps."""
    contact = case.entry.spans.contact
    if contact is None or contact.kind is not SpanKind.CONTACT:
        return
    step = case.trial.step()
    if contact.length < WIDER_BY * step:
        return
    found = found_spans(case).contact
    if found is None or not (contact.start <= found.start and found.stop <= contact.stop):
        return
    if contact.length < max(TOO_WIDE * found.length, found.length + WIDER_BY * step):
        return

    def edit(project: Project) -> Edit:
        made = edge_moved(project, case.id, contact.name, "start", found.start)
        made = edge_moved(made.project, case.id, contact.name, "stop", found.stop)
        return Edit(f"Narrow “{contact.name}”", made.project)

    yield Note(
        "contact-wide",
        Severity.LOW,
        f"“{contact.name}” lasts {write_shortest(contact.length, 3)} s, but the bodies touch for "
        f"about {write_shortest(found.length, 2)} s: what friction does in the rest is only "
        "estimated.",
        {"length": contact.length, "found": found.length},
        Place("", contact.name, contact.start, contact.stop),
        Remedy(f"Narrow “{contact.name}”", edit),
        contact.name,
        contact.length / max(found.length, step),
    )


def energy_grows(case: Case) -> Iterator[Note]:
    """The only body of a trial without an event is accelerated along its motion by more than 6 u,
    and nothing is named that does it.
    """
    if case.event.kind is not EventKind.NONE or len(case.trial.followed) != 1:
        return
    body = case.trial.followed[0].name
    for span, fit in case.steady(body):
        for own in fit.fits.values():
            if fit.stray or own.dof < FEW:
                continue
            v, a = own.at(own.t0, 1), own.at(own.t0, 2)
            sigma = (own.sum_of_squares / own.dof) ** 0.5
            weights = own.weights(own.t0, 2).values
            u = sigma * float((weights @ weights) ** 0.5)
            ends = own.at(span.start, 1), own.at(span.stop, 1)
            if u > 0.0 and a * v > 0.0 and abs(a) > GROWS_Z * u and ends[0] * ends[1] > 0.0:
                yield Note(
                    "energy-grows",
                    Severity.LOW,
                    f"{body} speeds up by {write_estimate(abs(a), u, 'm/s²')} in “{span.name}”, "
                    "and nothing is named that gives it energy.",
                    {"acceleration": a, "u": u},
                    Place(body, span.name, span.start, span.stop),
                    None,
                    span.name,
                    abs(a) / u,
                )
                return


def far_off(case: Case) -> Iterator[Note]:
    """Samples that a fit of a long recording leaves out, as they are far off (`condensed_samples`);
    they are not set aside.
    """
    for fit in case.series.fits(case.id):
        if fit.left_out >= FAR_OFF:
            yield Note(
                "far-off",
                Severity.LOW,
                f"{fit.left_out} samples of {fit.body} in "
                f"“{fit.span.name}” lie so far off that they are left out of the fit. Set them "
                "aside if you know why.",
                {"count": float(fit.left_out)},
                Place(fit.body, fit.span.name, fit.span.start, fit.span.stop),
                None,
                f"{fit.body} {fit.span.name}",
                float(fit.left_out),
            )


RULES = (structured_spans, few_samples, wide_contact, energy_grows, far_off)
