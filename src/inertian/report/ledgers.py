"""Ledgers as JSON, SI at full precision; docs/schemas/ledger-1.json describes the form."""

import math
from typing import Any

from inertian.physics.ledger import Accounts, Ledger
from inertian.project.evaluation import Evaluator
from inertian.project.project import Project
from inertian.quantities.coverage import Scalar
from inertian.quantities.errors import InertianError

SCHEMA = 1
_UNIT = {"kg·m/s": "kg m/s"}  # as ASCII, for scripts


def finite(value: float | None) -> float | None:
    """Return a number, or None where it is not defined: JSON knows no NaN and no infinity."""
    return value if value is not None and math.isfinite(value) else None


def scalar_json(scalar: Scalar) -> dict[str, float | None]:
    """Return value, u, dof (null: u is known exactly, ν infinite), k68 and k95."""
    return {
        "value": finite(scalar.value),
        "u": finite(scalar.u),
        "dof": finite(scalar.dof),
        "k68": finite(scalar.k68),
        "k95": finite(scalar.k95),
    }


def ledger_json(ledger: Ledger, accounts: Accounts) -> dict[str, Any]:
    """Return one ledger; `joint` is the test of all momentum axes together, where there are several."""
    judged = ledger.judgement
    return {
        "law": ledger.law,
        "unit": _UNIT.get(ledger.unit, ledger.unit),
        "expectation": str(ledger.expectation),
        "opening": scalar_json(ledger.opening),
        "entries": [{"name": n, "value": finite(s.value), "u": finite(s.u)} for n, s in ledger.entries],
        "closing": scalar_json(ledger.closing),
        "unaccounted": scalar_json(ledger.unaccounted),
        "z": finite(judged.z),
        "p": finite(judged.p),
        "smallest_visible": finite(judged.smallest_visible),
        "verdict": None if judged.verdict is None else str(judged.verdict),
        "bodies": [
            {"name": b.name, "opening": scalar_json(b.opening), "closing": scalar_json(b.closing)}
            for b in ledger.bodies
        ],
    }


def ledgers_json(project: Project, name: str) -> tuple[dict[str, Any], list[str]]:
    """Return all ledgers of all trials, and one line for each trial that has none, with the reason."""
    evaluator = Evaluator()
    trials: list[dict[str, Any]] = []
    refusals: list[str] = []
    for entry in project.entries:
        accounts = evaluator.accounts(project, entry.trial.id)
        if isinstance(accounts, InertianError):
            refusals.append(f"{entry.trial.name}: {accounts}")
            trials.append({"name": entry.trial.name, "ledgers": []})
        else:
            ledgers = [ledger_json(ledger, accounts) for ledger in accounts.ledgers]
            trials.append({"name": entry.trial.name, "ledgers": ledgers})
    return {"project": name, "schema": SCHEMA, "trials": trials}, refusals
