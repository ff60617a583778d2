"""From when to when a constant force acts, as positions tell it: a steady motion, a constant
acceleration, and a steady motion again, fitted together.
"""

from dataclasses import dataclass

import numpy as np

from inertian.motion.fits.curve_shapes import CurveShape, shape_definition
from inertian.motion.fits.curves import CurveError, fit_curve
from inertian.motion.fits.polynomial_fits import TooFewSamplesError
from inertian.motion.spans.spans import Span
from inertian.physics.definitions.requests import Quantity, QuantityRef
from inertian.physics.evaluation.quantity_values import quantity_values
from inertian.physics.evaluation.trial_context import LeftOut, TrialContext
from inertian.quantities.estimates import Array, Estimate

# τ counts from the first sample; the push acts from p to q, f slows down after it
PUSHED = "x_0 + v t + a ((t-p+abs(t-p))^2 - (t-q+abs(t-q))^2)/8 - f (t-q+abs(t-q))^2/8"
SYMBOLS = [p.symbol for p in shape_definition(CurveShape.FORMULA, PUSHED).parameters]
BESIDE = 1.5  # times the length of a push, that is looked at on either side of it
UNSURE = 0.15  # of the length of a span, that its edges may be off where no constant push fits
EDGE = "where a push begins or ends"


@dataclass(frozen=True)
class PushEdges:
    """When a push begins and ends in s, as estimates, and the acceleration in m/s² meanwhile; None
    where no constant push fits.
    """

    start: Estimate
    stop: Estimate
    rate: Estimate | None = None


def push_edges(context: TrialContext, body: str, axis: str, span: Span) -> PushEdges:
    """Return the edges of a push that a span holds; where no constant push fits, those of the
    span.
    """
    fitted = _fitted(context, body, axis, span)
    if fitted is not None:
        return fitted
    found = []
    for side, time in ((-1, span.start), (1, span.stop)):
        edge = LeftOut(EDGE, f"trial {context.trial.id}", (round(span.start * 1e6), side))
        found.append(Estimate(time, {}, {edge: UNSURE * span.length}))
    return PushEdges(*found)


def _fitted(context: TrialContext, body: str, axis: str, span: Span) -> PushEdges | None:
    low, high = span.start - BESIDE * span.length, span.stop + BESIDE * span.length
    others = [s for s in context.spans.of(body) if s.kind.event and s != span]
    low = max([low, *(s.stop for s in others if s.stop <= span.start)])
    high = min([high, *(s.start for s in others if s.start >= span.stop)])
    t = context.trial.t
    rows = np.arange(int(np.searchsorted(t, low)), int(np.searchsorted(t, high, "right")))
    shown = QuantityRef(Quantity.POSITION, axis)
    whole = quantity_values(context, shown, body, t[rows], rows)
    good = np.flatnonzero(np.isfinite(whole.values))
    if len(good) < len(SYMBOLS) + 2:
        return None
    first = _first(whole.times, whole.values, span)
    begin = float(whole.times[0])
    try:
        one = fit_curve(
            whole.times, whole.values, CurveShape.FORMULA, begin, formula=PUSHED, first=first
        )
    except (CurveError, TooFewSamplesError):
        return None
    told = []
    for name, zero in (("p", begin), ("q", begin), ("a", 0.0)):
        place, c = SYMBOLS.index(name), np.zeros(len(rows))
        c[good] = one.operator[place]
        told.append(whole.estimate(c, zero + float(one.values[place])))
    inside = low <= told[0].value < told[1].value <= high
    return PushEdges(told[0], told[1], told[2]) if inside and not one.curves else None


def _first(t: Array, x: Array, span: Span) -> dict[str, float]:
    """Where to begin: lines before and after, and edges some way inside the span."""
    margin = UNSURE * span.length
    known = np.isfinite(x)
    slopes = []
    for side in (t < span.start, t > span.stop):
        own = side & known
        slopes.append(np.polyfit(t[own], x[own], 1) if own.sum() > 2 else np.array([0.0, 0.0]))
    before, after = float(slopes[0][0]), float(slopes[1][0])
    p, q = span.start + margin - t[0], span.stop - margin - t[0]
    return {
        "x_0": float(x[known][0]),
        "v": before,
        "a": (after - before) / (q - p),
        "p": float(p),
        "q": float(q),
        "f": 0.0,
    }
