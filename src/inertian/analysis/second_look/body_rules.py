"""What bodies give away: labels that were exchanged, places seen in perspective, and one trial of a
series apart from the others.
"""

from collections.abc import Iterator, Sequence

import numpy as np

from inertian.analysis.second_look.cases import Case
from inertian.analysis.second_look.notes import Note, Place, Remedy, Severity
from inertian.motion.numerics.outliers import MEDIAN_TO_SIGMA
from inertian.motion.spans.spans import Span, SpanKind
from inertian.project.history import Edit
from inertian.project.project import Project
from inertian.project.tidying_edits import labels_exchanged
from inertian.quantities.estimates import Array
from inertian.quantities.rounding import write_estimate, write_shortest

# Share of the leap that is left when exchanged; σ and usual steps that a leap exceeds; samples
SWAPPED, APART_SIGMAS, USUAL_LEAPS, LEAST_SEEN = 0.25, 12.0, 3.0, 8
DRIFT_Z = 5.0  # u
LEAST_SPANS, BENT_Z = 8, 6.0  # spans that tell a perspective, and u of it
LEAST_TRIALS, APART_Z, APART_SHARE = 5, 6.0, 0.02  # of a series; robust u; share of the median
COMPARED = ("efficiency", "friction coefficient", "mean force of loss")
OF_ONE_BODY = ("fraction kept",)  # of several it hangs on how fast each comes


def exchanged_labels(case: Case) -> Iterator[Note]:
    """Two bodies that leap from one sample to the next by more than 12 σ, each to where the other
    one was: with labels exchanged they would leap by less than a quarter.
    """
    bodies = case.trial.followed
    if len(bodies) != 2 or bodies[0].axes != bodies[1].axes:
        return
    one, two = (np.array([c.si for c in body.channels]) for body in bodies)
    seen = np.flatnonzero(np.isfinite(one).all(axis=0) & np.isfinite(two).all(axis=0))
    if len(seen) < LEAST_SEEN:
        return
    one, two = one[:, seen], two[:, seen]
    sigma = sum(own.sigma for own in case.positions)
    leap = _length(np.diff(one)) + _length(np.diff(two))
    other = _length(one[:, 1:] - two[:, :-1]) + _length(two[:, 1:] - one[:, :-1])
    usual = float(np.quantile(leap, 0.9))
    rows = np.flatnonzero(
        (leap > APART_SIGMAS * sigma + USUAL_LEAPS * usual) & (other < SWAPPED * leap)
    )
    if not rows.size:
        return
    starts = [int(seen[row + 1]) for row in rows]
    ends = [*(row - 1 for row in starts[1:]), len(case.trial.t) - 1]
    runs = tuple(zip(starts, ends, strict=True))[::2]
    names = [body.name for body in bodies]
    t = float(case.trial.t[starts[0]])

    def edit(project: Project) -> Edit:
        return labels_exchanged(project, case.id, names[0], names[1], runs)

    size = 0.5 * float(leap[rows[0]])
    yield Note(
        "labels-exchanged",
        Severity.HIGH,
        f"At {write_shortest(t, 4)} s {names[0]} leaps to where {names[1]} was, and the other way "
        f"round ({write_shortest(size, 3)} m): their labels are exchanged from there on.",
        {"t": t, "leap": size, "exchanged": 0.5 * float(other[rows[0]])},
        Place(names[0], "", float(case.trial.t[starts[0] - 1]), t),
        Remedy(f"Exchange {names[0]} and {names[1]} from there on", edit),
        " ".join(names),
        1e6 + size / max(sigma, 1e-9),  # before what follows from it
    )


def clock_drift(case: Case) -> Iterator[Note]:
    """Two recordings that were joined, whose bodies show the same contacts at times that drift
    apart: the moment of each contact is where the lines before and after cross, for each body;
    their difference changes from the first contact to the last by more than 5 u.
    """
    bodies = [b.name for b in case.trial.followed]
    if len(bodies) != 2 or not case.entry.trial.provenance.others:
        return
    seen = []
    for span in case.entry.spans.in_order():
        if span.kind in (SpanKind.CONTACT, SpanKind.INTERACTION):
            one, two = (_crossing(case, body, span) for body in bodies)
            if one is not None and two is not None:
                seen.append((span, two[0] - one[0], float(np.hypot(one[1], two[1]))))
    if len(seen) < 2:
        return
    (first, before, u1), (last, after, u2) = seen[0], seen[-1]
    drift, u = after - before, float(np.hypot(u1, u2))
    if abs(drift) > DRIFT_Z * u:
        length = last.start - first.start
        yield Note(
            "clock-drift",
            Severity.HIGH,
            f"The clocks of {bodies[0]} and {bodies[1]} drift apart: from the first contact to the "
            f"last, {write_shortest(length, 3)} s later, by {write_estimate(drift, u, 's')}.",
            {"drift": drift, "u": u, "per second": drift / length},
            Place(bodies[1], "", last.start, last.stop),
            None,
            " ".join(bodies),
            abs(drift) / u,
        )


