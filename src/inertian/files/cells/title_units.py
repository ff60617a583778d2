"""Where the unit stands in a column's title, and what the title says without it."""

import re
from collections.abc import Callable

from inertian.quantities.units import kind_of

LONGEST_TITLE = 160  # characters of a title that are looked at
_BRACKETS = re.compile(r"[(\[{<]\s*([^()\[\]{}<>]*(?:\([^()]*\)[^()\[\]{}<>]*)?)\s*[)\]}>]")
_JOINT = re.compile(r"\s+in\s+|\s*[,:]\s*|\s*/\s*|\s+-\s+|[_.]|\s+")
_INSIDE = re.compile(r"(?:^|(?<=[\s_]))(?:in\s+)?(mm|cm|dm|km|ms|us|µs|ns|px|sec)(?=[\s_]+\w)")
_IN_WORDS = re.compile(r"\s+in\s+(\S+)(?=\s+\S)")
_RATE_TAIL = re.compile(
    r"^(?P<name>.+?)_(?P<length>m|cm|mm|km)_(?:per_)?(?P<time>s2|s\^2|s_2|s|h)$"
)
_RISKY_TAILS = frozenset(("t", "h", "g", "p", "in", "°", "%", "ft", "d"))
_NOT_ALONE = frozenset(("in", "ft", "yd", "lb", "min", "second", "foot", "hour", "minute"))
_OTHER_UNIT = re.compile(
    r"[^\d\s]{0,3}(V|A|J|kJ|W|°C|C|K|Hz|Pa|kg\s?[·*]?\s?m/s|N\s?s|Ns|%|px/s|deg/s|rad/s\S?|°/s|T|Ω"
    r"|lx|dB|a\.?u\.?)"
)
_POWER = re.compile(
    r"^(?:[×x*·]\s?)?(?:10\^?|1[eE])[{(]?([-−⁻]?)([\d²³⁶⁹]{1,2})[)}]?\s*[·*]?\s*([ms])$"
)
_PREFIXED = {
    (-2, "m"): "cm", (-3, "m"): "mm", (-6, "m"): "µm", (3, "m"): "km", (-1, "m"): "dm",
    (-3, "s"): "ms", (-6, "s"): "µs", (-9, "s"): "ns",
}  # fmt: skip
_RAISED = str.maketrans("²³⁶⁹", "2369")


def _spelled(unit: str, whole: str) -> str:
    """A unit as tables spell it: 10⁻² m as cm, and CM as cm in a title that has capitals only
    there.
    """
    power = _POWER.match(unit)
    if power is not None:
        exponent = int(power[2].translate(_RAISED)) * (-1 if power[1] else 1)
        return _PREFIXED.get((exponent, power[3]), unit)
    if kind_of(unit) is None and unit.isupper() and (len(unit) > 1 or whole.isupper()):
        return unit.lower() if kind_of(unit.lower()) else unit
    return unit


def unit_apart(raw: str, fits: Callable[[str, str], bool]) -> tuple[str, str]:
    """Return name and unit of a title; either may be "". `fits` says whether a name is one of the
    kind of quantity that a doubtful unit measures.
    """
    text = " ".join(raw[:LONGEST_TITLE].strip().lstrip("#%").split())
    text = text.removesuffix("()").strip()
    rate = _RATE_TAIL.match(text)
    if rate is not None:
        return rate["name"].replace(
            "_", " "
        ).strip(), f"{rate['length']}/{'s²' if '2' in rate['time'] else rate['time']}"
    if len(text) > 1 and text not in _NOT_ALONE and kind_of(text):
        return "", text
    found = _in_brackets(text, fits)
    if found is not None:
        return found
    found = _at_the_end(text, fits)
    return _inside(text) if found is None else found


def _in_brackets(text: str, fits: Callable[[str, str], bool]) -> tuple[str, str] | None:
    """A unit in brackets anywhere in the title, the last one first."""
    groups = list(_BRACKETS.finditer(text))
    for group in reversed(groups):
        unit = _spelled(group[1].strip(), text)
        name = text[: group.start()].rstrip(" /,_:-")
        rest = text[group.end() :].strip(" /,_:-")
        if unit == "t" and fits(name, "length"):
            continue  # x(t) is a position
        if kind_of(unit):
            return f"{name} {rest}".strip(), unit
        if group.end() == len(text):
            if unit in ("", "-", "1"):
                return name, ""
            if _OTHER_UNIT.fullmatch(unit):
                return name, unit
    return (text, "") if groups and groups[-1].end() == len(text) else None


def _at_the_end(text: str, fits: Callable[[str, str], bool]) -> tuple[str, str] | None:
    """A unit at the end of the title, behind a joint or a blank; the longest unit first."""
    for joint in _JOINT.finditer(text):
        name, unit = text[: joint.start()].strip(" ,/:-_."), text[joint.end() :].strip()
        unit = _spelled(unit, text) if "/" in joint[0] or "," in joint[0] else unit
        known = kind_of(unit)
        if known is None or not name:
            continue
        bare = not joint[0].strip()
        letter = (
            bare
            and len(unit) < 2
            and (unit not in ("s", "m", "N") or name.casefold() not in ("position", "ort", "weg"))
        )
        risky = unit in _RISKY_TAILS and "in" not in joint[0] and "/" not in joint[0]
        if not letter and not (risky and not fits(name, known)):
            return name, unit
    return None


def _inside(text: str) -> tuple[str, str]:
    """A unit in the middle of the title, which says more behind it: "x in mm mark 1"."""
    words = _IN_WORDS.search(text)
    if words is not None and kind_of(words[1]):
        return f"{text[: words.start()]} {text[words.end() :].strip()}".strip(), words[1]
    middle = _INSIDE.search(text)
    if middle is not None and middle.start() > 0:
        name = f"{text[: middle.start()].rstrip(' _')} {text[middle.end() :].strip(' _')}"
        return name.strip(), middle[1]
    return text, ""
