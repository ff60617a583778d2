"""What a strip draws of the trial in hand: samples, bands of ± u, samples set aside, fitted motions
and curves.
"""

from dataclasses import dataclass, field, replace

import numpy as np

from inertian.analysis.series_results import SeriesResult
from inertian.desktop.look import words
from inertian.desktop.look.markers import ALL_TOGETHER
from inertian.desktop.state.document import Document
from inertian.desktop.state.view_state import ViewState, channels_of, has_methods
from inertian.motion.recording.trials import Trial
from inertian.physics.definitions.requests import ADDS_UP, TOTAL, Quantity, QuantityRef
from inertian.physics.evaluation.formula_values import resolved_formula
from inertian.physics.evaluation.trial_context import NoValueError
from inertian.physics.readings.readings import CurveResult
from inertian.project.project import Entry
from inertian.quantities.errors import InertianError
from inertian.quantities.estimates import Array, Rows

PIECE_POINTS = 60  # of a drawn fit: smooth to the eye at any zoom
CURVE_POINTS = 240
Points = tuple[Array, Array]
NOTHING: Points = (np.zeros(0), np.zeros(0))


@dataclass(frozen=True, eq=False)
class Trace:
    """What a strip draws for one body, in the shown unit: samples with optional u, and what is
    drawn over them.

    `pieces` are free motions, `curves` fitted curves; `crosses` are samples set aside with their
    `rows`, `bridged` values drawn through gaps, `rings` samples that a step would set aside.
    """

    body: str
    place: int
    t: Array
    y: Array
    u: Array | None
    pieces: tuple[Points, ...] = ()
    walls: tuple[float, ...] = ()
    curves: tuple[Points, ...] = ()
    reach: tuple[Points, ...] = ()  # between which further samples would lie, two for each curve
    crosses: Points = NOTHING
    cross_rows: Rows = field(default_factory=lambda: np.zeros(0, dtype=np.intp))
    bridged: Points = NOTHING
    rings: Points = NOTHING
    # Raw rows of the samples, where they are not all of them; none of a total
    rows: Rows | None = None

    @property
    def raw_rows(self) -> Rows:
        """The raw rows of the samples."""
        return np.arange(self.t.size) if self.rows is None else self.rows

    @property
    def key(self) -> tuple[str, int, int]:
        """What the drawing of a trace depends on beside its numbers."""
        return self.body, self.place, self.t.size


def traces_of(
    document: Document, view: ViewState, entry: Entry, shown: QuantityRef, fitted: bool = True
) -> tuple[list[Trace], str]:
    """Return the traces of one strip, and why there are fewer than bodies, if so; with `fitted`,
    the motions and curves fitted to them too.
    """
    series = document.evaluator.series(document.project, entry.series) if fitted else None
    factor, found, why = view.factor(shown.unit), [], ""
    for place, body in enumerate(entry.trial.bodies):
        channels = channels_of(body, shown)
        if not any(shown.along in ("", "magnitude", c.axis) for c in channels):
            continue
        if shown.quantity is Quantity.DERIVED and not _of_its_own(
            document, entry, shown, body.name
        ):
            continue
        made = _trace(document, view, entry, shown, body.name, place, series)
        if isinstance(made, InertianError):
            why = str(made)
        else:
            found.append(made if factor == 1.0 else _in_unit(made, factor))
    if found and not why and has_methods(shown) and shown in view.methods:
        why = words.METHODS_SAID[view.methods[shown]]
    if shown.quantity in ADDS_UP and len(found) > 1:
        total = document.evaluator.band(document.project, entry, shown, TOTAL)
        if not isinstance(total, InertianError):
            walls = entry.spans.walls()
            nothing, t = np.full(len(entry.trial.t), -1), entry.used_trial.t
            made = Trace(words.ALL_BODIES, ALL_TOGETHER, t, *total, walls=walls, rows=nothing)
            found.append(made if factor == 1.0 else _in_unit(made, factor))
    return found, why


def _of_its_own(document: Document, entry: Entry, shown: QuantityRef, body: str) -> bool:
    """Whether a formula says something of a body that it does not say of the first one as well."""
    first = entry.trial.bodies[0].name
    if body == first:
        return True
    context = document.evaluator.trial_context(document.project, entry)
    try:
        return (
            resolved_formula(context, shown.axis, body).needed
            != resolved_formula(context, shown.axis, first).needed
        )
    except NoValueError:
        return True


