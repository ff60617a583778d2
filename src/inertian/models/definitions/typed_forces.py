"""Forces as they are typed: a name with its parameters, `quadratic drag c=0.02±0.01 kg/m`, or
`formula "-b*v" b=0.1 kg/s`; with `on BODY` for one body alone.
"""

import re
from collections.abc import Sequence
from dataclasses import replace

from inertian.models.definitions.force_kinds import (
    FORMULA,
    ForceKind,
    ParameterKind,
    force_kind,
    force_names,
)
from inertian.models.definitions.model import Force, Parameter
from inertian.quantities.dimensions import parse_unit
from inertian.quantities.errors import InertianError, Refusal, UnitError
from inertian.quantities.expressions import parse_formula
from inertian.quantities.facts import Fact, Meaning, parse_fact
from inertian.quantities.units import SI_SYMBOL, Unit, unit_of

LONGEST = 600  # characters of a force
_SYMBOL = re.compile(r"(?<![^\s,;])(?P<symbol>[^\W\d][\w₀₁₂]*)\s*=\s*")
_QUOTED = re.compile(r"^\s*[\"“”'‘’„](?P<text>[^\"“”'‘’„]*)[\"“”'‘’„]\s*")
_ON = re.compile(r"^\s*(?:on|of)\s+", re.IGNORECASE)
_ALONG = re.compile(r"^\s*along\s+(?P<axis>[xy])\b", re.IGNORECASE)
_ALONG_LAST = re.compile(r"\s+along\s+(?P<axis>[xy])\s*$", re.IGNORECASE)
_FREE = re.compile(r"^(?P<value>.*?)[\s,;(]*\b(?:free|fitted)\b\s*\)?\s*$", re.IGNORECASE)
_COMPOUND = re.compile(r"^(?P<numbers>.*?[\d)])\s*(?P<unit>[^\W\d_°%].*|[°%].*|1/.*)$")


def parse_force(text: str) -> Force:
    """Read one force. Raises Refusal, FactError, UnitError or FormulaError, with what is wrong."""
    if len(text) > LONGEST:
        raise Refusal(f"“{text[:40]}…” is too long for a force.")
    kind, rest = _named(text)
    formula = ""
    if kind.name == FORMULA:
        formula, rest = _formula(text, rest)
    first = _SYMBOL.search(rest)
    before, values = (rest[: first.start()], rest[first.start() :]) if first else (rest, "")
    last = _ALONG_LAST.search(values)
    values = values[: last.start()] if last else values
    along = last or _ALONG.search(before)
    axis = along["axis"].lower() if along else "x"
    before = _ALONG.sub("", before)
    on = _ON.match(before)
    if before.strip(" ,;") and on is None:
        raise Refusal(
            f"“{before.strip()[:40]}” in “{text[:60]}” is not understood. Write a force, and its "
            "parameters as c=0.02 kg/m; on BODY for one body alone."
        )
    bodies = [b.strip() for b in before[on.end() :].split(",") if b.strip()] if on else []
    parameters = tuple(_parameters(kind, values))
    return Force(kind.name, parameters, tuple(bodies), formula, axis)


def _named(text: str) -> tuple[ForceKind, str]:
    plain = text.strip()
    for name in force_names():
        spelled = re.escape(name).replace(r"\ ", r"[\s_]+")
        found = re.match(rf"{spelled}(?![\w-])", plain, re.IGNORECASE)
        if found:
            return force_kind(name), plain[found.end() :]
    return force_kind(plain.split("=")[0]), ""  # refuses, with the names there are


def _formula(text: str, rest: str) -> tuple[str, str]:
    quoted = _QUOTED.match(rest)
    if quoted:
        formula, rest = quoted["text"], rest[quoted.end() :]
    else:
        first = _SYMBOL.search(rest)
        end = first.start() if first else len(rest)
        formula, rest = rest[:end], rest[end:]
    if not formula.strip():
        raise Refusal(f'“{text[:60]}” has no formula. Write: formula "-b*v".')
    parse_formula(formula)
    return formula.strip(), rest


def _parameters(kind: ForceKind, values: str) -> list[Parameter]:
    found = list(_SYMBOL.finditer(values))
    made: list[Parameter] = []
    for place, one in enumerate(found):
        end = found[place + 1].start() if place + 1 < len(found) else len(values)
        value = values[one.end() : end].strip(" ,;")
        own = kind.parameter(one["symbol"]) if kind.name != FORMULA else None
        symbol = own.symbol if own else one["symbol"]
        if any(p.symbol == symbol for p in made):
            raise Refusal(f"{one['symbol']} is written twice.")
        spelled = one["symbol"] if one["symbol"] != symbol else ""
        made.append(replace(typed_parameter(symbol, value, own), spelled=spelled))
    return made


