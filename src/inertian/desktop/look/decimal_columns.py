"""Numbers below one another with their decimal marks in one line."""

import re
from collections.abc import Sequence

from PyQt6.QtGui import QFontMetricsF
from PyQt6.QtWidgets import QLabel

_MARKUP = re.compile(r"<[^>]*>")
# What stands before the mark of a number; one in brackets has a power of ten, and another scale
_WHOLE = re.compile(r"^\s*[+\-−]?\d+")


def lined_up(labels: Sequence[QLabel]) -> None:
    """Push labels that are aligned at the right so far left that the marks of their first numbers
    stand below one another; others, and several lines, stay.
    """
    tails = {}
    for one in labels:
        plain = _MARKUP.sub("", one.text())
        whole = _WHOLE.match(plain)
        if whole is not None and "<br" not in one.text():
            tails[one] = QFontMetricsF(one.font()).horizontalAdvance(plain[whole.end() :])
    longest = max(tails.values(), default=0.0)
    for one in labels:
        margin = round(longest - tails[one]) if one in tails else 0
        one.setContentsMargins(0, 0, margin, 0)
