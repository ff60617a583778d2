"""Everything with a name that one trial gives: results of its accounts, readings, parameters of
curves, facts of the setup, and its variables.
"""

import re
from collections.abc import Callable, Iterator
from dataclasses import dataclass
from enum import StrEnum
from functools import lru_cache, partial

import numpy as np

from inertian.analysis.evaluation import Evaluator
from inertian.analysis.models.model_results import fit_alone
from inertian.motion.recording.frame import CENTRE
from inertian.physics.accounts.account_results import results_of_motion
from inertian.physics.accounts.encounters import Impact
from inertian.physics.accounts.ledger import Accounts, Ledger, impact_of, restitution_of
from inertian.physics.accounts.statements import EXPECTED, WHOLE, AmountOf, Unaccounted
from inertian.physics.definitions.derived_quantities import ACCOUNT_FACTS, SETUP_FACTS
from inertian.physics.definitions.fact_names import ACCEPTED, SCALE, TIME_BASE, mass_key
from inertian.physics.definitions.reading_units import unit_of_reading
from inertian.physics.readings.budgets import estimate_of
from inertian.project.project import GRAVITY, RESTITUTION, Entry, Project, setup_key
from inertian.project.variables import si_unit_of
from inertian.quantities.coverage import Scalar
from inertian.quantities.errors import InertianError
from inertian.quantities.estimates import ErrorShape, Estimate, SharedPart, fact_part
from inertian.quantities.facts import Fact, FactId


class ColumnKind(StrEnum):
    """What a column of the table of results holds."""

    VARIABLE = "variable"  # what was set by hand
    READING = "reading"
    RESULT = "result"  # of accounts
    AMOUNT = "amount"  # in an account, at its ends
    CURVE = "curve"  # a parameter of one
    MODEL = "model"  # what was fitted in one
    FACT = "fact"  # of the setup
    NAME = "name"  # what the trial's name says
    FORMULA = "formula"


IN_NAME = "number in the name"
_NUMBER = re.compile(r"[-+−]?\d+(?:[.,]\d+)?")
GRAVITY_NAME = "gravity"


@dataclass(frozen=True, eq=False)
class Value:
    """One value of a trial: a scalar in `unit`, an SI unit or %; or a word. `hangs` tells what it
    hangs on, to first order.
    """

    kind: ColumnKind
    scalar: Scalar | None = None
    text: str = ""
    unit: str = ""
    hangs: Callable[[], Estimate | None] = lambda: None


def trial_values(project: Project, entry: Entry, evaluator: Evaluator) -> dict[str, Value]:
    """Return everything with a name that a trial gives; what it does not give is left out."""
    found: dict[str, Value] = {}
    for name, value in _in_order(project, entry, evaluator):
        found.setdefault(name, value)
    return found


def _in_order(project: Project, entry: Entry, evaluator: Evaluator) -> Iterator[tuple[str, Value]]:
    for name, typed in entry.variables:
        yield name, variable_value(entry, name, typed)
    yield from _readings(project, entry, evaluator)
    try:
        accounts = evaluator.accounts(project, entry.trial.id)
    except InertianError as error:
        accounts = error
    if isinstance(accounts, Accounts):
        results = accounts.results
        for name, (one, unit) in results.items():
            yield name, Value(ColumnKind.RESULT, one, "", unit, partial(results.estimate, name))
        for ledger in accounts.ledgers:
            yield from _amounts(ledger)
    elif entry.spans.contact is not None:
        yield from _without_masses(project, entry, evaluator)
    yield from _curves(project, entry, evaluator)
    yield from _models(project, entry, evaluator)
    yield from _facts(project, entry)
    number = _NUMBER.findall(entry.trial.name)
    if number:
        known = float(number[-1].replace(",", ".").replace("−", "-"))
        yield IN_NAME, Value(ColumnKind.NAME, Scalar(known, 0.0, np.inf))


def variable_value(entry: Entry, name: str, typed: Fact | str) -> Value:
    """Return the value of a variable as it was typed for a trial."""
    if isinstance(typed, str):
        return Value(ColumnKind.VARIABLE, text=typed)
    key = variable_key(entry, name)
    made = Estimate(typed.si, {}, {key: 1.0})
    unit = si_unit_of(typed)
    return Value(ColumnKind.VARIABLE, scalar_of_fact(typed), "", unit, lambda: made)


def variable_key(entry: Entry, name: str) -> FactId:
    """Return the identity of what was set by hand for one trial."""
    return FactId(f"variable {name}", f"trial {entry.trial.id}")


def scalar_of_fact(fact: Fact) -> Scalar:
    """Return a fact as a scalar, with the distribution that its ± means."""
    width = (np.sqrt(3.0) * fact.u,) if fact.bounded and fact.u > 0.0 else ()
    spread = 0.0 if width else fact.u
    return Scalar(fact.si, fact.u, np.inf, ErrorShape(spread, np.inf, width))


