"""Facts: the measured values of the apparatus, each with ± and what the ± means."""

import math
import re
from dataclasses import dataclass
from enum import StrEnum

from inertian.quantities.errors import FactError, UnitError
from inertian.quantities.rounding import raised, write_shortest
from inertian.quantities.units import Unit, unit_of


class Meaning(StrEnum):
    """What a stated ± means (JCGM 100:2008, 4.3); it decides the standard uncertainty."""

    LIMITS = "limits"  # the value lies surely inside: rectangular, ÷√3
    LAST_DIGIT = "last digit"  # read or rounded to this step: rectangular over one step, step ÷√12
    STANDARD = "standard"  # already a standard uncertainty
    EXPANDED = "95 %"  # an expanded uncertainty with k = 2
    EXACT = "exact"


# In SI units: beyond any laboratory by far, and such that cubes of facts still are numbers
LARGEST, SMALLEST, SMALLEST_PLUS_MINUS = 1e15, 1e-18, 1e-24
_NEVER_TINY = ("mass", "stiffness", "inertia")  # what is divided by
LONGEST = 200  # characters that are looked at for a fact, and digits of a number at most
_MOST_DIGITS = 60
# Of a plain number: a ± in % is a share of smaller ones (0.02 ± 10 %); larger ones are in % too
SHARES_BELOW = 1.5

_DIVISOR = {
    Meaning.LIMITS: math.sqrt(3.0),
    Meaning.LAST_DIGIT: math.sqrt(12.0),
    Meaning.STANDARD: 1.0,
    Meaning.EXPANDED: 2.0,
    Meaning.EXACT: math.inf,
}


@dataclass(frozen=True, order=True)
class FactId:
    """The identity of a fact: what it is, and where it holds ("project", "series NAME" or "trial
    NAME").
    """

    name: str
    scope: str = "project"


@dataclass(frozen=True)
class Fact:
    """A value with its ±, both as typed, in `unit`; `u` and `si` are what the physics uses."""

    typed: float
    plus_minus: float
    meaning: Meaning
    unit: Unit

    def __post_init__(self) -> None:
        """Refuse what no instrument reads. Raises FactError."""
        if not math.isfinite(self.typed):
            raise FactError(str(self.typed), "the value has to be a finite number.")
        if not (math.isfinite(self.plus_minus) and self.plus_minus >= 0.0):
            raise FactError(
                str(self.plus_minus), "the part after ± has to be zero or a positive number."
            )
        value, spread = abs(self.unit.to_si(self.typed)), self.unit.to_si(self.plus_minus)
        tiny = 0.0 < value < SMALLEST and self.unit.kind in _NEVER_TINY
        if max(value, spread) > LARGEST or tiny:
            shown = self.typed if tiny else max(self.typed, self.plus_minus, key=abs)
            raise FactError(
                f"{write_shortest(shown, 6)} {self.unit.symbol}".strip(),
                "no laboratory has that. Check number and unit.",
            )
        if 0.0 < spread < SMALLEST_PLUS_MINUS:
            raise FactError(
                f"± {write_shortest(self.plus_minus, 6)} {self.unit.symbol}".strip(),
                "nothing is known so well. Write ± 0 if it is exact.",
            )

    @property
    def si(self) -> float:
        """The value in SI."""
        return self.unit.to_si(self.typed)

    @property
    def u(self) -> float:
        """The standard uncertainty in SI (JCGM 100:2008, 4.3)."""
        if self.meaning is Meaning.EXACT:
            return 0.0
        return self.unit.to_si(self.plus_minus) / _DIVISOR[self.meaning]

    @property
    def bounded(self) -> bool:
        """Whether the error lies inside limits, with a rectangular distribution (JCGM 101:2008,
        6.4.2).
        """
        return self.meaning in (Meaning.LIMITS, Meaning.LAST_DIGIT)

    def __str__(self) -> str:
        """Return the fact as a person would type it: 19.1 ± 0.1 kg, or 19.1 kg where the last digit
        is the step.
        """
        unit = self.unit.symbol
        if self.meaning is Meaning.EXACT:
            return f"{_with_powers(_plain(self.typed))} ± 0 {unit}".rstrip()
        value, step = _plain(self.typed), _plain(self.plus_minus)
        if "e" not in value + step:
            decimals = max(len(text.partition(".")[2]) for text in (value, step))
            value = f"{self.typed:.{decimals}f}"
        if self.meaning is Meaning.LAST_DIGIT and _last_step(value) == self.plus_minus:
            return f"{_with_powers(value)} {unit}".rstrip()
        return f"{_with_powers(value)} ± {_with_powers(step)} {unit}".rstrip()


def _with_powers(number: str) -> str:
    """2e-07 as 2 × 10⁻⁷, the way numbers are written everywhere."""
    return re.sub(r"e([+-]?\d+)$", lambda m: f" × 10{raised(int(m[1]))}", number)