def _crossing(case: Case, body: str, span: Span) -> tuple[float, float] | None:
    """When the lines of a body before and after a contact cross, in s, and the u of that."""
    own = list(case.steady(body))
    before = [fit for one, fit in own if one.stop <= span.start + 1e-9]
    after = [fit for one, fit in own if one.start >= span.stop - 1e-9]
    if not before or not after:
        return None
    axis, middle = case.trial.body(body).axes[0], 0.5 * (span.start + span.stop)
    sides = [before[-1].fits[axis], after[0].fits[axis]]
    x, v = ([side.at(middle, k) for side in sides] for k in (0, 1))
    sigma = max((side.sum_of_squares / max(side.dof, 1)) ** 0.5 for side in sides)
    weights = [[side.weights(middle, k).values for side in sides] for k in (0, 1)]
    u_x, u_v = (sigma * float(np.linalg.norm(np.concatenate(own))) for own in weights)
    if abs(v[1] - v[0]) < DRIFT_Z * u_v:
        return None
    return middle - (x[1] - x[0]) / (v[1] - v[0]), u_x / abs(v[1] - v[0])


def _length(steps: Array) -> Array:
    return np.asarray(np.hypot.reduce(steps, axis=0))


def perspective(case: Case, others: Sequence[Case]) -> Iterator[Note]:
    """Accelerations of free spans that go with the square of the speed, and point the same way
    whichever way bodies move: a = −f sgn v + tilt + κ v², κ above 6 u over at least 8 spans of the
    series, with u from what is left. A scale that changes with place does that.
    """
    if len(case.trial.axes) != 1 or case.event.vertical is not None:
        return
    every = (case, *(c for c in others if c.id != case.id))
    names = list(dict.fromkeys(b.name for c in every for b in c.trial.followed))
    seen = [one for each in every for one in _free_motions(each)]
    if len(seen) < max(LEAST_SPANS, len(names) + 4) or len({np.sign(v) for _, v, _, _ in seen}) < 2:
        return
    y = np.array([a / u for _, _, a, u in seen])
    design = np.array(
        [[*(float(np.sign(v)) * (body == n) for n in names), 1.0, v * v] for body, v, _, _ in seen]
    )
    weighted = design / np.array([u for *_, u in seen])[:, None]
    inverse = np.linalg.pinv(weighted.T @ weighted)
    c = inverse @ (weighted.T @ y)
    left = y - weighted @ c
    wider = max(1.0, float(left @ left) / (len(y) - design.shape[1]))
    kappa, u_kappa = float(c[-1]), float(np.sqrt(inverse[-1, -1] * wider))
    if u_kappa == 0.0 or abs(kappa) < BENT_Z * u_kappa:
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


def _free_motions(case: Case) -> Iterator[tuple[str, float, float, float]]:
    """Yield body, velocity, acceleration and its u of each free span in which a body moves, SI."""
    for body in case.trial.followed:
        for _, fit in case.steady(body.name):
            own = next(iter(fit.fits.values()))
            if fit.stray or not fit.moving or own.dof < 3:
                continue
            sigma = (own.sum_of_squares / own.dof) ** 0.5
            u = sigma * float(np.linalg.norm(own.weights(own.t0, 2).values))
            if u > 0.0:
                yield body.name, own.at(own.t0, 1), own.at(own.t0, 2), u


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
    names = COMPARED + (OF_ONE_BODY if len(case.trial.followed) == 1 else ())
    found = {n: (one.value, one.u) for n, (one, _) in accounts.results.items() if n in names}
    e = accounts.restitution
    if e is not None:
        found["restitution"] = e.value, e.u
    return found
