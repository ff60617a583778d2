"""Ledgers as JSON, SI at full precision; docs/schemas/ledger-1.json describes the form."""

import math
from collections.abc import Iterator
from typing import Any

from inertian.analysis.evaluation import Evaluator
from inertian.physics.accounts.ledger import Accounts, Ledger
from inertian.project.project import Project
from inertian.quantities.coverage import Scalar
from inertian.quantities.errors import InertianError
from inertian.quantities.rounding import write_estimate

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


def ledger_json(ledger: Ledger) -> dict[str, Any]:
    """Return one ledger."""
    judged = ledger.judgement
    return {
        "law": ledger.law,
        "unit": _UNIT.get(ledger.unit, ledger.unit),
        "expectation": str(ledger.expectation),
        "opening": scalar_json(ledger.opening),
        "entries": [
            {"name": n, "value": finite(s.value), "u": finite(s.u)} for n, s in ledger.entries
        ],
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


def all_accounts(project: Project) -> Iterator[tuple[str, Accounts | InertianError]]:
    """Yield each trial's name with its ledgers, or with the reason why there are none."""
    evaluator = Evaluator()
    for entry in project.entries:
        yield entry.trial.name, evaluator.accounts(project, entry.trial.id)


def ledgers_json(project: Project) -> tuple[dict[str, Any], list[str]]:
    """Return all ledgers of all trials, and one line for each trial that has none, with the
    reason.
    """
    trials: list[dict[str, Any]] = []
    refusals: list[str] = []
    for name, accounts in all_accounts(project):
        if isinstance(accounts, InertianError):
            refusals.append(f"{name}: {accounts}")
            trials.append({"name": name, "ledgers": []})
        else:
            trials.append(
                {"name": name, "ledgers": [ledger_json(ledger) for ledger in accounts.ledgers]}
            )
    return {"project": project.name, "schema": SCHEMA, "trials": trials}, refusals


def ledgers_text(project: Project) -> tuple[list[str], list[str]]:
    """Return the same as lines for reading, rounded, with the joint test of several axes; and the
    refusals.
    """
    lines: list[str] = []
    refusals: list[str] = []
    for name, accounts in all_accounts(project):
        if isinstance(accounts, InertianError):
            refusals.append(f"{name}: {accounts}")
            continue
        lines.append(name)
        for ledger in accounts.ledgers:
            sides = {
                "before": ledger.opening,
                "after": ledger.closing,
                "unaccounted": ledger.unaccounted,
            }
            amounts = ", ".join(
                f"{side} {write_estimate(s.value, s.u, ledger.unit)}" for side, s in sides.items()
            )
            verdict = f": {ledger.judgement.verdict}" if ledger.judgement.verdict else ""
            lines.append(f"  {ledger.law}: {amounts}{verdict}")
        if accounts.together:
            lines.append(
                f"  momentum along {' and '.join(accounts.together.axes)} together: "
                f"{accounts.together.verdict}"
            )
    return lines, refusals
