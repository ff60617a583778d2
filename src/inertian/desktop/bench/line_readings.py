"""What is read at the plumb line, as text: value ± and local slope of every body in a strip."""

import html

from inertian.desktop.look import words
from inertian.desktop.look.number_format import format_estimate as written
from inertian.desktop.state.document import Document
from inertian.desktop.state.view_state import ViewState, channels_of
from inertian.physics.definitions.reading_units import rate_unit
from inertian.physics.definitions.requests import NamedReading, QuantityRef, ReadingKind
from inertian.physics.readings.nonlinear_intervals import interval_if_nonlinear
from inertian.physics.readings.readings import at_moment, scalars
from inertian.project.project import Entry
from inertian.quantities.coverage import Scalar
from inertian.quantities.errors import InertianError


def readings_at(
    document: Document, entry: Entry, shown: QuantityRef, body: str, time: float
) -> dict[ReadingKind, Scalar] | InertianError:
    """Return value and slope of a body's quantity at a time in s, as far as there are samples for
    them.
    """
    context = document.evaluator.trial_context(document.project, entry)
    try:
        found = at_moment(context, shown, body, time)
        together = scalars(context, {str(kind): one for kind, one in found.items()})
    except InertianError as error:
        return error
    request = {kind: NamedReading("", kind, shown, body, (time,)) for kind in found}
    return {
        kind: interval_if_nonlinear(context, request[kind], together[str(kind)]) for kind in found
    }


def readings_text(view: ViewState, shown: QuantityRef, found: dict[ReadingKind, Scalar]) -> str:
    """Return value and slope in the shown unit, each with ± and unit."""
    factor, unit = view.factor(shown.unit), view.unit(shown.unit)
    if ReadingKind.VALUE not in found:
        return words.NO_VALUE_HERE
    one = found[ReadingKind.VALUE]
    value = written(factor * one.value, factor * one.u, unit)
    if ReadingKind.SLOPE not in found:
        return value
    rate = found[ReadingKind.SLOPE]
    per_second = rate_unit(shown.unit) if factor == 1.0 else f"{unit}/s"
    return words.LINE_READING.format(
        value=value, slope=written(factor * rate.value, factor * rate.u, per_second)
    )


def flag_text(
    document: Document, view: ViewState, entry: Entry, shown: QuantityRef, time: float
) -> str:
    """Return what a strip says at the plumb line, as rich text, one line for each body."""
    lines = []
    for body in entry.trial.bodies:
        channels = channels_of(body, shown)
        if not any(shown.along in ("", "magnitude", c.axis) for c in channels):
            continue
        found = readings_at(document, entry, shown, body.name, time)
        if not isinstance(found, InertianError):
            lines.append(
                f"<b>{html.escape(body.name[:18])}</b>&nbsp; {readings_text(view, shown, found)}"
            )
    if lines and shown in view.methods:  # what is drawn are differences
        lines.append(words.LINE_BY_FITS)
    return "<br>".join(lines)
