"""What cannot be as it is stated: a ± that no instrument has, friction that pushes, ratios above 1,
laws that cannot hold.
"""

from collections.abc import Iterator

from inertian.analysis.second_look.cases import Case
from inertian.analysis.second_look.notes import Note, Place, Severity
from inertian.analysis.series_results import without_touch
from inertian.motion.fits.free_motion import FreeMotion
from inertian.physics.accounts.events import EventKind
from inertian.physics.accounts.ledger import ENERGY
from inertian.physics.accounts.verdicts import Expectation
from inertian.project.project import RESTITUTION, Project
from inertian.quantities.coverage import Scalar
from inertian.quantities.errors import InertianError
from inertian.quantities.facts import Fact, FactId, Meaning
from inertian.quantities.rounding import write_estimate, write_shortest

ABOVE_Z, FORWARD_Z = 4.0, 6.0  # u by which a ratio is above 1, and a friction pushes
STUCK = 0.1  # restitution, with 3 u, below which bodies stick together
# A length is read off a rule to half a millimetre at best; callipers reach 0.2 m
RULE_STEP, CALLIPERS = 2e-4, 0.2
BEST = {"mass": 1e-5, "angle": 1e-5, "acceleration": 1e-7, "stiffness": 1e-5}  # relative ±
SLOWS = ("friction coefficient", "rolling resistance", "linear drag", "quadratic drag")
TYPED = 1e3  # strength: nothing has to be measured to say so
KEPT = ("efficiency", "fraction kept")
SPEEDS_UP = (EventKind.LAUNCH, EventKind.THRUST, EventKind.EXPLOSION, EventKind.TOWED)


def impossible_uncertainties(case: Case) -> Iterator[Note]:
    """A measured fact of the trial with ± 0, with a relative ± that no instrument of a class has
    (10⁻⁵ of a mass, an angle or a spring constant), or a length over 0.2 m to better than 0.2 mm.
    """
    for key, fact in _facts_of(case.project, case).items():
        why = _too_good(fact)
        if why:
            yield Note(
                "impossible-uncertainty",
                Severity.LOW,
                f"{key.name} = {fact}: {why}.",
                {"value": fact.si, "u": fact.u},
                subject=key.name,
            )


def _facts_of(project: Project, case: Case) -> dict[FactId, Fact]:
    bodies = [b.name for b in case.trial.bodies]
    found = {}
    for key, fact in project.setup.items():
        held = key.scope in ("project", f"series {case.entry.series}", f"trial {case.id}")
        of_other = " of " in key.name and key.name.rpartition(" of ")[2] not in bodies
        measured = fact.unit.kind in (*BEST, "length", "inertia")
        if held and not of_other and measured and not key.name.startswith("accepted"):
            found[key] = fact
    return found


def _too_good(fact: Fact) -> str:
    if fact.si == 0.0:
        return ""
    if fact.meaning is Meaning.EXACT or fact.plus_minus == 0.0:
        return "nothing that is measured has ± 0"
    spread = fact.unit.to_si(fact.plus_minus)
    stated = fact.meaning is not Meaning.LAST_DIGIT
    if fact.unit.kind == "length" and stated and abs(fact.si) > CALLIPERS and spread < RULE_STEP:
        return "a metre rule is not read to better than half a millimetre"
    relative = spread / abs(fact.si)
    best = BEST.get(fact.unit.kind)
    if best is not None and relative < best:
        return f"a ± of {write_shortest(relative, 2)} of the value is beyond what a class can weigh"
    return ""


def typed_beyond_limits(case: Case) -> Iterator[Note]:
    """A typed coefficient of friction, rolling resistance or drag below zero, or a typed
    restitution above 1.
    """
    for key, fact in case.project.setup.items():
        held = key.scope in ("project", f"series {case.entry.series}", f"trial {case.id}")
        if held and key.name in SLOWS and fact.si < 0.0:
            yield Note(
                "friction-forward",
                Severity.HIGH,
                f"The {key.name} is {fact}: below zero it would push forward.",
                {"value": fact.si},
                subject=key.name,
                strength=TYPED,
            )
        elif held and key.name == RESTITUTION and fact.si > 1.0:
            yield Note(
                "restitution-above-1",
                Severity.HIGH,
                f"The restitution is typed as {fact}: above 1 it would take energy from nowhere.",
                {"value": fact.si},
                subject=key.name,
                strength=TYPED,
            )


def friction_forward(case: Case) -> Iterator[Note]:
    """A body that gets faster along its motion in its free spans beside a contact, by more than 6 u
    over all of them (means of parabolas, weighted by 1/u²): friction would push it; the track is
    tilted, or something pulls. Of one that goes both ways, half of the sum of its accelerations
    both ways counts, which friction does not change.
    """
    if not case.event.kind.contact or without_touch(case.entry):
        return
    if case.project.series_named(case.entry.series).motion is not FreeMotion.GLIDE:
        return
    for body in case.trial.followed:
        if len(body.axes) != 1:
            continue
        gains = []
        for _, fit in case.steady(body.name):
            own = fit.fits[body.axes[0]]
            v, a = own.at(own.t0, 1), own.at(own.t0, 2)
            sigma = (own.sum_of_squares / max(own.dof, 1)) ** 0.5
            weights = own.weights(own.t0, 2).values
            u = sigma * float((weights @ weights) ** 0.5)
            if fit.moving and own.dof > 2 and u > 0.0:
                gains.append((a, u, v > 0.0))
        mean, u_mean = _forward(gains)
        if mean > FORWARD_Z * u_mean:
            written = write_estimate(mean, u_mean, "m/s²")
            yield Note(
                "friction-forward",
                Severity.MEDIUM,
                f"{body.name} speeds up by {written} while it glides: friction would push it "
                "forward. The track is tilted, or something pulls.",
                {"acceleration": mean, "u": u_mean},
                Place(body.name),
                None,
                body.name,
                mean / u_mean,
            )


