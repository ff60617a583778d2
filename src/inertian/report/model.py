"""Models as JSON and as text; docs/schemas/model-1.json describes the form."""

import re
from collections.abc import Sequence
from itertools import pairwise
from typing import Any

import numpy as np

from inertian.analysis.models.model_results import ModelResult
from inertian.analysis.models.models_apart import farthest_apart
from inertian.models.definitions.model import Model, Rule
from inertian.models.definitions.typed_forces import force_text
from inertian.models.fitting.accounts import ModelLedger, step_moments
from inertian.models.fitting.comparison import nested, preferred
from inertian.models.stepping.as_python import program_text
from inertian.quantities.coverage import Scalar
from inertian.quantities.rounding import chance_words, write_estimate, write_number
from inertian.report.ledgers import finite, scalar_json, unit_name

SCHEMA = 1
TOO_FAR = 0.1  # of the way that is gone, from which a rule is said to fail


def model_json(result: ModelResult) -> dict[str, Any]:
    """Return one fitted model, in SI; what is not defined is null."""
    model, fit = result.model, result.fit
    return {
        "name": model.name,
        "trial": result.entry.trial.name,
        "rule": str(model.rule),
        "step": finite(model.step if model.step is not None else _usual_step(result)),
        "start": _start_json(result),
        "parameters": {
            one.name: {
                "value": finite(found.value),
                "u": finite(found.u),
                "unit": unit_name(one.unit),
                "free": one.free,
                "dof": finite(found.dof),
                "k68": finite(found.k68),
                "k95": finite(found.k95),
            }
            for one in result.settings
            if one.known or one.free
            for found in [result.scalar(one.code)]
        },
        "chi2": finite(fit.chi_squared),
        "dof": fit.dof,
        "p": finite(fit.p),
        "residuals": {
            "pattern": result.pattern.pattern,
            "statistic": finite(result.pattern.statistic),
            "p": finite(result.pattern.p),
            "suggestion": suggestion(result),
        },
        "stepping_error": {
            "position": finite(result.stepping.position),
            "energy": finite(result.stepping.energy) if has_energy(result) else None,
        },
        "aicc": finite(fit.aicc),
        "ledgers": [_ledger_json(one) for one in result.ledgers],
        "forces": [force_text(f) for f in model.forces if f.on],
        "from": result.trial.made.stretch.start,
        "to": result.trial.made.stretch.stop,
        "notes": model_notes(result),
    }


def has_energy(result: ModelResult) -> bool:
    """Whether all masses are known, so that energies have a size."""
    return all(s.known or s.free for s in result.trial.made.system.distinct)


def _usual_step(result: ModelResult) -> float:
    t = step_moments(result.trial, None)
    return float((t[-1] - t[0]) / max(len(t) - 1, 1))


def _start_json(result: ModelResult) -> dict[str, Any]:
    places: dict[str, Any] = {}
    rates: dict[str, Any] = {}
    for c in result.trial.made.system.coordinates:
        for into, name in ((places, c.place), (rates, c.rate)):
            one = result.scalar(name)
            into.setdefault(c.body, {})[c.axis] = {
                "value": finite(one.value),
                "u": finite(one.u),
            }
    return {"t": result.trial.made.stretch.start, "x": places, "v": rates}


def _ledger_json(ledger: ModelLedger) -> dict[str, Any]:
    return {
        "law": ledger.law,
        "of": ledger.of,
        "unit": unit_name(ledger.unit),
        "from": ledger.start,
        "to": ledger.stop,
        "opening": scalar_json(ledger.opening),
        "entries": [
            {"name": name, "value": finite(one.value), "u": finite(one.u)}
            for name, one in ledger.entries
        ],
        "closing": scalar_json(ledger.closing),
        "unaccounted": scalar_json(ledger.unaccounted),
        "change": scalar_json(ledger.change),
    }


def models_json(results: Sequence[ModelResult]) -> dict[str, Any]:
    """Return all fitted models of a command."""
    return {
        "schema": SCHEMA,
        "models": [model_json(one) for one in results],
        "comparisons": comparisons(results),
    }


def suggestion(result: ModelResult) -> str | None:
    """Return in words what kind of force would take a pattern of residuals away, or None."""
    one = result.pattern
    if not one.force:
        return None
    bodies = result.trial.made.system.bodies
    on = f" on {one.body}" if len(bodies) > 1 else ""
    present = any(f.kind == one.force for f in result.model.acting)
    more = "another value of " if present else ""
    either = f", or {' or '.join(one.as_well)}," if one.as_well else ""
    return f"{more}{one.force}{either}{on} would take it away"


def pattern_words(result: ModelResult) -> str:
    """Return in words what residuals say."""
    said, idea = result.pattern.pattern, suggestion(result)
    return f"{said}; {idea}" if idea else said


def fit_notes(result: ModelResult) -> list[str]:
    """Return in words what a reader of the fitted numbers and their ± must know."""
    found = [
        f"the recorded force of {body} is taken as means over {one.averaged} readings each"
        for body, one in result.trial.made.system.recorded.items()
        if one.averaged > 1
    ]
    for code in result.fit.at_bound:
        one = next((s for s in result.settings if s.code == code), None)
        if one is not None:
            found.append(
                f"{one.name} is at its bound of {one.least:g}: the samples do not ask for it"
            )
    for code in result.fit.bent:
        one = next((s for s in result.settings if s.code == code), None)
        if one is not None:
            found.append(
                f"the samples tell less of {one.name} than at first order: its ± is widened to that"
            )
    if result.fit.wider > 1.05:
        found.append(
            f"the samples scatter {result.fit.wider:.2g} times as much as their noise about the "
            "model, and each ± is widened to that"
        )
    return found


