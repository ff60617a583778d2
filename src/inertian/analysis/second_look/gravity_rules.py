"""What gravity gives away: g as a free motion shows it, against g as it is; by how much it is off
tells a unit, a frame rate or a scale.
"""

import math
from collections.abc import Callable, Iterator
from dataclasses import dataclass
from functools import partial

import numpy as np

from inertian.analysis.second_look.cases import Case
from inertian.analysis.second_look.measured_gravity import Measured, measured_gravity
from inertian.analysis.second_look.notes import Note, Place, Remedy, Severity
from inertian.physics.accounts.ledger import MECHANICAL
from inertian.physics.definitions.fact_names import TIME_BASE
from inertian.project.edits import fact_set, scale_set
from inertian.project.history import Edit
from inertian.project.project import Entry, Project
from inertian.project.unit_edits import length_unit_set
from inertian.quantities.facts import Fact, Meaning
from inertian.quantities.rounding import write_estimate, write_shortest
from inertian.quantities.units import Unit

OFF_Z, OFF_SHARE = 5.0, 0.012  # u and share that g must be off by; air does the rest
MEASURED = 0.3  # relative u above which g tells nothing
TAKEN = (25, 30, 48, 50, 60, 90, 100, 120, 200, 240, 250, 300, 400, 480, 500, 600, 960, 1000)
SHOWN = (24, 25, 30, 50, 60)  # frames a second
NOMINAL = 0.004  # relative u of a frame rate as it is called
# A class has motions of about a metre, sampled every 20 ms; log-normal, by factors of 4.5 and 4
USUAL_LENGTH, LENGTH_SPREAD = 1.0, math.log(4.5)
USUAL_STEP, STEP_SPREAD = 0.02, math.log(4.0)
ONE_SECOND = 0.01  # by which the step of times that count frames may differ from 1 s
SCALE_SPREAD = 0.15  # of the logarithm of a scale that was measured wrongly
LARGEST_SCALE = math.log(2.2)  # above it, no scale is measured wrongly


@dataclass(frozen=True, eq=False)
class Explanation:
    """What would make g right: the ratio it would give, and what motions then are like."""

    code: str
    log_ratio: float
    length: float  # what lengths have to be multiplied by
    time: float  # what times have to be multiplied by
    said: str
    prior: float = 0.0


def _explanations() -> list[Explanation]:
    found = [
        Explanation(
            "length-unit", k * math.log(10.0), 10.0**-k, 1.0,
            f"as if lengths were {_times(10.0**abs(k))} {'larger' if k > 0 else 'smaller'} than "
            "they are", 0.0 if abs(k) > 1 else -0.5,
        )
        for k in (-3, -2, -1, 1, 2, 3)
    ]  # fmt: skip
    found += [
        Explanation(
            "time-unit", -2.0 * k * math.log(10.0), 1.0, 10.0**-k,
            f"as if times were {_times(10.0**abs(k))} {'longer' if k > 0 else 'shorter'} than they "
            "are",
        )
        for k in (-6, -3, 3, 6)
    ]  # fmt: skip
    pairs: dict[float, tuple[int, int]] = {}
    for shown in (25, 30, 24, 50, 60):
        for taken in TAKEN:
            if taken != shown:
                pairs.setdefault(round(taken / shown, 4), (taken, shown))
    for taken, shown in pairs.values():
        ratio = taken / shown
        said = (
            f"as of footage that was taken {write_shortest(ratio, 3)} times faster than it is "
            f"shown, such as {taken} frames/s shown as {shown}"
        )
        unusual = 0.0 if ratio >= 1.9 else -3.0
        found.append(
            Explanation(
                "slow-motion",
                -2.0 * math.log(ratio),
                1.0,
                1.0 / ratio,
                said,
                unusual - 0.5 * math.log(len(pairs)),
            )
        )
    return found


def _times(factor: float) -> str:
    return f"{round(factor):,} times".replace(",", "\u202f")


def _frames_as_seconds() -> list[Explanation]:
    """Frames that were taken for seconds, at the usual rates."""
    return [
        Explanation(
            "time-unit",
            -2.0 * math.log(rate),
            1.0,
            1.0 / rate,
            f"as if frames were taken for seconds: at {rate} frames/s it is right",
        )
        for rate in sorted({*TAKEN, *SHOWN})
    ]


EXPLANATIONS, FRAMES = _explanations(), _frames_as_seconds()


def _weight(one: Explanation, seen: float, u: float, length: float, step: float) -> float:
    """The logarithm of how likely an explanation makes what is seen (Bayes' theorem): how near its
    ratio is, and how usual motions would be that it leads to.
    """
    s = math.hypot(u, 2.0 * NOMINAL if one.code == "slow-motion" else 0.001)
    near = -0.5 * ((seen - one.log_ratio) / s) ** 2 - math.log(s)
    usual = -0.5 * (math.log(length * one.length / USUAL_LENGTH) / LENGTH_SPREAD) ** 2
    usual -= 0.5 * (math.log(step * one.time / USUAL_STEP) / STEP_SPREAD) ** 2
    return near + usual + one.prior