def _trace(
    document: Document,
    view: ViewState,
    entry: Entry,
    shown: QuantityRef,
    body: str,
    place: int,
    series: SeriesResult | None,
) -> Trace | InertianError:
    trial = entry.used_trial
    raw = shown.quantity in (Quantity.POSITION, Quantity.SENSOR)
    if raw and shown.axis != "magnitude":
        y, u = _channel(entry.used_trial, body, shown), None
    else:
        by = view.methods.get(shown) if has_methods(shown) else None
        band = (
            document.evaluator.differences(document.project, entry, shown, body, by)
            if by
            else document.evaluator.band(document.project, entry, shown, body)
        )
        if isinstance(band, InertianError):
            return band
        y, u = band
    fitted = [
        result
        for result in (document.evaluator.curves(document.project, entry) if series else ())
        if not isinstance(result, InertianError)
        and (result.request.shown, result.request.body) == (shown, body)
    ]
    trace = Trace(
        body,
        place,
        trial.t,
        y,
        u,
        _pieces(series, trial.id, body, shown) if series else (),
        entry.spans.of(body).walls(),
        tuple(_curve(entry, result) for result in fitted),
    )
    if not raw:
        return trace
    reach = tuple(line for result in fitted for line in _reach(entry, result))
    return replace(_with_excluded(trace, view, entry, shown), reach=reach)


def _with_excluded(trace: Trace, view: ViewState, entry: Entry, shown: QuantityRef) -> Trace:
    """A trace with what is set aside, bridged, or about to be set aside."""
    t, ready, body = entry.used_trial.t, entry.prepared, trace.body
    gone = ready.aside.get(body, NOTHING[0].astype(np.intp))
    whole = _channel(ready.whole, body, shown)
    bridge = ready.bridges.get((body, shown.axis))
    ringed = [p.rows for p in view.previews if p.body == body]
    rings = np.concatenate(ringed) if ringed else gone[:0]
    return replace(
        trace,
        crosses=(t[gone], whole[gone]),
        cross_rows=gone,
        bridged=(t[ready.bridged[body]], bridge) if bridge is not None else NOTHING,
        rings=(t[rings], whole[rings]),
    )


def _channel(trial: Trial, body: str, shown: QuantityRef) -> Array:
    found = trial.body(body)
    channels = found.sensors if shown.quantity is Quantity.SENSOR else found.channels
    return next(c.si for c in channels if c.axis == shown.axis)


def _pieces(series: SeriesResult, trial: str, body: str, shown: QuantityRef) -> tuple[Points, ...]:
    """The free motions over the spans, where the strip shows what they are of."""
    if shown.quantity not in (Quantity.POSITION, Quantity.VELOCITY):
        return ()
    pieces = []
    for fit in series.fits(trial):
        if fit.body != body or shown.axis not in fit.fits:
            continue
        a = series.glide.values.get(body, 0.0) if fit.moving else 0.0
        t = np.linspace(fit.span.start, fit.span.stop, PIECE_POINTS)
        moving = shown.quantity is Quantity.VELOCITY
        pieces.append(
            (t, fit.velocity_at(shown.axis, t, a) if moving else fit.curve(shown.axis, t, a))
        )
    return tuple(pieces)


def _curve(entry: Entry, result: CurveResult) -> Points:
    span = entry.spans.named(result.request.span)
    t = np.linspace(span.start, span.stop, CURVE_POINTS)
    return t, result.fit.curve(t)


def _reach(entry: Entry, result: CurveResult) -> tuple[Points, Points]:
    span = entry.spans.named(result.request.span)
    t = np.linspace(span.start, span.stop, CURVE_POINTS)
    low, high = result.reach(t)
    return (t, low), (t, high)


def residual_traces(
    document: Document, view: ViewState, entry: Entry, shown: QuantityRef
) -> list[Trace]:
    """Return the residuals of all curves fitted to a quantity, sample minus curve, in the shown
    unit.
    """
    found, factor = [], view.factor(shown.unit)
    places = {body.name: k for k, body in enumerate(entry.trial.bodies)}
    for result in document.evaluator.curves(document.project, entry):
        if (
            isinstance(result, InertianError)
            or result.request.shown != shown
            or result.request.body == TOTAL
        ):
            continue
        body = result.request.body
        rows = np.searchsorted(entry.trial.t, result.fit.t)
        reach = tuple((t, factor * (y - result.fit.curve(t))) for t, y in _reach(entry, result))
        reach = reach if np.isfinite(result.spread) else ()
        found.append(
            Trace(
                body,
                places[body],
                result.fit.t,
                factor * result.fit.residuals,
                None,
                reach=reach,
                rows=rows,
            )
        )
    return found


def _in_unit(trace: Trace, factor: float) -> Trace:
    def points(of: Points) -> Points:
        return of[0], of[1] * factor

    return Trace(
        trace.body,
        trace.place,
        trace.t,
        trace.y * factor,
        None if trace.u is None else trace.u * factor,
        tuple(points(p) for p in trace.pieces),
        trace.walls,
        tuple(points(p) for p in trace.curves),
        tuple(points(p) for p in trace.reach),
        points(trace.crosses),
        trace.cross_rows,
        points(trace.bridged),
        points(trace.rings),
        trace.rows,
    )