def _without_powers(text: str) -> str:
    """2 × 10^−7, 2·10⁻⁷ and (2 ± 1) × 10^−7 with e-7 at each number."""
    text = _RAISED.sub(lambda m: "^" + m[0].translate(_LOWERED), text)
    both = _BOTH.match(text)
    if both:
        return _BOTH.sub(r"\1e\3 ± \2e\3", text)
    return _TIMES_POWER.sub(r"e\1", text)


def _plain(value: float) -> str:
    text = repr(value)
    return text[:-2] if text.endswith(".0") else text


_NUMBER = r"[+\-−]?(?:[0-9]+(?:[.,][0-9]*)?|[.,][0-9]+)(?:[eE][+\-−]?[0-9]+)?"
_POWER = r"\s*[×·*xX]\s*10\s*(?:\^|\*\*)\s*([+\-−]?[0-9]+)"
_RAISED = re.compile(r"(?<=10)[⁺⁻]?[⁰¹²³⁴⁵⁶⁷⁸⁹]+")
_LOWERED = str.maketrans("⁺⁻⁰¹²³⁴⁵⁶⁷⁸⁹", "+-0123456789")
_TIMES_POWER = re.compile(rf"(?<=[\d.,]){_POWER}")
_BOTH = re.compile(rf"^\s*\(\s*({_NUMBER})\s*(?:±|\+/-|\+-)\s*({_NUMBER})\s*\){_POWER}")
_FACT = re.compile(
    rf"^\s*(?P<value>{_NUMBER})\s*(?:\((?P<concise>[0-9]+)\))?\s*(?P<unit1>[^\d\s±+\-−(),.][^±+(]*?)?\s*"
    rf"(?:(?:±|\+/-|\+-|\+/−)\s*(?P<pm>{_NUMBER})\s*(?P<unit2>[^\d\s±].*?)?)?\s*$"
)


def parse_fact(text: str, kind: str, default: Unit, meaning: Meaning = Meaning.LIMITS) -> Fact:
    """Read a fact as people write it: "19.1 ± 0.1 kg", "19,1 kg", "19100 g", "19.10(5) kg", "2 kg ±
    1 %".

    A power of ten may be written 2e-7, 2 × 10^−7 or 2·10⁻⁷, and (2 ± 1) × 10^−7 for both. Comma and
    point are both decimal marks; without a unit, `default` is meant. `meaning` says what
    a typed ± means; without ±, the last digit written is the step of the reading. Raises FactError
    or UnitError.
    """
    if len(text) > LONGEST or re.search(rf"\d{{{_MOST_DIGITS}}}", text):
        raise FactError(f"{text[:40]}…", "this is too long for a number with its ± and unit.")
    match = _FACT.match(_without_powers(text))
    if match is None:
        why = (
            "a comma and a point together could mean two things; write only the decimal mark."
            if "," in text and "." in text
            else "write a value and, if you know it, its ±, such as 19.1 ± 0.1 kg."
        )
        raise FactError(text, why)
    number, step = _number(match["value"]), _last_step(match["value"])
    unit1, unit2 = (match["unit1"] or "").strip(), (match["unit2"] or "").strip()
    unit = (
        unit_of(kind, unit1 or ("" if unit2 == "%" else unit2))
        if (unit1 or unit2 not in ("", "%"))
        else default
    )
    if match["concise"]:
        return Fact(number, int(match["concise"]) * step, Meaning.STANDARD, unit)
    if match["pm"] is None:
        return Fact(number, step, Meaning.LAST_DIGIT, unit)
    plus_minus = _number(match["pm"])
    share = kind != "number" or abs(number) < SHARES_BELOW
    if unit2 == "%" and not unit1 and not share:
        unit = unit_of(kind, "%")  # 85 ± 2 %
    elif unit2 == "%" and unit1 != "%" and share:
        plus_minus = abs(number) * plus_minus / 100.0
    elif unit2 and unit1:
        plus_minus = unit.from_si(unit_of(kind, unit2).to_si(plus_minus))
    return Fact(number, plus_minus, Meaning.EXACT if plus_minus == 0 else meaning, unit)


def parse_positive(text: str, kind: str, default: Unit, meaning: Meaning = Meaning.LIMITS) -> Fact:
    """Read a fact that must be above zero, such as a mass. Raises FactError or UnitError."""
    fact = parse_fact(text, kind, default, meaning)
    if not fact.typed > 0.0:
        raise FactError(text, f"a {kind} has to be more than zero.")
    return fact


def _number(text: str) -> float:
    return float(text.replace("−", "-").replace(",", "."))


def _last_step(text: str) -> float:
    mantissa, _, exponent = text.replace(",", ".").replace("−", "-").lower().partition("e")
    decimals = len(mantissa.partition(".")[2])
    return float(f"1e{int(exponent or 0) - decimals}")  # zero or infinite is refused as a fact


__all__ = ["Fact", "FactId", "Meaning", "UnitError", "parse_fact", "parse_positive"]
