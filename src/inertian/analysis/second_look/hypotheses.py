"""What would make accounts balance that do not: a mass off by a power of ten, masses exchanged, an
axis that points the other way; tried on all trials that share it.
"""

import math
from collections.abc import Callable, Hashable, Iterator, Sequence
from dataclasses import dataclass, replace
from functools import partial

from inertian.analysis.evaluation import Evaluator
from inertian.analysis.second_look.cases import Case
from inertian.analysis.second_look.notes import Note, Place, Remedy, Severity
from inertian.physics.accounts.ledger import ENERGY, MECHANICAL, Accounts, Ledger
from inertian.physics.accounts.verdicts import Expectation
from inertian.physics.definitions.fact_names import mass_key
from inertian.project.edits import fact_set
from inertian.project.history import Edit
from inertian.project.project import Project
from inertian.project.unit_edits import body_flipped
from inertian.quantities.coverage import equivalent_z
from inertian.quantities.errors import InertianError
from inertian.quantities.facts import Fact, FactId
from inertian.quantities.rounding import write_estimate, write_shortest

DOES_NOT_BALANCE = 4.0  # |z| of an account from which an explanation is looked for
BALANCES = 3.0  # |z| that may be left of every account by an explanation
MOST_TRIALS = 8  # on which an explanation is tried
SHARE = 0.8  # of the trials that it must explain
# Of what comes and goes, entries too, that must be visible: an explanation that makes all rough is
# none
CLEAR = 0.6
AS_GOOD = 6.0  # by which the logarithm of an explanation may be less likely and still be told
GAINED = 2.9  # |z| that energy from nowhere counts at most: it may come from somewhere
CAPPED = 30.0  # |z| above which an account is just wrong
USUAL_MASS, MASS_SPREAD = 1.0, math.log(8.0)  # kg, and the spread of its logarithm
POWERS = (-3, -2, -1, 1, 2, 3)
OTHERS = {"spring constant": (20.0, 4.0), "push": (3.0, 6.0)}  # facts beside masses: usual, spread
TAKES = ("spring launch", "thrust run", "explosion from rest")  # events in which energy is given


@dataclass(frozen=True, eq=False)
class Hypothesis:
    """What may be wrong: how a project would be without it, and how likely it is beforehand."""

    code: str
    subject: str
    change: Callable[[Project], Edit]
    said: str
    button: str
    prior: float
    in_one_trial: bool = False
    short: str = ""  # as an alternative to another one


def imbalances(accounts: Accounts | None) -> list[float] | None:
    """Return |z| of all laws that are expected to hold, and of kinetic energy that was gained where
    nothing gives any; None where there are no accounts, or they are too rough to tell.
    """
    if accounts is None:
        return None
    found, clear = [], False
    for ledger in accounts.ledgers:
        judged = ledger.judgement
        if ledger.expectation is Expectation.CONSERVED and judged.z is not None:
            found.append(min(abs(judged.z), CAPPED))
            clear |= _clear(ledger)
        elif ledger.law in (ENERGY, MECHANICAL) and accounts.event not in TAKES:
            left = ledger.unaccounted
            if left.u > 0.0 and left.value > 0.0:
                found.append(min(abs(equivalent_z(left.value / left.u, left.dof)), GAINED))
    return found if clear else None


def _clear(ledger: Ledger) -> bool:
    amounts = [ledger.opening, ledger.closing]
    size = max(
        sum(abs(line.opening.value) for line in ledger.bodies),
        sum(abs(line.closing.value) for line in ledger.bodies),
        *(abs(one.value) for one in amounts),
        *(abs(one.value) for _, one in ledger.entries),
    )
    return ledger.judgement.smallest_visible < CLEAR * size


def _accounts(project: Project, trial: str, evaluator: Evaluator) -> Accounts | None:
    try:
        found = evaluator.accounts(project, trial)
    except InertianError:
        return None
    return found if isinstance(found, Accounts) else None


def said_law(law: str) -> str:
    """Return a law as it is said in a sentence."""
    return law.replace("momentum ", "momentum along ") if law[-1] in "xy" else law