def typed_parameter(symbol: str, text: str, kind: ParameterKind | None) -> Parameter:
    """Return a parameter as it is typed: "0.02 ± 0.01 kg/m", "free", "0.02 kg/m free", or "? kg/m"
    for one of a formula. Raises Refusal, FactError or UnitError.
    """
    free = _FREE.match(text)
    value = free["value"] if free else text
    if value.lstrip().startswith("?"):
        return Parameter(symbol, None, True, _checked_unit(value.lstrip(" ?")))
    if not value.strip():
        if free is None:
            raise Refusal(f"{symbol}= has no value. Write, for example, {symbol}=0.02 or free.")
        return Parameter(symbol, None, True)
    return Parameter(symbol, parse_value(value, kind), free is not None)


def parse_value(text: str, kind: ParameterKind | None) -> Fact:
    """Read the value of a parameter of a known kind, or of one of a formula, in any unit.

    Without ±, a bare number stands for itself and is exact; one with a last digit that is read off
    says so by its ±. Raises FactError, UnitError or Refusal.
    """
    if kind is not None:
        unit = unit_of(kind.kind, "°" if kind.kind == "angle" else SI_SYMBOL[kind.kind])
        fact = parse_fact(text, kind.kind, unit)
        if fact.si < kind.least:
            raise Refusal(f"{kind.label} cannot be below {kind.least:g}.")
        return _as_typed(fact)
    for one in SI_SYMBOL:
        try:
            return _as_typed(parse_fact(text, one, unit_of(one, SI_SYMBOL[one])))
        except UnitError:
            continue
    found = _COMPOUND.match(text.strip())
    if found is None:
        raise Refusal(f"“{text[:40]}” is no value with a unit.")
    plain = parse_fact(found["numbers"], "number", unit_of("number", ""))
    unit = Unit(_checked_unit(found["unit"]), "number", parse_unit(found["unit"])[0])
    return _as_typed(Fact(plain.typed, plain.plus_minus, plain.meaning, unit))


def _as_typed(fact: Fact) -> Fact:
    """A value without ± is meant as it stands: a model is asked what follows if it holds."""
    if fact.meaning is not Meaning.LAST_DIGIT:
        return fact
    return Fact(fact.typed, 0.0, Meaning.EXACT, fact.unit)


def _checked_unit(text: str) -> str:
    parse_unit(text)
    return text.strip()


def force_text(force: Force) -> str:
    """Return a force as it is typed, so that it can be read again."""
    parts = [force.kind]
    if force.formula:
        parts.append(f'"{force.formula}"')
        if force.axis != "x":
            parts.append(f"along {force.axis}")
    if force.bodies:
        parts.append(f"on {', '.join(force.bodies)}")
    return " ".join([*parts, *(_parameter_text(p) for p in force.parameters)])


def _parameter_text(one: Parameter) -> str:
    if one.fact is None:
        unknown = f"? {one.unit}" if one.unit else "free"
        return f"{one.symbol}={unknown}"
    return f"{one.symbol}={one.fact}{' free' if one.free else ''}"


def free_parameters(forces: Sequence[Force], names: Sequence[str]) -> tuple[Force, ...]:
    """Return forces with the parameters of these names free, as "c", or "c of A" for the force on
    one body alone. Raises Refusal for a name that none has.
    """
    changed = list(forces)
    for name in names:
        symbol, _, body = (part.strip() for part in name.partition(" of "))
        hit = False
        for place, force in enumerate(changed):
            own = _symbol_of(force, symbol)
            if own is None or (body and body not in force.bodies):
                continue
            one = force.parameter(own)
            spelled = symbol if symbol != own else one.spelled
            changed[place] = force.with_parameter(replace(one, free=True, spelled=spelled))
            hit = True
        if not hit:
            raise Refusal(f"No force of the model has a parameter “{name[:40]}”.")
    return tuple(changed)


def _symbol_of(force: Force, symbol: str) -> str | None:
    if force.kind == FORMULA:
        return symbol if symbol in parse_formula(force.formula).names else None
    try:
        return force_kind(force.kind).parameter(symbol).symbol
    except InertianError:
        return None
