"""Small parts of the margin of the trends: labels that wrap, fields that tell when they are done,
lists that are not too wide.
"""

import html
from collections.abc import Callable

from PyQt6.QtCore import Qt
from PyQt6.QtWidgets import QCheckBox, QLabel, QLineEdit

from inertian.analysis.trends.line_fit import LineFit
from inertian.desktop.look import words
from inertian.desktop.look.labels import DropDown, label
from inertian.desktop.look.number_format import chance, format_number
from inertian.desktop.look.theme import decimal_mark

LEAST_LETTERS = 10  # that a drop-down list shows


def numbers_of(fit: LineFit) -> list[str]:
    """Return χ², degrees of freedom, and R² last, as lines."""
    lines = []
    if fit.chi_squared is not None:
        p = "" if fit.p is None else words.P_SAID.format(p=chance(fit.p))
        chi = format_number(fit.chi_squared, 3)
        lines.append(words.CHI.format(chi=chi, dof=fit.dof, p=p))
    for name, one in fit.parameters.items():
        dof = "∞" if one.dof > 1e6 else format_number(one.dof, 3)
        lines.append(words.NUMBER_DOF.format(name=html.escape(name), dof=dof))
    if fit.r_squared is not None:
        lines.append(words.R_SQUARED.format(r=format_number(fit.r_squared, 5)))
    return lines


def narrow(choice: DropDown) -> DropDown:
    """A drop-down list that is no wider than the margin; its items say all when it is open."""
    choice.setSizeAdjustPolicy(choice.SizeAdjustPolicy.AdjustToMinimumContentsLengthWithIcon)
    choice.setMinimumContentsLength(LEAST_LETTERS)
    return choice


def small(value: float) -> str:
    """A part of a ± with two figures, plain where that is short."""
    plain = f"{value:.2g}"
    return plain.replace(".", decimal_mark()) if "e" not in plain else format_number(value, 2)


def wrapped(role: str) -> QLabel:
    """Return a label in a role of the style sheet that wraps its rich text."""
    made = label("", role)
    made.setWordWrap(True)
    made.setTextFormat(Qt.TextFormat.RichText)
    return made


def typed_field(hint: str, name: str, then: Callable[[str], None]) -> QLineEdit:
    """A field that tells what was typed when it is done."""
    made = QLineEdit()
    made.setPlaceholderText(hint)
    made.setAccessibleName(name)

    def done() -> None:
        if made.isModified():
            made.setModified(False)
            then(made.text().strip())

    made.editingFinished.connect(done)
    return made


def set_quietly(box: QCheckBox, on: bool) -> None:
    """Tick a box without asking for anything."""
    box.blockSignals(True)
    box.setChecked(on)
    box.blockSignals(False)
