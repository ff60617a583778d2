"""Ledgers as JSON, SI at full precision; docs/schemas/ledger-2.json describes the form."""

import math
from collections.abc import Iterator, Mapping
from typing import Any

from inertian.analysis.evaluation import Evaluator
from inertian.physics.accounts.events import EventKind
from inertian.physics.accounts.ledger import Accounts, Ledger, PeriodLine
from inertian.physics.accounts.verdicts import Judgement
from inertian.project.project import Entry, Project
from inertian.quantities.coverage import Scalar
from inertian.quantities.errors import InertianError, Refusal, unforeseen
from inertian.quantities.rounding import write_estimate

SCHEMA = 2
# As ASCII, for scripts
_UNIT = {"kg·m/s": "kg m/s", "kg·m²/s": "kg m2/s", "N·s": "N s"}


def finite(value: float | None) -> float | None:
    """Return a number, or None where it is not defined: JSON knows no NaN and no infinity."""
    return value if value is not None and math.isfinite(value) else None


def unit_name(unit: str) -> str:
    """Return a unit as JSON has it, for scripts."""
    return _UNIT.get(unit, unit)


def scalar_json(scalar: Scalar) -> dict[str, float | None]:
    """Return value, u, dof (null: u is known exactly, ν infinite), k68 and k95."""
    return {
        "value": finite(scalar.value),
        "u": finite(scalar.u),
        "dof": finite(scalar.dof),
        "k68": finite(scalar.k68),
        "k95": finite(scalar.k95),
    }


def _judged(judged: Judgement) -> dict[str, Any]:
    return {
        "z": finite(judged.z),
        "p": finite(judged.p),
        "smallest_visible": finite(judged.smallest_visible),
        "verdict": None if judged.verdict is None else str(judged.verdict),
    }


def _date_json(ledger: Ledger, place: int) -> dict[str, Any]:
    """One date: the amounts of all bodies together, by form, and those of each body."""

    def forms(body: str, names: tuple[str, ...]) -> dict[str, Any]:
        return {n: scalar_json(ledger.amount(place, body, n)) for n in names}

    date = ledger.dates[place]
    return {
        "name": date.name,
        "t": date.t,
        "amount": scalar_json(ledger.amount(place)),
        "forms": forms("", ledger.form_names),
        "bodies": [
            {
                "name": body,
                "amount": scalar_json(ledger.amount(place, body)),
                "forms": forms(body, ledger.forms_of(body)),
            }
            for body in ledger.body_names
        ],
    }


def _period_json(period: PeriodLine) -> dict[str, Any]:
    return {
        "from": period.start,
        "to": period.stop,
        "entries": [
            {
                "name": entry.name,
                "source": entry.source,
                "value": finite(amount.value),
                "u": finite(amount.u),
            }
            for entry, amount in period.entries
        ],
        "unaccounted": scalar_json(period.unaccounted),
        **_judged(period.judgement),
    }


def ledger_json(ledger: Ledger) -> dict[str, Any]:
    """Return one ledger."""
    return {
        "law": ledger.law,
        "unit": _UNIT.get(ledger.unit, ledger.unit),
        "expectation": str(ledger.expectation),
        "dates": [_date_json(ledger, k) for k in range(len(ledger.dates))],
        "periods": [_period_json(period) for period in ledger.periods],
        "opening": scalar_json(ledger.opening),
        "entries": [
            {"name": n, "value": finite(s.value), "u": finite(s.u)} for n, s in ledger.entries
        ],
        "closing": scalar_json(ledger.closing),
        "unaccounted": scalar_json(ledger.unaccounted),
        **_judged(ledger.judgement),
        "bodies": [
            {"name": b.name, "opening": scalar_json(b.opening), "closing": scalar_json(b.closing)}
            for b in ledger.bodies
        ],
    }


def trial_json(
    entry: Entry, accounts: Accounts | InertianError, event: str, file: str
) -> dict[str, Any]:
    """Return what one trial says: its event, spans, ledgers and results; no ledgers where there is
    a reason why.
    """
    found = None if isinstance(accounts, InertianError) else accounts
    return {
        "name": entry.trial.name,
        "file": file,
        "event": event if found is None else found.event,
        "spans": [
            {"kind": str(s.kind), "name": s.name, "t0": float(s.start), "t1": float(s.stop)}
            for s in entry.spans
        ],
        "ledgers": [ledger_json(ledger) for ledger in found.ledgers] if found else [],
        "results": {
            name: {**scalar_json(one), "unit": _UNIT.get(unit, unit)}
            for name, (one, unit) in (found.results if found else {}).items()
        },
    }


def all_accounts(project: Project) -> Iterator[tuple[Entry, Accounts | InertianError, str]]:
    """Yield each trial with its accounts, or the reason why there are none, and its event."""
    evaluator = Evaluator()
    for entry in project.entries:
        event = str(EventKind.NONE)
        try:
            event = str(evaluator.event(project, entry).kind)
            yield entry, evaluator.accounts(project, entry.trial.id), event
        except Exception as error:  # one bad trial stops none of the others
            yield entry, Refusal(unforeseen(error)), event


def ledgers_json(
    project: Project, name: str | None = None, files: Mapping[str, str] | None = None
) -> tuple[dict[str, Any], list[str]]:
    """Return all ledgers of all trials, and one line for each trial that has none, with the
    reason. `files` are the paths of trials, by id, where they are not those of the project.
    """
    trials: list[dict[str, Any]] = []
    refusals: list[str] = []
    for entry, accounts, event in all_accounts(project):
        file = (files or {}).get(entry.trial.id, entry.trial.provenance.file)
        if isinstance(accounts, InertianError):
            refusals.append(f"{file if files else entry.trial.name}: {accounts}")
        try:
            trials.append(trial_json(entry, accounts, event, file))
        except Exception as error:  # one bad trial stops none of the others
            refusals.append(f"{entry.trial.name}: {unforeseen(error)}")
    return {"schema": SCHEMA, "project": name, "trials": trials}, refusals


def ledgers_text(project: Project) -> tuple[list[str], list[str]]:
    """Return the same as lines for reading, rounded, with the joint test of several axes; and the
    refusals.
    """
    lines: list[str] = []
    refusals: list[str] = []
    for entry, accounts, event in all_accounts(project):
        if isinstance(accounts, InertianError):
            refusals.append(f"{entry.trial.name}: {accounts}")
            continue
        lines.append(f"{entry.trial.name}: {accounts.event or event}")
        for ledger in accounts.ledgers:
            lines.append(_line(ledger))
        if accounts.together:
            lines.append(
                f"  momentum along {' and '.join(accounts.together.axes)} together: "
                f"{accounts.together.verdict}"
            )
        lines += [
            f"  {name}: {write_estimate(one.value, one.u, unit)}"
            for name, (one, unit) in accounts.results.items()
        ]
    return lines, refusals


def _line(ledger: Ledger) -> str:
    """One ledger in one line: its amounts at all dates, entries, what is left, and the verdict."""
    amounts = [
        f"{date.name} {_written(ledger.amount(k), ledger)}" for k, date in enumerate(ledger.dates)
    ]
    entries = [f"{name} {_written(one, ledger)}" for name, one in ledger.entries]
    left = f"unaccounted {_written(ledger.unaccounted, ledger)}"
    verdict = f": {ledger.judgement.verdict}" if ledger.judgement.verdict else ""
    return f"  {ledger.law}: {', '.join([*amounts, *entries, left])}{verdict}"


def _written(one: Scalar, ledger: Ledger) -> str:
    return write_estimate(one.value, one.u, ledger.unit)
