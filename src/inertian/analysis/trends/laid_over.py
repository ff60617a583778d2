"""Trials laid over one another: a quantity of all of them on one time axis, with the same moment at
zero, to the fraction of a sample; their mean with its band, and the one that lies apart.
"""

from collections.abc import Sequence
from dataclasses import dataclass
from enum import StrEnum
from itertools import pairwise

import numpy as np

from inertian.analysis.evaluation import Evaluator
from inertian.motion.numerics.outliers import MEDIAN_TO_SIGMA
from inertian.motion.spans.spans import SpanKind
from inertian.physics.accounts.encounters import contact_moment
from inertian.physics.definitions.requests import Quantity, QuantityRef
from inertian.project.project import Entry, Project
from inertian.quantities.errors import InertianError
from inertian.quantities.estimates import Array

PLACES = 400  # of the mean curve
SHARE = 0.5  # of the trials, that have to reach where a mean is drawn, if all reach nowhere
CLEAR = 3.0  # times its u: a velocity that is surely not zero
FIRST_SAMPLES = 8  # after a rest, that tell when it ended
APART = 4.5  # robust standard deviations, beyond which a trial lies apart from the others
FEWEST = 4  # trials, of which one can lie apart
LEAST_SPREAD = 0.02  # of the size of the mean: closer trials do not make another lie apart


class Anchor(StrEnum):
    """What stands at time zero."""

    CONTACT = "contact"
    RELEASE = "release"
    TURN = "turning point"
    START = "start of the recording"


@dataclass(frozen=True, eq=False)
class LaidCurve:
    """One trial: times from the moment at zero in s, values in SI, and by how many robust standard
    deviations it lies apart from the mean.
    """

    trial: str
    name: str
    t: Array
    values: Array
    away: float = 0.0

    @property
    def apart(self) -> bool:
        """Whether it stands out."""
        return self.away > APART


@dataclass(frozen=True, eq=False)
class LaidOver:
    """All trials, the mean with the standard deviation of the trials about it, and those that have
    no such moment, with the reason.
    """

    curves: tuple[LaidCurve, ...]
    t: Array
    mean: Array
    spread: Array
    count: Array
    missing: tuple[str, ...]


def anchors_of(entries: Sequence[Entry]) -> tuple[Anchor, ...]:
    """Return what may stand at zero in these trials, the most telling first."""
    kinds = {span.kind for e in entries for span in e.spans}
    found = []
    if any(e.spans.contact is not None for e in entries):
        found.append(Anchor.CONTACT)
    if SpanKind.REST in kinds:
        found.append(Anchor.RELEASE)
    if SpanKind.TURN in kinds:
        found.append(Anchor.TURN)
    return (*found, Anchor.START)


def laid_over(
    project: Project,
    evaluator: Evaluator,
    entries: Sequence[Entry],
    shown: QuantityRef,
    body: str,
    anchor: Anchor,
    scaled: bool = False,
) -> LaidOver:
    """Return a quantity of a body of all trials, with one moment at zero; `scaled` to its largest
    size in each trial.
    """
    curves, missing = [], []
    for entry in entries:
        own = body if body in [b.name for b in entry.trial.bodies] else ""
        band = (
            evaluator.band(project, entry, shown, own)
            if own or len(entry.trial.bodies) == 0
            else None
        )
        zero = moment_of(project, evaluator, entry, own, anchor)
        if band is None or isinstance(band, InertianError) or zero is None:
            missing.append(entry.trial.name)
            continue
        values = np.array(band[0], dtype=float)
        if scaled:
            largest = float(np.nanmax(np.abs(values), initial=0.0))
            values = values / (largest or 1.0)
        curves.append(
            LaidCurve(entry.trial.id, entry.trial.name, entry.used_trial.t - zero, values)
        )
    return _with_mean(curves, tuple(missing))


def _with_mean(curves: Sequence[LaidCurve], missing: tuple[str, ...]) -> LaidOver:
    if not curves:
        none = np.zeros(0)
        return LaidOver((), none, none, none, none, missing)
    low = min(float(c.t[0]) for c in curves)
    high = max(float(c.t[-1]) for c in curves)
    t = np.linspace(low, high, PLACES)
    whole = np.array([_at(c, t) for c in curves])
    count = np.isfinite(whole).sum(axis=0)
    # Where a trial begins or ends, a mean over those that are left would jump
    all_reach = count == len(curves)
    enough = all_reach if all_reach.any() else count >= max(SHARE * len(curves), 1)
    with np.errstate(all="ignore"):
        total = np.where(np.isfinite(whole), whole, 0.0)
        mean = np.where(enough, total.sum(axis=0) / np.maximum(count, 1), np.nan)
        square = np.where(np.isfinite(whole), (whole - mean) ** 2, 0.0).sum(axis=0)
        spread = np.where(enough & (count > 1), np.sqrt(square / np.maximum(count - 1, 1)), np.nan)
    return LaidOver(_told_apart(curves, whole), t, mean, spread, count, missing)