def unbalanced(case: Case) -> list[Ledger]:
    """Return the accounts of a trial that should hold and do not, the worst first."""
    found = [
        led
        for led in (case.accounts.ledgers if case.accounts else ())
        if led.expectation is Expectation.CONSERVED
        and led.judgement.z is not None
        and abs(led.judgement.z) > DOES_NOT_BALANCE
        and _clear(led)
    ]
    return sorted(found, key=lambda led: -abs(led.judgement.z or 0.0))


class Tried:
    """Hypotheses that were put into a project before, and what they leave of |z|, by trial."""

    def __init__(self) -> None:
        self._made: dict[Hashable, Project | None] = {}
        self._left: dict[Hashable, list[float] | None] = {}

    def left(self, one: "Hypothesis", base: Case, each: Case) -> list[float] | None:
        """Return |z| of the accounts of a trial under a hypothesis about `base`; None where there
        are none.
        """
        key = (one.code, one.subject, one.said, base.id if one.in_one_trial else "")
        if key not in self._made:
            try:
                self._made[key] = one.change(base.project).project
            except InertianError:
                self._made[key] = None
        made = self._made[key]
        if made is None:
            return None
        if (key, each.id) not in self._left:
            self._left[key, each.id] = imbalances(_accounts(made, each.id, each.evaluator))
        return self._left[key, each.id]


def balance(case: Case, others: Sequence[Case], tried: Tried) -> Iterator[Note]:
    """Accounts that should hold and are off by more than 4 u. Each hypothesis is put into all
    trials that share it (8 at most); it explains them if every account of 80 % of them is then
    inside 3 u, and still clear; kinetic energy that is gained counts against it. Of those that do,
    the likeliest is told, by what χ² is left and how usual masses and forces would be that it leads
    to; if none does, *momentum-missing*.
    """
    off = unbalanced(case)
    if not off:
        return
    found = []
    for one in _hypotheses(case):
        score = _explains(one, case, others, tried)
        if score is not None:
            found.append((one.prior - 0.5 * score[0], one, *score[1:]))
    worst = off[0]
    z = abs(worst.judgement.z or 0.0)
    evidence: dict[str, float | str] = {"z": z, "law": worst.law}
    place = Place("", "", worst.opens_at, worst.closes_at, worst.law)
    if found:
        likely, best, z_left, trials = max(found, key=lambda item: item[0])
        as_good = [
            f" It may be as well that {one.short}."
            for other, one, *_ in found
            if one is not best and one.short and best.short and likely - other < AS_GOOD
        ]
        many = f" in {trials} trials" if trials > 1 else ""
        yield Note(
            best.code,
            Severity.HIGH,
            f"{best.said}: then {said_law(worst.law)} balances{many} within "
            f"{write_shortest(z_left, 2)} u, instead of being {write_shortest(z, 2)} u off."
            + "".join(as_good),
            {**evidence, "z with it": z_left, "trials": float(trials)},
            place,
            Remedy(best.button, best.change),
            best.subject,
            z,
        )
    elif worst.law.startswith("momentum") and len(case.trial.followed) > 1:
        left = write_estimate(worst.unaccounted.value, worst.unaccounted.u, worst.unit)
        yield Note(
            "momentum-missing",
            Severity.HIGH,
            f"{said_law(worst.law).capitalize()} has {left} too "
            f"{'much' if worst.unaccounted.value > 0 else 'little'} "
            f"after the event, {write_shortest(z, 2)} u: something else took part that was not "
            "followed, or something pushed from outside.",
            {**evidence, "missing": worst.unaccounted.value, "u": worst.unaccounted.u},
            place,
            None,
            worst.law,
            z,
            symptom=True,
        )


def _explains(
    one: Hypothesis, case: Case, others: Sequence[Case], tried: Tried
) -> tuple[float, float, int] | None:
    """χ² that a hypothesis leaves, the largest |z| of this trial, and in how many trials; None if
    it does not explain them.
    """
    cases = [case] if one.in_one_trial else [case, *_sharing(case, others)]
    left, explained, mine = 0.0, 0, 0.0
    for each in cases:
        zs = tried.left(one, case, each)
        if zs is None:
            if each is case:
                return None
            continue
        holds = max(zs, default=0.0) <= BALANCES
        if each is case:
            if not holds:
                return None
            mine = max(zs, default=0.0)
        explained += holds
        left += sum(z * z for z in zs)
    return (left, mine, explained) if explained >= SHARE * len(cases) else None


