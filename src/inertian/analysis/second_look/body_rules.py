"""What bodies give away: labels that were exchanged, places seen in perspective, and one trial of a
series apart from the others.
"""

from collections.abc import Iterator, Sequence
from dataclasses import dataclass

import numpy as np

from inertian.analysis.second_look.cases import Case
from inertian.analysis.second_look.notes import Note, Place, Remedy, Severity
from inertian.motion.fits.free_motion import BodyFit
from inertian.motion.numerics.outliers import MEDIAN_TO_SIGMA
from inertian.project.history import Edit
from inertian.project.project import Project
from inertian.project.tidying_edits import labels_exchanged
from inertian.quantities.estimates import Array
from inertian.quantities.rounding import write_estimate, write_shortest

SWAPPED, APART_SIGMAS = 0.25, 12.0  # share of the leap left when exchanged, and σ of the leap
LEAST_SPANS, BENT_Z = 8, 6.0  # spans that tell a perspective, and u of it
LEAST_TRIALS, APART_Z, APART_SHARE = 5, 6.0, 0.02  # of a series; robust u; share of the median
COMPARED = (
    "efficiency",
    "fraction kept",
    "friction coefficient",
    "mean force of loss",
)


@dataclass(frozen=True)
class _Sides:
    """One body beside the contact: where it would be in the middle of it, from both sides, in m."""

    before: Array
    after: Array
    u: float


def exchanged_labels(case: Case) -> Iterator[Note]:
    """Two bodies whose places leap at the contact, by more than 12 σ, to where the other one was:
    exchanged, they would leap by less than a quarter.
    """
    contact = case.entry.spans.contact
    bodies = [b.name for b in case.trial.followed]
    if contact is None or len(bodies) != 2:
        return
    moment = 0.5 * (contact.start + contact.stop)
    sides = [_sides(case, body, moment) for body in bodies]
    if sides[0] is None or sides[1] is None:
        return
    one, two = sides
    kept = float(np.hypot.reduce(one.after - one.before) + np.hypot.reduce(two.after - two.before))
    swapped = float(
        np.hypot.reduce(one.after - two.before) + np.hypot.reduce(two.after - one.before)
    )
    if kept < APART_SIGMAS * (one.u + two.u) or swapped > SWAPPED * kept:
        return
    row = int(np.searchsorted(case.entry.trial.t, moment))

    def edit(project: Project) -> Edit:
        return labels_exchanged(project, case.id, bodies[0], bodies[1], row)

    yield Note(
        "labels-exchanged",
        Severity.HIGH,
        f"At {write_shortest(moment, 4)} s {bodies[0]} leaps to where {bodies[1]} was, and the "
        f"other way round ({write_shortest(0.5 * kept, 3)} m): their labels are exchanged from "
        "there on.",
        {"leap": 0.5 * kept, "exchanged": 0.5 * swapped},
        Place(bodies[0], "", contact.start, contact.stop),
        Remedy(f"Exchange {bodies[0]} and {bodies[1]} from there on", edit),
        " ".join(bodies),
        1e3 + kept / (one.u + two.u),  # before what follows from it
    )


def _sides(case: Case, body: str, moment: float) -> _Sides | None:
    own = list(case.steady(body))
    before = [f for s, f in own if s.stop <= moment]
    after = [f for s, f in own if s.start >= moment]
    if not before or not after:
        return None
    axes = case.trial.body(body).axes
    ends = [_line(before[-1], case, False), _line(after[0], case, True)]
    places = [np.array([np.polyval(c[a], moment - t0) for a in axes]) for c, t0, _ in ends]
    return _Sides(places[0], places[1], max(ends[0][2], ends[1][2]))


def _line(fit: BodyFit, case: Case, first: bool) -> tuple[dict[str, Array], float, float]:
    """A line through the samples of a span nearest to the contact, and its spread, in m."""
    t = case.trial.t
    rows = fit.span.rows(t)
    low, high = rows.start, rows.stop
    low, high = (low, min(high, low + 12)) if first else (max(low, high - 12), high)
    t0, found, spread = float(t[low if first else high - 1]), {}, 0.0
    for channel in case.trial.body(fit.body).channels:
        x = channel.si[low:high]
        good = np.isfinite(x)
        if good.sum() < 2:
            found[channel.axis] = np.array([0.0, np.nan])
            continue
        tau = t[low:high][good] - t0
        c = np.polyfit(tau, x[good], 1)
        spread = max(spread, float(np.std(x[good] - np.polyval(c, tau))), channel.resolution)
        found[channel.axis] = c
    return found, t0, max(spread, 1e-6)


