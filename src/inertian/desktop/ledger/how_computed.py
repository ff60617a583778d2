"""How the numbers of an account came about, and its results: lines for reading and copying."""

import html
from collections.abc import Mapping

from PyQt6.QtCore import Qt
from PyQt6.QtWidgets import QHBoxLayout, QLabel, QWidget

from inertian.desktop.look import words
from inertian.desktop.look.number_format import format_estimate, format_number
from inertian.physics.accounts.ledger import Accounts, Ledger


class HowComputed(QWidget):
    """Two columns: results at the left; where amounts are read, and formulas, at the right."""

    def __init__(self) -> None:
        super().__init__()
        self.results, self.lines = QLabel(), QLabel()
        row = QHBoxLayout(self)
        row.setContentsMargins(16, 8, 16, 8)
        row.setSpacing(32)
        for part in (self.results, self.lines):
            part.setTextFormat(Qt.TextFormat.RichText)
            part.setAlignment(Qt.AlignmentFlag.AlignTop)
            part.setTextInteractionFlags(Qt.TextInteractionFlag.TextSelectableByMouse)
        self.lines.setWordWrap(True)
        row.addWidget(self.results)
        row.addWidget(self.lines, 1)

    def show_account(self, accounts: Accounts, ledger: Ledger) -> None:
        """Show results of all accounts of a trial, and how one of them came about."""
        found = [
            words.RESULT_LINE.format(
                name=html.escape(name), value=format_estimate(one.value, one.u, unit)
            )
            for name, (one, unit) in accounts.results.items()
        ]
        self.results.setText(_part(words.RESULTS_TITLE, found))
        self.lines.setText(
            _part(words.READINGS_TITLE, _readings(ledger, accounts.read_from))
            + _part(words.FORMULAS_TITLE, _formulas(ledger))
        )


def _part(title: str, lines: list[str]) -> str:
    return f"<b>{title}</b><br>{'<br>'.join(lines)}<br>" if lines else ""


def _readings(ledger: Ledger, read_from: Mapping[tuple[str, int], str]) -> list[str]:
    lines = []
    for place, date in enumerate(ledger.dates):
        for body in ledger.body_names:
            span = read_from.get((body, place))
            if span is None:
                continue
            form = words.READ_FROM if span else words.READ_LOCALLY
            said = form.format(body=body, date=date.name, time=format_number(date.t, 5), span=span)
            lines.append(html.escape(said, quote=False))
    return lines


def _formulas(ledger: Ledger) -> list[str]:
    lines = [
        words.FORM_LINE.format(form=name, formula=words.FORM_SAID[name])
        for name in ledger.form_names
    ]
    sources = {e.name: e.source for own in ledger.statement.entries for e in own}
    lines += [
        html.escape(words.ENTRY_LINE.format(name=name, source=source), quote=False)
        for name, source in sources.items()
    ]
    return [*lines, words.UNACCOUNTED_FORMULA]
