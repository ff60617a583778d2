"""Models to their saved form and back: in a project, and as a readable file of their own."""

import json
from collections.abc import Sequence
from typing import Any

from pydantic import ValidationError

from inertian.models.definitions.force_kinds import FORMULA, force_kind
from inertian.models.definitions.model import (
    Force,
    KeptPrediction,
    Model,
    Parameter,
    Start,
    TypedState,
)
from inertian.project.schema import (
    SavedAmount,
    SavedForce,
    SavedModel,
    SavedParameter,
    SavedPrediction,
    SavedStart,
    SavedState,
)
from inertian.quantities.dimensions import parse_unit
from inertian.quantities.errors import InertianError, Refusal, UnitError
from inertian.quantities.expressions import parse_formula
from inertian.quantities.facts import Fact
from inertian.quantities.units import Unit, unit_of

SCHEMA = 1
LARGEST_FILE = 1_000_000  # bytes of a file of models


def saved_model(model: Model) -> SavedModel:
    """Return the saved form of a model."""
    start = model.start
    return SavedModel(
        name=model.name,
        forces=[_saved_force(f) for f in model.forces],
        bodies=list(model.bodies),
        start=SavedStart(
            span=start.span,
            time=start.time,
            fitted=start.fitted,
            typed=[
                SavedState.model_validate(
                    {
                        "body": s.body,
                        "axis": s.axis,
                        "place": _amount(s.place),
                        "rate": _amount(s.rate),
                    }
                )
                for s in start.typed
            ],
        ),
        rule=model.rule,
        step=model.step,
        until=model.until,
        shared=list(model.shared),
        predictions=[
            SavedPrediction(name=p.name, value=saved_amount(p.fact), when=p.when)
            for p in model.predictions
        ],
    )


def _saved_force(force: Force) -> SavedForce:
    return SavedForce(
        force=force.kind,
        parameters=[
            SavedParameter(
                symbol=p.symbol, value=_amount(p.fact), free=p.free, unit=p.unit, spelled=p.spelled
            )
            for p in force.parameters
        ],
        bodies=list(force.bodies),
        formula=force.formula,
        axis="y" if force.axis == "y" else "x",
        on=force.on,
    )


def _amount(fact: Fact | None) -> SavedAmount | None:
    return None if fact is None else saved_amount(fact)


def saved_amount(fact: Fact) -> SavedAmount:
    """Return the saved form of an amount as it was typed."""
    return SavedAmount(
        kind=fact.unit.kind,
        value=fact.typed,
        plus_minus=fact.plus_minus,
        meaning=fact.meaning,
        unit=fact.unit.symbol,
    )


def _fact(saved: SavedAmount | None) -> Fact | None:
    if saved is None:
        return None
    try:
        unit = unit_of(saved.kind, saved.unit)
    except UnitError:
        if saved.kind != "number":
            raise
        unit = Unit(saved.unit, "number", parse_unit(saved.unit)[0])
    except KeyError:
        raise Refusal(f"There is no kind of quantity “{saved.kind[:40]}”.") from None
    return Fact(saved.value, saved.plus_minus, saved.meaning, unit)


def model_of(saved: SavedModel) -> Model:
    """Return a model from its saved form. Raises InertianError where a force, a unit or a formula
    is none.
    """
    start = saved.start
    return Model(
        saved.name,
        tuple(_force(f) for f in saved.forces),
        tuple(saved.bodies),
        Start(
            start.span,
            start.time,
            start.fitted,
            tuple(TypedState(s.body, s.axis, _fact(s.place), _fact(s.rate)) for s in start.typed),
        ),
        saved.rule,
        saved.step,
        saved.until,
        tuple(saved.shared),
        tuple(
            KeptPrediction(p.name, fact, p.when)
            for p in saved.predictions
            if (fact := _fact(p.value)) is not None
        ),
    )


def _force(saved: SavedForce) -> Force:
    kind = force_kind(saved.force)
    if kind.name == FORMULA:
        parse_formula(saved.formula)
    made = []
    for one in saved.parameters:
        if kind.name != FORMULA:
            kind.parameter(one.symbol)
        if one.unit:
            parse_unit(one.unit)
        made.append(Parameter(one.symbol, _fact(one.value), one.free, one.unit, one.spelled))
    return Force(kind.name, tuple(made), tuple(saved.bodies), saved.formula, saved.axis, saved.on)


def models_text(models: Sequence[Model]) -> str:
    """Return models as a readable file."""
    form: dict[str, Any] = {
        "schema": SCHEMA,
        "models": [saved_model(m).model_dump(mode="json", exclude_defaults=True) for m in models],
    }
    return json.dumps(form, ensure_ascii=False, indent=2) + "\n"


def read_models(text: str) -> tuple[Model, ...]:
    """Return the models of a file. Raises Refusal where it holds none, or one that is damaged."""
    if len(text) > LARGEST_FILE:
        raise Refusal("This file is too large for a list of models.")
    try:
        raw = json.loads(text)
        listed = raw["models"] if isinstance(raw, dict) else None
        if not isinstance(listed, list) or not listed:
            raise Refusal("This file holds no models.")
        if raw.get("schema") != SCHEMA:
            raise Refusal("A newer Inertian saved these models. Update this one.")
        return tuple(model_of(SavedModel.model_validate(one)) for one in listed)
    except (ValueError, KeyError, RecursionError) as error:
        why = str(error.errors()[0]["msg"]) if isinstance(error, ValidationError) else str(error)
        raise Refusal(f"This file holds no models that can be read: {why[:120]}") from None
    except InertianError as error:
        raise Refusal(f"A model of this file cannot be used: {error}") from None