def _readings(project: Project, entry: Entry, evaluator: Evaluator) -> Iterator[tuple[str, Value]]:
    if not entry.named:
        return
    context = evaluator.trial_context(project, entry)
    made = evaluator.named(project, entry)
    for named in entry.named:
        one = made[named.name]
        if isinstance(one, InertianError):
            continue
        hangs = partial(estimate_of, context, named)
        unit = unit_of_reading(named.shown, named.kind)
        yield named.name, Value(ColumnKind.READING, one, "", unit, hangs)


def _without_masses(
    project: Project, entry: Entry, evaluator: Evaluator
) -> Iterator[tuple[str, Value]]:
    """What a contact says before anything is weighed: restitution, speeds and velocities."""
    found = evaluator.collision_inputs(project, entry.trial.id)
    if isinstance(found, InertianError):
        return
    e = restitution_of(found)
    if e is not None:
        hangs = partial(impact_of(found).estimate, Impact.RESTITUTION)
        yield "restitution", Value(ColumnKind.RESULT, e, "", "", hangs)
    results = results_of_motion(found.encounter, found.inputs)
    for name, (one, unit) in results.items():
        yield name, Value(ColumnKind.RESULT, one, "", unit, partial(results.estimate, name))


def _amounts(ledger: Ledger) -> Iterator[tuple[str, Value]]:
    """The totals of an account at its ends, what should be there at the last, and what is left."""
    last, unit = len(ledger.dates) - 1, ledger.unit
    whole = AmountOf(0), AmountOf(last), EXPECTED, Unaccounted(WHOLE)
    for word, key in zip(("before", "after", "expected", "unaccounted"), whole, strict=True):
        if key in ledger.amounts:
            hangs = partial(ledger.amounts.estimate, key)
            yield (
                f"{ledger.law} {word}",
                Value(ColumnKind.AMOUNT, ledger.amounts[key], "", unit, hangs),
            )


def _curves(project: Project, entry: Entry, evaluator: Evaluator) -> Iterator[tuple[str, Value]]:
    for made in evaluator.curves(project, entry):
        if isinstance(made, InertianError):
            continue
        asked = made.request
        for symbol, scalar in made.parameters:
            name = f"{symbol} of the {asked.shape} over “{asked.span}” of {asked.body}"
            hangs = made.estimates.get(symbol)
            yield (
                name,
                Value(
                    ColumnKind.CURVE, scalar, "", made.units.get(symbol, ""), partial(_same, hangs)
                ),
            )


def _models(project: Project, entry: Entry, evaluator: Evaluator) -> Iterator[tuple[str, Value]]:
    """What was fitted in models of this trial alone; what trials share is no value of one."""
    for model in entry.models:
        if model.shared:
            continue
        found = fit_alone(evaluator, project, entry, model)
        if isinstance(found, InertianError):
            continue
        for one in found.free:
            if one.force < 0:
                continue
            hangs = found.estimates[found.key(0, one.code)]
            value = Value(
                ColumnKind.MODEL, found.scalar(one.code), "", one.unit, partial(_same, hangs)
            )
            yield f"{one.name} of model {model.name}", value


def _same(estimate: Estimate | None) -> Estimate | None:
    return estimate


def known_facts(project: Project, entry: Entry) -> dict[str, tuple[FactId, Fact]]:
    """Return the facts that hold for a trial, by name."""
    found = {}
    bodies = tuple(b.name for b in entry.trial.bodies)
    for name in _fact_names(bodies, entry.trial.in_pixels):
        fact = project.fact(name, entry)
        if fact is None and name == GRAVITY_NAME:
            fact = FactId(name), GRAVITY
        if fact is not None:
            found[name] = fact
    return found


@lru_cache(maxsize=256)
def _fact_names(bodies: tuple[str, ...], in_pixels: bool) -> tuple[str, ...]:
    """The names of all facts that a trial of some bodies may use."""
    found = [mass_key(body) for body in bodies]
    for known in (*SETUP_FACTS, *ACCOUNT_FACTS):
        found += [setup_key(known.name, body) for body in (bodies if known.of_bodies else ("",))]
    found += [RESTITUTION, TIME_BASE, *CENTRE.values()]
    return (*found, SCALE) if in_pixels else tuple(found)


def _facts(project: Project, entry: Entry) -> Iterator[tuple[str, Value]]:
    for name, (key, fact) in known_facts(project, entry).items():
        made = Estimate(fact.si, {}, {key: 1.0})
        unit = si_unit_of(fact)
        yield name, Value(ColumnKind.FACT, scalar_of_fact(fact), "", unit, partial(_same, made))


def parts_of_facts(project: Project, entry: Entry) -> list[SharedPart]:
    """Return what the ± of all facts, and of what was set by hand, gives what hangs on them."""
    facts = list(known_facts(project, entry).values())
    facts += [(k, f) for k, f in project.setup.items() if k.name.startswith(ACCEPTED)]
    facts += [
        (variable_key(entry, name), typed)
        for name, typed in entry.variables
        if isinstance(typed, Fact)
    ]
    return [fact_part(key, fact) for key, fact in dict(facts).items()]
