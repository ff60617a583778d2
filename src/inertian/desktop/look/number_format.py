"""Numbers as the window shows them: rounded by their ±, with unit and the locale's decimal mark."""

import html
import math
import re

from inertian.desktop.look import words
from inertian.desktop.look.theme import decimal_mark
from inertian.quantities.coverage import Scalar
from inertian.quantities.rounding import (
    chance_words,
    last_place,
    raised,
    write_estimate,
    write_number,
)

_POWER = re.compile(r"10([⁻⁰¹²³⁴⁵⁶⁷⁸⁹]+)")
_BEFORE_UNIT = re.compile(r" (?=[^\W\d]|[%°Ω])")
_LOWERED = str.maketrans("⁻⁰¹²³⁴⁵⁶⁷⁸⁹", "−0123456789")


def format_estimate(value: float, u: float, unit: str = "") -> str:
    """Return value ± u with its unit, as rich text where it has a power of ten."""
    return _with_powers(write_estimate(value, u, unit, decimal_mark()))


def _with_powers(text: str) -> str:
    # Raised by the text engine: the typeface has no raised minus
    return _POWER.sub(lambda power: f"10<sup>{power[1].translate(_LOWERED)}</sup>", text)


def rich(text: str) -> str:
    """Return a sentence with numbers in it as rich text, whatever else stands in it."""
    return _with_powers(html.escape(text))


def without_markup(text: str) -> str:
    """Return a written number as plain text, for the clipboard: 10⁻⁹."""
    return re.sub(r"<sup>(.*?)</sup>", lambda found: raised(int(found[1].replace("−", "-"))), text)


def unbroken(text: str) -> str:
    """Return a written number that no line end takes its unit off."""
    return _BEFORE_UNIT.sub("\N{NO-BREAK SPACE}", text)


def format_tick(value: float, step: float) -> str:
    """Return a number on a scale whose marks are `step` apart."""
    decimals = max(0, math.ceil(-math.log10(step) - 1e-9))
    text = f"{value:.{decimals}f}"
    text = text.lstrip("-") if float(text) == 0 else text
    return text.replace("-", "−").replace(".", decimal_mark())


def format_time(time: float, step: float) -> str:
    """Return a time in s with decimals that tell samples `step` apart from one another."""
    return format_tick(time, 0.1 * step)


def format_number(value: float, figures: int = 3) -> str:
    """Return a number that carries no ±: a time on the ruler, a share, a statistic. Rich text where
    it has a power of ten.
    """
    return _with_powers(write_number(value, figures, decimal_mark()))


def chance(p: float) -> str:
    """Return a probability with its sign: "= 0.31", or "< 0.001"."""
    return chance_words(p).replace(".", decimal_mark())


def intervals_said(scalar: Scalar, unit: str) -> str:
    """Return in words where the true value of a result lies, by its own intervals: they can be
    wider than ± u and 2 u, or lie unevenly. Nothing is said of an exact result.
    """
    if not (scalar.u > 0.0 and math.isfinite(scalar.u)):
        return ""
    place = last_place(scalar.u)

    def end(value: float) -> str:
        figures = max(1, math.floor(math.log10(abs(value))) - place + 1) if value else 1
        return f"{format_number(value, figures)} {unit}".strip()

    (low68, high68), (low95, high95) = scalar.interval68, scalar.interval95
    return words.INTERVALS.format(
        low68=end(low68), high68=end(high68), low95=end(low95), high95=end(high95)
    )
