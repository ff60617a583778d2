"""What was marked in a trial, to its saved form and back: steps, frame, spans, readings, curves."""

from dataclasses import replace
from itertools import pairwise
from typing import Any

from inertian.motion.recording.frame import Frame
from inertian.motion.recording.prepared_trial import prepare
from inertian.motion.recording.tidying import TidyStep
from inertian.motion.spans.spans import Span, Spans
from inertian.physics.accounts.statements import Date
from inertian.physics.accounts.typed_entries import TypedEntry
from inertian.physics.definitions.requests import CurveRequest, NamedReading, QuantityRef
from inertian.project.project import Dismissal, Entry
from inertian.project.saved_models import model_of, saved_model
from inertian.project.saved_trends import saved_variable, variable_of
from inertian.project.schema import (
    SavedAmount,
    SavedCurve,
    SavedDate,
    SavedDismissal,
    SavedFrame,
    SavedQuantity,
    SavedReading,
    SavedSpan,
    SavedStep,
    SavedTrial,
    SavedTyped,
)
from inertian.quantities.facts import Fact
from inertian.quantities.units import unit_of


def saved_marks(entry: Entry) -> dict[str, Any]:
    """Return the fields of a saved trial that hold what was marked in it."""
    return {
        "spans": [_saved_span(span) for span in entry.spans],
        "steps": [_saved_step(step) for step in entry.steps],
        "frame": _saved_frame(entry.frame),
        "readings": [_saved_reading(named) for named in entry.named],
        "curves": [_saved_curve(curve) for curve in entry.curves],
        "dates": [SavedDate(name=d.name, t=d.t) for d in entry.dates],
        "typed": [_saved_typed(one) for one in entry.typed],
        "dismissed": [
            SavedDismissal(code=d.code, subject=d.subject, reason=d.reason) for d in entry.dismissed
        ],
        "variables": [saved_variable(name, typed) for name, typed in entry.variables],
        "apart": entry.apart,
        "models": [saved_model(model) for model in entry.models],
    }


def _saved_span(s: Span) -> SavedSpan:
    return SavedSpan(
        name=s.name, kind=s.kind, start=s.start, stop=s.stop, bodies=list(s.bodies), why=s.why
    )


def _saved_step(s: TidyStep) -> SavedStep:
    return SavedStep(
        kind=s.kind,
        runs=list(s.runs),
        body=s.body,
        reason=s.reason,
        threshold=s.threshold,
        on=s.on,
        version=s.version,
        other=s.other,
    )


def _saved_frame(f: Frame) -> SavedFrame:
    return SavedFrame(
        time_zero=f.time_zero,
        origin=f.origin,
        angle=f.angle,
        flipped=[axis for axis in ("x", "y") if axis in f.flipped],
        centre=f.centre,
        zeros=list(f.zeros),
    )


def _saved_reading(n: NamedReading) -> SavedReading:
    return SavedReading(
        name=n.name,
        kind=n.kind,
        shown=_saved_quantity(n.shown),
        body=n.body,
        times=list(n.times),
        span=n.span,
    )


def _saved_curve(c: CurveRequest) -> SavedCurve:
    return SavedCurve(
        shown=_saved_quantity(c.shown),
        body=c.body,
        span=c.span,
        shape=c.shape,
        held=list(c.held),
        formula=c.formula,
        robust=c.robust,
    )


def _quantity(saved: SavedQuantity) -> QuantityRef:
    return QuantityRef(saved.quantity, saved.axis, saved.unit)


def _saved_quantity(shown: QuantityRef) -> SavedQuantity:
    return SavedQuantity(quantity=shown.quantity, axis=shown.axis, unit=shown.si)


def _saved_typed(one: TypedEntry) -> SavedTyped:
    f = one.amount
    amount = SavedAmount(
        kind=f.unit.kind,
        value=f.typed,
        plus_minus=f.plus_minus,
        meaning=f.meaning,
        unit=f.unit.symbol,
    )
    return SavedTyped(name=one.name, law=one.law, at=one.at, amount=amount, reason=one.reason)


def _typed(saved: SavedTrial) -> tuple[TypedEntry, ...]:
    """Entries by hand. Raises InertianError where a unit is none."""
    return tuple(
        TypedEntry(
            one.name,
            one.law,
            one.at,
            Fact(
                one.amount.value,
                one.amount.plus_minus,
                one.amount.meaning,
                unit_of(one.amount.kind, one.amount.unit),
            ),
            one.reason,
        )
        for one in saved.typed
    )


def _dates(saved: SavedTrial) -> tuple[Date, ...]:
    """The dates of a trial's accounts. Raises ValueError where they are not in order."""
    times = [d.t for d in saved.dates]
    if len(times) == 1 or any(two <= one for one, two in pairwise(times)):
        raise ValueError(f"the dates of “{saved.name[:40]}” are not in order of time")
    return tuple(Date(d.name, d.t) for d in saved.dates)


def with_saved_marks(entry: Entry, saved: SavedTrial) -> Entry:
    """Return the entry with everything that was marked in it. Raises InertianError where it cannot
    be.
    """
    f = saved.frame
    frame = Frame(f.time_zero, f.origin, f.angle, tuple(f.flipped), f.centre, tuple(f.zeros))
    steps = tuple(
        TidyStep(s.kind, tuple(s.runs), s.body, s.reason, s.threshold, s.on, s.version, s.other)
        for s in saved.steps
    )
    prepare(entry.trial, steps, frame)  # refuses what does not fit
    return replace(
        entry,
        steps=steps,
        frame=frame,
        spans=Spans(
            Span(s.name, s.kind, s.start, s.stop, tuple(s.bodies), s.why) for s in saved.spans
        ),
        named=tuple(
            NamedReading(n.name, n.kind, _quantity(n.shown), n.body, tuple(n.times), n.span)
            for n in saved.readings
        ),
        curves=tuple(
            CurveRequest(
                _quantity(c.shown), c.body, c.span, c.shape, tuple(c.held), c.formula, c.robust
            )
            for c in saved.curves
        ),
        dates=_dates(saved),
        typed=_typed(saved),
        dismissed=tuple(Dismissal(d.code, d.subject, d.reason) for d in saved.dismissed),
        variables=tuple(variable_of(one) for one in saved.variables),
        apart=saved.apart,
        models=tuple(model_of(one) for one in saved.models),
    )
