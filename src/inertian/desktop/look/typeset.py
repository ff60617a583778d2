"""Formulas and symbols as they are printed: subscripts, powers and signs instead of what is
typed.
"""

import html
import re

_LETTER = r"[^\W\d_]"
_SUBSCRIPT = re.compile(rf"({_LETTER})_(\w+)")
_POWER = re.compile(r"(?:\*\*|\^)\s*(-?[\w.]+|\([^()]*\))")
_RAISED = {"²": "2", "³": "3", "⁴": "4"}
_LOW = str.maketrans("0123456789aehijklmnoprstuvx", "₀₁₂₃₄₅₆₇₈₉ₐₑₕᵢⱼₖₗₘₙₒₚᵣₛₜᵤᵥₓ")


def typeset(text: str) -> str:
    """Return a typed formula as rich text: v_x with x below the line, v^2 with 2 above it, · and −
    as signs.
    """
    plain = html.escape(text.strip())
    for sign, power in _RAISED.items():
        plain = plain.replace(sign, f"^{power}")
    plain = _POWER.sub(lambda m: f"<sup>{m[1].strip('()')}</sup>", plain)
    plain = plain.replace("*", "·").replace("-", "−")
    return _SUBSCRIPT.sub(lambda m: f"<i>{m[1]}</i><sub>{m[2].replace('_', ', ')}</sub>", plain)


def typeset_plain(symbol: str) -> str:
    """Return a symbol with its subscript below the line where there are such letters, else as it
    is.
    """
    name, _, low = symbol.partition("_")
    raised = low.translate(_LOW)
    return name + raised if low and not re.search(r"[A-Za-z0-9_]", raised) else symbol
