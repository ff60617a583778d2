"""What a sensor of force or acceleration gives away beside positions: its sign, its zero, and how
that drifts.
"""

import math
from collections.abc import Iterator
from itertools import pairwise

import numpy as np

from inertian.analysis.second_look.cases import Case, Samples
from inertian.analysis.second_look.notes import Note, Place, Remedy, Severity
from inertian.motion.spans.spans import Span, SpanKind
from inertian.physics.accounts.events import EventKind
from inertian.physics.accounts.gauges import pushed, rests
from inertian.project.history import Edit
from inertian.project.project import Project
from inertian.project.tidying_edits import zero_taken_off
from inertian.quantities.estimates import Array, Mask
from inertian.quantities.rounding import write_estimate, write_shortest

OFFSET_Z, OFFSET_SHARE = 5.0, 0.02  # u, and share of the largest push, that a zero may be off
DRIFT_Z, DRIFT_SHARE = 5.0, 0.04  # the same of how far it drifts through the recording
FEWEST = 8  # quiet readings
SIGN_Z = 6.0  # u by which a sensor must clearly follow, or oppose, the change of velocity
UNIT = {"F": "N", "a": "m/s²", "v": "m/s"}


def _quiet(case: Case, own: Samples) -> Mask:
    """Whether a reading was taken while nothing pushed; (n,)."""
    trial, spans = case.trial, case.entry.spans
    gauge = (own.body, own.axis)
    quiet = np.zeros(len(own.t), dtype=bool)
    if not trial.followed:
        for span in rests(trial, gauge):
            quiet |= (own.t >= span.start) & (own.t <= span.stop)
        return quiet
    contact_event = case.event.kind.contact
    for span in spans:
        # A steady acceleration may be what the sensor measures, unless something is run into
        pushed_all_along = span.kind is SpanKind.ACCELERATION and not contact_event
        if span.kind.steady and not pushed_all_along:
            quiet |= (own.t >= span.start) & (own.t <= span.stop)
    contact = spans.contact
    if contact is not None and own.axis == "F":
        start, stop = pushed(trial, gauge, spans, contact)
        quiet &= (own.t < start) | (own.t > stop)
    return quiet


def _level(t: Array, y: Array) -> tuple[float, float, float, float]:
    """Mean and slope of quiet readings, each with its u, from their own scatter and its
    correlation from one to the next.
    """
    middle = t - t.mean()
    design = np.stack([np.ones(len(t)), middle])
    c, *_ = np.linalg.lstsq(design.T, y, rcond=None)
    left = y - c @ design
    variance = float(left @ left) / max(len(t) - 2, 1)
    together = float(left[1:] @ left[:-1]) / max(float(left @ left), 1e-300)
    wider = (1.0 + max(together, 0.0)) / max(1.0 - max(together, 0.0), 0.05)
    u = math.sqrt(variance * wider)
    return (
        float(c[0]),
        u / math.sqrt(len(t)),
        float(c[1]),
        u / math.sqrt(float(middle @ middle)),
    )


def gauge_zero(case: Case) -> Iterator[Note]:
    """A gauge of force whose quiet readings are not zero by more than 5 u and 2 % of its largest
    push (*gauge-offset*), or change through the recording by more than 5 u and 4 % (*gauge-drift*);
    a line by least squares through what it reads while nothing pushes.
    """
    for own in case.sensors:
        if not own.axis.startswith("F"):
            continue
        quiet = _quiet(case, own)
        if quiet.sum() < FEWEST:
            continue
        zero, u, slope, u_slope = _level(own.t[quiet], own.x[quiet])
        length = float(own.t[quiet][-1] - own.t[quiet][0])
        peak = float(np.max(np.abs(own.x - zero)))
        drift, u_drift = slope * length, u_slope * length
        place = Place(own.body, "", float(own.t[quiet][0]), float(own.t[quiet][-1]))
        drifts = abs(drift) > max(DRIFT_Z * u_drift, DRIFT_SHARE * peak)
        # One that drifts is not zeroed if its zero is off all the way
        ends = (zero - 0.5 * drift, zero + 0.5 * drift) if drifts else (zero, zero)
        off = min(abs(one) for one in ends) if ends[0] * ends[1] > 0.0 else 0.0
        if off > max(OFFSET_Z * u, OFFSET_SHARE * peak):
            written = write_estimate(zero, u, "N")
            yield Note(
                "gauge-offset",
                Severity.MEDIUM,
                f"The gauge {own.axis} reads {written} while nothing pushes: it was not zeroed.",
                {"offset": zero, "u": u},
                place,
                _zeroed(case, own, zero, u),
                f"{own.body} {own.axis}",
                abs(zero) / u,
            )
        if drifts:
            written = write_estimate(drift, u_drift, "N")
            yield Note(
                "gauge-drift",
                Severity.MEDIUM,
                f"The zero of the gauge {own.axis} drifts by {written} in "
                f"{write_shortest(length, 3)} s.",
                {"drift": drift, "u": u_drift},
                place,
                None,
                f"{own.body} {own.axis}",
                abs(drift) / u_drift,
            )