def _forward(gains: list[tuple[float, float, bool]]) -> tuple[float, float]:
    """How much something pushes forward, in m/s² ± u, by accelerations ± u and whether the body
    moves along the axis; nothing where there are none.
    """
    ways = [[(a, u) for a, u, along in gains if along is way] for way in (True, False)]
    means = [
        (sum(a / u**2 for a, u in own) / total, total**-0.5)
        for own in ways
        if own and (total := sum(1.0 / u**2 for _, u in own))
    ]
    if not means:
        return 0.0, 1.0
    if len(means) == 1:
        return (means[0][0] if ways[0] else -means[0][0]), means[0][1]
    (one, u_one), (two, u_two) = means
    return 0.5 * abs(one + two), 0.5 * float((u_one**2 + u_two**2) ** 0.5)


def _above_one(case: Case, code: str, name: str, one: Scalar, law: str) -> Iterator[Note]:
    if one.u > 0.0 and one.value - 1.0 > ABOVE_Z * one.u:
        yield Note(
            code,
            Severity.MEDIUM,
            f"The {name} comes out {write_estimate(one.value, one.u)}: above 1 it would take "
            "energy from nowhere.",
            {"value": one.value, "u": one.u},
            Place("", "", case.event.dates[0].t, case.event.dates[-1].t, law),
            None,
            name,
            (one.value - 1.0) / one.u,
            symptom=True,
        )


def above_one(case: Case) -> Iterator[Note]:
    """A restitution, an efficiency or a part of the energy that is kept, above 1 by more than 4 u,
    where nothing gives energy.
    """
    accounts = case.accounts
    if accounts is None or case.event.kind in SPEEDS_UP:
        return
    if accounts.restitution is not None:
        yield from _above_one(
            case, "restitution-above-1", "restitution", accounts.restitution, ENERGY
        )
    law = accounts.ledgers[0].law if accounts.ledgers else ""
    for name, (one, _) in accounts.results.items():
        if name.startswith("restitution of"):
            yield from _above_one(case, "restitution-above-1", name, one, law)
        elif name.startswith(KEPT) and not case.event.kind.contact:
            yield from _above_one(case, "efficiency-above-1", name, one, law)


def impossible_expectation(case: Case) -> Iterator[Note]:
    """Kinetic energy expected to be conserved, by hand, in a hit whose restitution is below 0.1
    with 3 u to spare.
    """
    settings = case.project.series_named(case.entry.series)
    accounts = case.accounts
    if settings.expectations.get(ENERGY) is not Expectation.CONSERVED or accounts is None:
        return
    e = accounts.restitution
    if e is not None and e.value + 3.0 * e.u < STUCK:
        yield Note(
            "impossible-expectation",
            Severity.MEDIUM,
            f"Kinetic energy is expected to be conserved, but the bodies stick together: the "
            f"restitution is {write_estimate(e.value, e.u)}.",
            {"restitution": e.value, "u": e.u},
            Place("", "", case.event.dates[0].t, case.event.dates[-1].t, ENERGY),
            None,
            ENERGY,
            1.0 / max(e.u, 1e-9),
        )


def noise_too_small(case: Case) -> Iterator[Note]:
    """A reading noise that was typed, or stated by the file, and that the scatter of the samples
    refutes; the larger one is used.
    """
    if case.trial.axes and case.series.noise.remark:
        noise = case.series.noise
        yield Note(
            "noise-too-small",
            Severity.LOW,
            "The stated reading noise is smaller than the samples scatter: "
            f"{write_shortest(noise.reading, 2)} m is used instead.",
            {"used": noise.reading},
            subject="reading noise",
        )


def structured_curves(case: Case) -> Iterator[Note]:
    """A fitted curve whose residuals follow a pattern (von Neumann's ratio, 4 normal deviates): its
    R² says nothing against that.
    """
    for made in case.evaluator.curves(case.project, case.entry):
        if isinstance(made, InertianError) or not made.fit.curves:
            continue
        name = f"{made.request.shape} over “{made.request.span}”"
        yield Note(
            "curve-too-simple",
            Severity.LOW,
            f"The {name} of {made.request.body} leaves a pattern in the residuals: however near R² "
            "is to 1, the motion is not what is fitted.",
            {"body": made.request.body, "span": made.request.span},
            Place(made.request.body, made.request.span),
            None,
            name,
        )


RULES = (
    noise_too_small,
    structured_curves,
    impossible_uncertainties,
    typed_beyond_limits,
    friction_forward,
    above_one,
    impossible_expectation,
)
