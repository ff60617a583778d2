"""What the lines above a table tell about it: units, the frame rate, a scale in pixels."""

import re
from collections.abc import Sequence
from dataclasses import dataclass, field

from inertian.files.cells.column_titles import Role, folded, read_title
from inertian.files.cells.number_parsing import value_of
from inertian.files.cells.recipes import Stated
from inertian.quantities.errors import InertianError
from inertian.quantities.units import kind_of, unit_of

_RATE = re.compile(
    r"(\d+(?:[.,]\d+)?)\s*(?:fps\b|hz\b|frames?\s*(?:per|/|a|pro)\s*(?:s\b|sec)|(?:bilder|images|imágenes|pictures)\s*"
    r"(?:per|/|par|pro|por)\s*s|b/s\b)|(?:fps|frame\s*rate|framerate|bildrate|frames?\s*(?:per|/)\s*s\w*|"
    r"sampling rate|sample rate|rate|abtastrate|cadence)"
    r"\s*(?:\([^)]*\))?\s*[:=,;\t]?\s*(\d+(?:[.,]\d+)?)",
    re.IGNORECASE,
)
_NUMBER = r"\d+(?:[.,]\d+)?(?:\s*±\s*\d+(?:[.,]\d+)?)?"
_SCALES = (
    re.compile(
        rf"{_NUMBER}\s*(?:px|pixels?)\s*(=|are|is|:|equals)\s*{_NUMBER}\s*(?:mm|cm|dm|m|in|ft)\b",
        re.IGNORECASE,
    ),
    re.compile(
        rf"{_NUMBER}\s*(?:mm|cm|dm|m|in|ft)\s*(=|are|is|:|equals)\s*{_NUMBER}\s*(?:px|pixels?)\b",
        re.IGNORECASE,
    ),
    re.compile(rf"{_NUMBER}\s*(?:mm|cm|dm|m|in|ft)\s*(/|per)\s*(?:px|pixels?)\b", re.IGNORECASE),
)
_PER_LENGTH = re.compile(
    rf"({_NUMBER})\s*(?:px|pixels?)\s*(?:/|per)\s*(mm|cm|dm|m|in|ft)\b", re.IGNORECASE
)
_UNIT_LIST = re.compile(
    r"^\s*(?:units?|einheiten|einheit|unités?|unidades)\s*[:=,;\t]\s*(.+)$", re.IGNORECASE
)
_NAMED = re.compile(
    r"((?:[^\W_]\w*\s*(?:,|\band\b|\bund\b|\bet\b|&)\s*)*[^\W_]\w*)\s*(?:\bin\b|\ben\b|[:=])\s*"
    r"([A-Za-zµ]+(?:/s[²2]?)?)(?![\w(])"
)
_BODY = re.compile(
    r"^\s*(?:body|object|objekt|corps|cuerpo|corpo)\s*[:=]\s*([^\W\d][\w .-]{0,30})$", re.IGNORECASE
)
_TICK = re.compile(
    r"(?:1\s*)?ticks?\s*(?:=|is|:|of)\s*(\d+(?:[.,]\d+)?)\s*(s|ms|us|µs|ns)\b"
    r"|(\d+(?:[.,]\d+)?)\s*ticks?\s*(?:per|/)\s*(s|sec|second|ms)\b",
    re.IGNORECASE,
)
_SAID = re.compile(
    r"([^\W\d_]+)(?:\s+unit)?\s*(?:\bin\b|:|=|\[|\(|/)\s*\[?([A-Za-zµ]+(?:/s[²2]?)?)\b",
    re.IGNORECASE,
)


@dataclass(frozen=True)
class Preamble:
    """Units by column place, by role or by the name of a column, frames (or ticks) per second,
    metres per pixel and the one body's name, where the preamble tells them.
    """

    by_place: tuple[str, ...] = ()
    by_role: dict[Role, str] = field(default_factory=dict)
    frame_rate: float | None = None
    scale: Stated | None = None
    by_name: dict[str, str] = field(default_factory=dict)
    body: str = ""


def read_preamble(lines: Sequence[str], width: int) -> Preamble:
    """Return what some lines of text tell about a table of `width` columns."""
    by_place: tuple[str, ...] = ()
    by_role: dict[Role, str] = {}
    rates, scales = set(), set()
    by_name: dict[str, str] = {}
    body = ""
    for line in lines[:400]:
        text = line[:400]
        rates |= {_value(a or b) for a, b in _RATE.findall(text)} | _tick_rates(text)
        said = _BODY.match(text.lstrip("#%/!;*' "))
        body = body or (said[1].strip() if said else "")
        scale = _scale(text)
        if scale is not None:
            scales.add(scale)
        listed = _UNIT_LIST.match(text.lstrip("#%/!;*' "))
        if listed:
            cells = [
                c.strip(" []()")
                for c in re.split(r"[,;\t|]+|\s{1,}", listed[1])
                if c.strip(" []()")
            ]
            if len(cells) == width - 1 > 0:
                cells = ["", *cells]  # of the columns beside the time
            if len(cells) == width and any(kind_of(c) for c in cells):
                by_place = tuple(c if kind_of(c) else "" for c in cells)
                continue
        if scale is None:
            by_name |= _named_units(text)
            for word, unit in _SAID.findall(text):
                role, kind = read_title(word).role, kind_of(unit)
                word_role = (
                    Role.POSITION
                    if word.casefold() in ("positions", "lengths", "distances", "length")
                    else role
                )
                if (kind == "time" and word_role is Role.TIME) or (
                    kind == "length" and word_role is Role.POSITION and len(word) > 1
                ):
                    by_role.setdefault(word_role, unit)
    return Preamble(
        by_place,
        by_role,
        rates.pop() if len(rates) == 1 else None,
        scales.pop() if len(scales) == 1 else None,
        by_name,
        body,
    )


def _named_units(text: str) -> dict[str, str]:
    """The units of columns that a sentence names: "t in s, x and y in m"."""
    text = re.sub(r"^[\W_]*(?:units?|einheiten|unités?|unidades)\s*[:=]\s*", "", text, flags=re.I)
    found = {}
    for names, unit in _NAMED.findall(text):
        if kind_of(unit) in ("length", "time"):
            for name in re.split(r"\s*(?:,|&|\band\b|\bund\b|\bet\b)\s*", names):
                found[folded(name)] = unit
    return found


def _tick_rates(text: str) -> set[float]:
    """Ticks per second: "1 tick = 4 us", "2000 ticks per second"."""
    rates = set()
    for length, unit, count, per in _TICK.findall(text):
        value = _value(length or count)
        second = unit_of("time", unit or per).factor
        if value > 0.0:
            rates.add(round(1.0 / (value * second), 9) if length else value / second)
    return rates


def _value(text: str) -> float:
    found = value_of(text, ".")
    return found[0] if found else 0.0


def _scale(text: str) -> Stated | None:
    """A scale as it would be typed; without ±, the last digit written is the step of the
    reading.
    """
    for pattern in _SCALES:
        match = pattern.search(text)
        if match is not None:
            joint = "=" if match[1] not in ("/", "per") else "/"
            return _parsed(
                f"{text[match.start() : match.start(1)]}{joint}{text[match.end(1) : match.end()]}"
            )
    match = _PER_LENGTH.search(text)
    return _parsed(f"{match[1]} px = 1.000000 {match[2].lower()}") if match is not None else None


def _parsed(text: str) -> Stated | None:
    from inertian.files.cells.stated_scales import parse_scale

    try:
        return parse_scale(text)
    except InertianError:
        return None