def gravity(case: Case) -> Iterator[Note]:
    """g that is off by more than 5 u and 1.2 %: *heights-downward* where it has the other sign,
    else the explanation that Bayes' theorem prefers of *length-unit* and *time-unit* (powers of
    ten), *slow-motion* (the square of a ratio of frame rates), and *scale* (a factor near 1,
    log-normal with a spread of 0.15).
    """
    found = measured_gravity(case)
    if found is None or found.u > MEASURED * abs(found.ratio):
        return
    place = Place(found.body, found.span, found.t0, found.t1, MECHANICAL)
    evidence = {"ratio": found.ratio, "u": found.u}
    off = write_estimate(found.ratio, found.u)
    off_z = abs(abs(found.ratio) - 1.0) / found.u
    if found.ratio < 0.0:
        yield Note(
            "heights-downward",
            Severity.HIGH,
            f"On the slope g comes out {off} times what it is: the axis points down where the "
            "angle says that it points up.",
            evidence,
            place,
            Remedy("Take the angle the other way", partial(_turned_incline, case.entry)),
            "height",
            abs(found.ratio) / found.u,
        )
        return
    if off_z > OFF_Z and abs(math.log(found.ratio)) > OFF_SHARE:
        yield _explained(case, found, place, off_z)


def _explained(case: Case, found: Measured, place: Place, off_z: float) -> Note:
    """The note with the likeliest explanation of a g that is off."""
    evidence = {"ratio": found.ratio, "u": found.u}
    off = write_estimate(found.ratio, found.u)
    seen, u = math.log(found.ratio), found.u / found.ratio
    length = max(float(np.ptp(own.x)) for own in case.positions)
    step = case.trial.step()
    frames = FRAMES if abs(step - 1.0) < ONE_SECOND else []
    weights = [(_weight(one, seen, u, length, step), one) for one in (*EXPLANATIONS, *frames)]
    usual = -0.5 * (math.log(length / USUAL_LENGTH) / LENGTH_SPREAD) ** 2
    usual -= 0.5 * (math.log(step / USUAL_STEP) / STEP_SPREAD) ** 2
    plain = -0.5 * (seen / SCALE_SPREAD) ** 2 - math.log(SCALE_SPREAD) + usual
    best, one = max(weights, key=lambda w: w[0])
    if abs(seen) < LARGEST_SCALE and plain > best:
        return Note(
            "scale",
            Severity.HIGH,
            f"g comes out {off} times what it is: lengths are {write_shortest(found.ratio, 3)} "
            "times what they should be, as with a wrong calibration length.",
            evidence,
            place,
            _other_scale(case, 1.0 / found.ratio),
            "scale",
            off_z,
        )
    if abs(seen - one.log_ratio) > max(OFF_Z * math.hypot(u, 2 * NOMINAL), OFF_SHARE):
        one = Explanation("scale", seen, 1.0 / found.ratio, 1.0, "and no unit explains it")
    return Note(
        one.code,
        Severity.HIGH,
        f"g comes out {off} times what it is, {one.said}.",
        {**evidence, "length factor": one.length, "time factor": one.time},
        place,
        _remedy(case, one),
        "scale" if one.code == "scale" else one.code,
        off_z,
    )


def _other_scale(case: Case, factor: float) -> Remedy | None:
    """A scale of pixels that makes g right; lengths in metres have none."""
    if not case.entry.trial.in_pixels:
        return None
    edit = partial(length_unit_set, series=case.entry.series, factor=factor)
    return Remedy(f"Take {write_shortest(factor, 4)} times the scale", edit)


def _remedy(case: Case, one: Explanation) -> Remedy | None:
    series = case.entry.series
    if one.time != 1.0:
        base = case.entry.trial.time_base * one.time
        fact = Fact(base, 0.0, Meaning.EXACT, Unit("", "number", 1.0))
        text = f"Take times {write_shortest(1.0 / one.time, 4)} times shorter"
        if one.time > 1.0:
            text = f"Take times {write_shortest(one.time, 4)} times longer"
        return Remedy(text, lambda project: scale_set(project, series, TIME_BASE, fact))
    if one.code == "length-unit":
        text = f"Take lengths {_times(max(one.length, 1.0 / one.length))} " + (
            "larger" if one.length > 1.0 else "smaller"
        )
        return Remedy(text, partial(length_unit_set, series=series, factor=one.length))
    return None


def _turned_incline(entry: Entry, project: Project) -> Edit:
    known = project.fact("incline", entry)
    assert known is not None
    key, fact = known
    turned = Fact(-fact.typed, fact.plus_minus, fact.meaning, fact.unit)
    return fact_set(project, key, turned)


RULES: tuple[Callable[[Case], Iterator[Note]], ...] = (gravity,)