def _at(curve: LaidCurve, t: Array) -> Array:
    """A curve at other times: straight between neighbouring samples, nothing across what is
    missing, or beyond its ends.
    """
    if len(curve.t) < 2:
        return np.full(len(t), np.nan)
    after = np.clip(np.searchsorted(curve.t, t), 1, len(curve.t) - 1)
    before = after - 1
    share = (t - curve.t[before]) / (curve.t[after] - curve.t[before])
    inside = (share >= 0.0) & (share <= 1.0)
    found = (1.0 - share) * curve.values[before] + share * curve.values[after]
    return np.asarray(np.where(inside, found, np.nan))


def _told_apart(curves: Sequence[LaidCurve], whole: Array) -> tuple[LaidCurve, ...]:
    """The same with how far each lies from the median of all, in what the others do."""
    if len(curves) < FEWEST:
        return tuple(curves)
    with np.errstate(all="ignore"):
        common = np.isfinite(whole).sum(axis=0) >= FEWEST
        middle = np.full(whole.shape[1], np.nan)
        middle[common] = np.nanmedian(whole[:, common], axis=0)
        distance = np.array(
            [
                np.sqrt(np.nanmean((own - middle)[common] ** 2))
                if np.isfinite((own - middle)[common]).any()
                else 0.0
                for own in whole
            ]
        )
    size = float(np.sqrt(np.nanmean(middle[common] ** 2))) if common.any() else 0.0
    typical = float(np.median(distance))
    spread = MEDIAN_TO_SIGMA * float(np.median(np.abs(distance - typical)))
    scale = max(spread, LEAST_SPREAD * size, np.finfo(float).tiny)
    return tuple(
        LaidCurve(c.trial, c.name, c.t, c.values, float((d - typical) / scale))
        for c, d in zip(curves, distance, strict=True)
    )


def moment_of(
    project: Project, evaluator: Evaluator, entry: Entry, body: str, anchor: Anchor
) -> float | None:
    """Return when the moment at zero is in a trial, in file time in s; None where it has none."""
    if anchor is Anchor.START:
        return float(entry.used_trial.t[0])
    if anchor is Anchor.CONTACT:
        contact = entry.spans.contact
        if contact is None:
            return None
        found = evaluator.collision_inputs(project, entry.trial.id)
        if isinstance(found, InertianError):
            return 0.5 * (contact.start + contact.stop)
        known = dict(zip(found.inputs.names, found.inputs.values, strict=True))
        if found.encounter.timer is None or not found.encounter.touching:
            return 0.5 * (contact.start + contact.stop)
        return float(np.real(contact_moment(known, found.encounter)))
    axes = entry.trial.axes
    if not axes or not body:
        return None
    velocity = evaluator.band(project, entry, QuantityRef(Quantity.VELOCITY, axes[0]), body)
    if isinstance(velocity, InertianError):
        return None
    if anchor is Anchor.TURN:
        return _turn(entry, body, *velocity)
    return _release(entry, body, *velocity)


def _turn(entry: Entry, body: str, v: Array, u: Array) -> float | None:
    """When the velocity of a body goes through zero at its turning point."""
    spans = [s for s in entry.spans.of(body) if s.kind is SpanKind.TURN]
    if not spans:
        return None
    t, near = entry.used_trial.t, 0.5 * (spans[0].start + spans[0].stop)
    good = np.flatnonzero(np.isfinite(v))
    crossed = [(i, j) for i, j in pairwise(good) if v[i] * v[j] <= 0.0 != v[j]]
    if not crossed:
        return near
    i, j = min(crossed, key=lambda pair: abs(0.5 * (t[pair[0]] + t[pair[1]]) - near))
    share = v[i] / (v[i] - v[j]) if v[i] != v[j] else 0.5
    return float(t[i] + share * (t[j] - t[i]))


def _release(entry: Entry, body: str, v: Array, u: Array) -> float | None:
    """When a rest ends: where the line through the first velocities after it is zero, near its
    edge.
    """
    rests = [s for s in entry.spans.of(body) if s.kind is SpanKind.REST]
    if not rests:
        return None
    t, edge = entry.used_trial.t, rests[0].stop
    moving = np.flatnonzero((t >= edge) & (np.abs(v) > CLEAR * u))[:FIRST_SAMPLES]
    if len(moving) < 3:
        return edge
    slope, start = np.polyfit(t[moving] - edge, v[moving], 1)
    away = -start / slope if slope else 0.0
    reach = float(t[moving[-1]] - t[moving[0]])
    return float(edge + away) if abs(away) <= reach else edge