def _sharing(case: Case, others: Sequence[Case]) -> list[Case]:
    bodies = {b.name for b in case.trial.followed}
    sharing = [
        c
        for c in others
        if c.id != case.id and bodies & {b.name for b in c.trial.followed} and c.accounts
    ]
    step = max(1, -(-len(sharing) // (MOST_TRIALS - 1)))
    return sharing[::step]


def _hypotheses(case: Case) -> Iterator[Hypothesis]:
    masses = case.project.masses(case.entry)
    known = {body: fact.si for body, (_, fact) in masses.items()}
    for body, (key, fact) in masses.items():
        for power in POWERS:
            new = {**known, body: fact.si * 10.0**power}
            yield Hypothesis(
                "mass-decimal",
                mass_key(body),
                partial(fact_set, key=key, fact=scaled(fact, 10.0**power)),
                f"The mass of {body} seems {10 ** abs(power)} times too "
                f"{'small' if power > 0 else 'large'}; with {scaled(fact, 10.0**power)}",
                f"Take {scaled(fact, 10.0**power)} for {body}",
                _usual_masses(new) - 0.2 * abs(power),
                short=f"the mass of {body} is {10 ** abs(power)} times too "
                f"{'small' if power > 0 else 'large'}",
            )
    for key, fact in case.project.setup.items():
        name = next((n for n in OTHERS if key.name.startswith(n)), "")
        if not name:
            continue
        usual, factor = OTHERS[name]
        for power in POWERS:
            there = -0.5 * (math.log(abs(fact.si) * 10.0**power / usual) / math.log(factor)) ** 2
            other = scaled(fact, 10.0**power)
            yield Hypothesis(
                "fact-decimal", key.name, partial(fact_set, key=key, fact=other),
                f"The {key.name} seems {10 ** abs(power)} times too "
                f"{'small' if power > 0 else 'large'}; with {other}",
                f"Take {other}", _usual_masses(known) + there - 1.0 - 0.2 * abs(power),
            )  # fmt: skip
    yield from _of_two_bodies(case, known)


def _of_two_bodies(case: Case, known: dict[str, float]) -> Iterator[Hypothesis]:
    bodies = [b.name for b in case.trial.followed]
    for place, one in enumerate(bodies):
        for two in bodies[place + 1 :]:
            if one in known and two in known and known[one] != known[two]:
                yield Hypothesis(
                    "masses-exchanged",
                    f"{one} {two}",
                    partial(masses_exchanged, trial=case.id, one=one, two=two),
                    f"The masses of {one} and {two} seem to be exchanged; the other way round",
                    f"Exchange the masses of {one} and {two}",
                    _usual_masses(known) - 0.5,
                )
    for body in bodies[1:]:
        for axis in case.trial.body(body).axes:
            yield Hypothesis(
                "opposite-axes",
                f"{body} {axis}",
                partial(body_flipped, trials=_of_series(case), body=body, axis=axis),
                f"The axes of {bodies[0]} and {body} seem to point opposite ways along {axis}; "
                f"with that of {body} turned round",
                f"Turn {axis} of {body} round",
                _usual_masses(known) - 1.0,
            )


def _of_series(case: Case) -> tuple[str, ...]:
    return tuple(e.trial.id for e in case.project.entries_of(case.entry.series))


def scaled(fact: Fact, factor: float) -> Fact:
    """Return a fact with value and ± multiplied."""
    digits = 12  # so that 0.85 × 1000 is written 850
    value, spread = (float(f"{one * factor:.{digits}g}") for one in (fact.typed, fact.plus_minus))
    return replace(fact, typed=value, plus_minus=spread)


def _usual_masses(masses: dict[str, float]) -> float:
    return sum(-0.5 * (math.log(m / USUAL_MASS) / MASS_SPREAD) ** 2 for m in masses.values())


def masses_exchanged(project: Project, trial: str, one: str, two: str) -> Edit:
    """Exchange the masses of two bodies, where they hold for a trial."""
    masses = project.masses(project.entry(trial))
    (first, mine), (second, other) = masses[one], masses[two]
    changed = project.with_fact(FactId(first.name, first.scope), other)
    changed = changed.with_fact(FactId(second.name, second.scope), mine)
    return Edit(f"Exchange the masses of {one} and {two}", changed)