def model_notes(result: ModelResult) -> list[str]:
    """Return in words what else there is to say of a fitted model."""
    found = fit_notes(result)
    gone = float(np.max(np.ptp(result.stepping.reference.places, axis=1), initial=0.0))
    if result.stepping.position > TOO_FAR * gone > 0.0:
        found.append(
            f"{result.model.rule} cannot follow these forces with such steps: try shorter ones, or "
            "another rule. The fit does not hang on it"
        )
    found += [f"{at:.4g} s: {what}" for at, what in result.stepping.reference.events[:20]]
    return found


def comparisons(results: Sequence[ModelResult]) -> list[str]:
    """Return in words how models of the same trial compare: with the samples, and with one another
    where there are none.
    """
    found: list[str] = []
    for trial in dict.fromkeys(r.entry.trial.id for r in results):
        own = [r for r in results if r.entry.trial.id == trial]
        if len(own) < 2:
            continue
        best = preferred([(r.model.name, r.fit) for r in own])
        found += [best] if best else []
        # Each with the next larger one; the others follow
        sized = sorted(own, key=lambda r: r.fit.parameters)
        for one, other in pairwise(sized):
            told = nested((one.model, one.fit), (other.model, other.fit))
            found += [told.words] if told else []
        found += [words for other in own[1:] if (words := apart_words(own[0], other))]
    return found


def apart_words(one: ModelResult, other: ModelResult) -> str:
    """Return in words where two models of a trial are farthest apart; "" where they are not."""
    found = farthest_apart(one, other)
    if found is None:
        return ""
    several = len(one.trial.made.context.trial.followed) > 1
    what = f"{found.axis} of {found.body}" if several else found.axis
    more, less = (other, one) if found.by.value > 0.0 else (one, other)
    by = write_estimate(abs(found.by.value), found.by.u, "m")
    return (
        f"{more.model.name} and {less.model.name} are farthest apart at {found.t:.4g} s: {what} is "
        f"{by} larger with {more.model.name}"
    )


def parameter_words(result: ModelResult, code: str) -> str:
    """Return a setting with its ± as it is read."""
    one = next(s for s in result.settings if s.code == code)
    found = result.scalar(code)
    if one.kind == "angle":
        return write_estimate(found.value * 57.29577951308232, found.u * 57.29577951308232, "°")
    return write_estimate(found.value, found.u, one.unit)


def model_text(result: ModelResult) -> list[str]:
    """Return a fitted model as lines for reading."""
    model, fit = result.model, result.fit
    lines = [f"{model.name}, {result.entry.trial.name}"]
    for one in result.settings:
        if one.free:
            lines.append(f"  {one.name} {parameter_words(result, one.code)}")
    if result.trial.made.samples:
        p = "" if fit.p is None else f", p {chance_words(fit.p)}"
        lines.append(f"  χ² {fit.chi_squared:.1f} for {fit.dof} degrees of freedom{p}")
        lines.append(f"  what is left: {pattern_words(result)}")
    energy = f", energy {write_number(result.stepping.energy, 2)} J" if has_energy(result) else ""
    if not result.stepping.follows:
        energy = ""
    lines.append(
        f"  {model.rule}: off by up to {write_number(result.stepping.position, 2)} m{energy}"
    )
    for ledger in result.ledgers if has_energy(result) else ():
        if ledger.law == "energy":
            lines.append("  " + ledger_words(ledger))
            lines += [f"  {said}" for said in explained(ledger)]
    return [*lines, *(f"  {note}" for note in model_notes(result))]


def ledger_words(ledger: ModelLedger) -> str:
    """Return an account in a line."""

    def said(one: Scalar) -> str:
        if not np.isfinite(one.value):
            return "—"
        if one.u == 0.0:
            return f"{write_number(one.value, 2)} {ledger.unit}"
        return write_estimate(one.value, one.u, ledger.unit)

    parts = [f"{name} {said(one)}" for name, one in ledger.entries]
    of = "model" if ledger.of == "model" else "samples"
    return (
        f"{ledger.law} of the {of}: {said(ledger.opening)} → {said(ledger.closing)}; "
        f"{', '.join([*parts, f'unaccounted {said(ledger.unaccounted)}'])}"
    )


def explained(ledger: ModelLedger) -> list[str]:
    """Return in words how much of the change of the samples' energy each force explains."""
    if ledger.of != "data" or not ledger.change.u > 0.0:
        return []
    lost = ledger.change.value < 0.0
    sign = -1.0 if lost else 1.0
    whole = write_estimate(sign * ledger.change.value, ledger.change.u, ledger.unit)
    return [
        f"{name} explains {write_estimate(sign * one.value, one.u)} of the {whole} "
        f"{'lost' if lost else 'gained'}"
        for name, one in ledger.entries
    ]


def python_text(result: ModelResult) -> str:
    """Return the model as a program of its own, with the fitted numbers."""
    trial, model = result.trial, result.model
    title = f"{_plain(model.name)}, {_plain(result.entry.trial.name)}"
    return program_text(
        trial.made.system, model.rule, step_moments(trial, model.step), trial.places, trial.rates,
        trial.values, title,
    )  # fmt: skip


def _plain(name: str) -> str:
    return re.sub(r'["\\]', "", name)


def rules() -> tuple[str, ...]:
    """Return the names of stepping rules that a command may ask for."""
    return tuple(str(rule) for rule in Rule)


def default_name(model: Model) -> str:
    """Return how a model is called that nobody named: by its forces."""
    names = [f.formula or f.kind for f in model.acting]
    return " + ".join(names) if names else "no net force"