def perspective(case: Case, others: Sequence[Case]) -> Iterator[Note]:
    """Accelerations of free spans that go with the square of the speed, and point the same way
    whichever way bodies move: a = −f sgn v + tilt + κ v², κ above 6 u over at least 8 spans of the
    series, with u from what is left. A scale that changes with place does that.
    """
    if len(case.trial.axes) != 1 or case.event.vertical is not None:
        return
    rows, names = [], list(dict.fromkeys(b.name for c in (case, *others) for b in c.trial.followed))
    for each in (case, *(c for c in others if c.id != case.id)):
        for body in each.trial.followed:
            for _, fit in each.steady(body.name):
                own = next(iter(fit.fits.values()))
                if fit.stray or not fit.moving or own.dof < 3:
                    continue
                v, a = own.at(own.t0, 1), own.at(own.t0, 2)
                u = float(np.linalg.norm(own.weights(own.t0, 2).values))
                friction = [np.sign(v) * (body.name == n) for n in names]
                rows.append([a, u * (own.sum_of_squares / own.dof) ** 0.5, *friction, 1.0, v * v])
    if len(rows) < max(LEAST_SPANS, len(names) + 4):
        return
    table = np.array(rows)
    y, u, design = table[:, 0], table[:, 1], table[:, 2:]
    weighted = design / u[:, None]
    inverse = np.linalg.pinv(weighted.T @ weighted)
    c = inverse @ (weighted.T @ (y / u))
    left = y / u - weighted @ c
    freedom = len(y) - design.shape[1]
    wider = max(1.0, float(left @ left) / freedom)
    kappa, u_kappa = float(c[-1]), float(np.sqrt(inverse[-1, -1] * wider))
    ways = {float(np.sign(row[-1])) for row in table[:, 2 : 2 + len(names)].sum(1, keepdims=True)}
    if len(ways) < 2 or u_kappa == 0.0 or abs(kappa) < BENT_Z * u_kappa:
        return
    yield Note(
        "perspective",
        Severity.MEDIUM,
        f"Speeds change with place, for all bodies and in both directions, by "
        f"{write_estimate(100.0 * abs(kappa), 100.0 * u_kappa)} % a metre: the picture has a "
        "perspective, and the scale is not the same everywhere.",
        {"per metre": kappa, "u": u_kappa},
        Place(),
        None,
        "perspective",
        abs(kappa) / u_kappa,
    )


def apart(case: Case, others: Sequence[Case]) -> Iterator[Note]:
    """A result that is off the median of at least 5 trials of one kind by more than 6 of its own u
    and of their robust spread (1.4826 × median absolute deviation) together, and by 2 %.
    """
    alike = [c for c in (case, *others) if c.event.kind is case.event.kind]
    if len({c.id for c in alike}) < LEAST_TRIALS:
        return
    mine = _results(case)
    for name, (value, u) in mine.items():
        known = [_results(c)[name][0] for c in alike if c.id != case.id and name in _results(c)]
        if len(known) < LEAST_TRIALS - 1:
            continue
        middle = float(np.median(known))
        spread = MEDIAN_TO_SIGMA * float(np.median(np.abs(np.array(known) - middle)))
        off = abs(value - middle)
        if off > APART_Z * float(np.hypot(spread, u)) and off > APART_SHARE * abs(middle):
            yield Note(
                "trial-apart",
                Severity.MEDIUM,
                f"The {name} is {write_estimate(value, u)}, and {write_shortest(middle, 3)} in the "
                f"other {len(known)} trials, within {write_shortest(spread, 2)}.",
                {"value": value, "u": u, "median": middle, "spread": spread},
                Place("", "", case.event.dates[0].t, case.event.dates[-1].t),
                None,
                name,
                off / float(np.hypot(spread, u)),
                symptom=True,
            )
            return


def _results(case: Case) -> dict[str, tuple[float, float]]:
    accounts = case.accounts
    if accounts is None:
        return {}
    found = {n: (one.value, one.u) for n, (one, _) in accounts.results.items() if n in COMPARED}
    e = accounts.restitution
    if e is not None:
        found["restitution"] = e.value, e.u
    return found