def _zeroed(case: Case, own: Samples, zero: float, u: float) -> Remedy:
    def edit(project: Project) -> Edit:
        return zero_taken_off(project, case.id, own.body, own.axis, zero, u)

    return Remedy("Take the zero off", edit)


def gauge_sign(case: Case) -> Iterator[Note]:
    """A sensor of force or acceleration along x that opposes the motion: over what happens between
    steady spans of its body, Σ Δv ∫ s dt against its own u, by more than 6. A gauge that a bumper
    is on is turned by the account itself.
    """
    if (
        case.event.kind is EventKind.BUMPER
        and case.project.account_choices(case.entry).turned is None
    ):
        skipped = "F"
    else:
        skipped = ""
    for own in case.sensors:
        kind = own.axis[0]
        if (
            kind == skipped
            or kind not in "Fa"
            or own.body not in [b.name for b in case.trial.followed]
        ):
            continue
        if not case.trial.body(own.body).axes or "x" not in case.trial.body(own.body).axes:
            continue
        quiet = _quiet(case, own)
        if quiet.sum() < FEWEST:
            continue
        sigma = _level(own.t[quiet], own.x[quiet])[1] * math.sqrt(float(quiet.sum()))
        total, variance = 0.0, 0.0
        step = float(np.median(np.diff(own.t)))
        for start, stop, dv, level in _pushes(case, own, quiet):
            inside = (own.t >= start - 1e-9) & (own.t <= stop + 1e-9)
            if inside.sum() < 2:
                continue
            area = float(np.trapezoid(own.x[inside] - level, own.t[inside]))
            total += dv * area
            variance += (dv * sigma * step) ** 2 * inside.sum()
        z = total / math.sqrt(variance) if variance > 0.0 else 0.0
        if z < -SIGN_Z:
            what = "force" if kind == "F" else "acceleration"
            yield Note(
                "gauge-sign",
                Severity.HIGH,
                f"The sensor {own.axis} of {own.body} counts the other way than the positions: its "
                f"{what} and the change of velocity have opposite signs, by "
                f"{write_shortest(-z, 2)} u.",
                {"z": z},
                Place(own.body),
                None,
                f"{own.body} {own.axis}",
                -z,
            )


def _pushes(case: Case, own: Samples, quiet: Mask) -> Iterator[tuple[float, float, float, float]]:
    """From when to when the velocity of a sensor's body along x changes, by how much in m/s, and
    what the sensor reads beside it: between steady spans, and in those of steady acceleration.
    """

    def level(spans: list[Span]) -> float | None:
        there = [quiet & (own.t >= s.start) & (own.t <= s.stop) for s in spans]
        read = np.concatenate([own.x[one] for one in there]) if there else own.x[:0]
        return float(np.mean(read)) if read.size else None

    steady = list(case.steady(own.body))
    for (one, before), (two, after) in pairwise(steady):
        beside = level([one, two])
        if two.start >= one.stop - 1e-9 and beside is not None:
            dv = after.fits["x"].at(two.start, 1) - before.fits["x"].at(one.stop, 1)
            yield one.stop, two.start, dv, beside
    at_rest = level([span for span, _ in steady if span.kind is SpanKind.REST])
    for span, fit in steady:
        if span.kind is SpanKind.ACCELERATION and at_rest is not None:
            x = fit.fits["x"]
            yield span.start, span.stop, x.at(span.stop, 1) - x.at(span.start, 1), at_rest


RULES = (gauge_zero, gauge_sign)
