"""Derived channels of files, as a long table and as JSON; docs/schemas/derive-1.json describes the
latter.
"""

import math
from collections.abc import Mapping, Sequence
from dataclasses import dataclass, replace
from pathlib import Path
from typing import Any

import numpy as np

from inertian.files.interpretation.parsed_file import ParsedFile
from inertian.motion.derivatives.derive import (
    BodyDerived,
    DerivedChannel,
    Method,
    derive,
    noise_of_bodies,
    stated_sigma,
)
from inertian.motion.derivatives.local_derivatives import WindowRequest
from inertian.motion.noise.local_noise import LocalNoise, pool_noise
from inertian.motion.noise.stated_noise import SCATTER_USED, least_noise
from inertian.motion.recording.prepared_trial import prepare
from inertian.motion.recording.tidying import StepKind, TidyStep
from inertian.motion.recording.trials import Trial
from inertian.motion.spans.span_suggestion import suggest_spans
from inertian.motion.spans.spans import Spans
from inertian.quantities.errors import InertianError, Refusal, unforeseen
from inertian.quantities.estimates import Array, Rows
from inertian.quantities.facts import parse_positive
from inertian.quantities.rounding import write_number
from inertian.quantities.units import PIXEL, unit_of
from inertian.report.spans_found import trials_or_reason

SCHEMA = 1
COLUMNS = ("t (s)", "x (m)", "u_x (m)", "v (m/s)", "u_v (m/s)", "a (m/s2)", "u_a (m/s2)")
OF_THE_STEP = "resolution"
OF_COLUMNS = "column"
NO_COLUMN = "no column states the uncertainty of its readings, so it is estimated"
ESTIMATED = "estimated"
JUMPED = "left out: {count} × a sample that fits neither what comes before nor after"


@dataclass(frozen=True)
class NoiseRequest:
    """The σ of position readings in m that a person states: known, of the recording's step, or in
    columns of the file.

    Where nothing was said, columns count if there are any; else it is estimated.
    """

    sigma: float | None = None
    of_step: bool = False
    of_column: bool = True
    insists: bool = False  # on columns

    def of(self, trial: Trial) -> dict[str, float]:
        """Return the given σ by body, in m; without those where it is estimated."""
        if self.of_column:
            return {b.name: sigma for b in trial.followed if (sigma := stated_sigma(b)) is not None}
        if self.of_step:
            return {
                b.name: least_noise(max(c.resolution for c in b.channels)) for b in trial.followed
            }
        return {b.name: self.sigma for b in trial.followed} if self.sigma is not None else {}

    def said_of(self, body: BodyDerived) -> BodyDerived:
        """Return what was derived of a body, with a remark where it was to have the noise of a
        column and has none.
        """
        if not self.insists or body.noise.given or body.noise.remark == SCATTER_USED:
            return body
        remark = "; ".join(part for part in (NO_COLUMN, body.noise.remark) if part)
        return replace(body, noise=replace(body.noise, remark=remark))


def parse_noise(text: str) -> NoiseRequest:
    """Read what was typed for the noise: "0.5 mm", "0.0005" in m, "resolution", "column" or
    "estimated".

    Raises Refusal.
    """
    plain = text.strip().lower()
    if plain in ("", OF_COLUMNS):
        return NoiseRequest(insists=plain == OF_COLUMNS)
    if plain == ESTIMATED:
        return NoiseRequest(of_column=False)
    if plain == OF_THE_STEP:
        return NoiseRequest(of_step=True, of_column=False)
    try:
        return NoiseRequest(
            parse_positive(text, "length", unit_of("length", "m")).si, of_column=False
        )
    except InertianError:
        raise Refusal(
            f"“{text.strip()[:40]}” is not a noise. Write the standard deviation of a reading, "
            "such as 0.5 mm, or one of "
            f"{OF_THE_STEP}, {OF_COLUMNS}, {ESTIMATED}."
        ) from None


@dataclass(frozen=True, eq=False)
class TrialDerived:
    """A trial and what was derived of its bodies; `aside` are rows of samples that jump and were
    left out, by body.
    """

    trial: Trial
    bodies: list[BodyDerived]
    aside: Mapping[str, Rows]


def derive_files(
    files: Sequence[tuple[str, ParsedFile]],
    method: Method,
    window: WindowRequest,
    noise: NoiseRequest,
) -> tuple[list[tuple[str, list[TrialDerived]]], list[str]]:
    """Derive every trial of some files; contacts that the span finder sees are not reached across.

    Also returns why files or trials were refused, a sentence each.
    """
    judged_trials, refusals = [], []
    for path, reading in files:
        trials, why = trials_or_reason(path, reading)
        refusals += [why] if why else []
        own = []
        for trial in trials:
            try:
                own.append(_judged(trial))
            except InertianError as error:
                refusals.append(f"{path}: {error}")
            except Exception as error:  # one bad trial stops none of the others
                refusals.append(f"{path}: {unforeseen(error)}")
        judged_trials.append((path, own))
    noises = iter(pool_noise([n for _, own in judged_trials for one in own for n in one.noises]))
    found = []
    for path, trials_of_file in judged_trials:
        made = []
        for one in trials_of_file:
            own_noises = [next(noises) for _ in one.noises]
            try:
                bodies = derive(one.tidy, one.spans, method, window, noise.of(one.raw), own_noises)
            except Exception as error:
                refusals.append(f"{path}: {unforeseen(error)}")
                continue
            made.append(TrialDerived(one.raw, [noise.said_of(body) for body in bodies], one.aside))
        found.append((path, made))
    return found, refusals


@dataclass(frozen=True, eq=False)
class _Judged:
    """A trial with its contacts, what is left of it without jumps, and the noise of its bodies."""

    raw: Trial
    tidy: Trial
    spans: Spans
    noises: list[LocalNoise]
    aside: Mapping[str, Rows]


def _judged(trial: Trial) -> _Judged:
    for body in trial.followed:
        if any(c.unit.symbol == PIXEL and c.unit.factor == 1.0 for c in body.channels):
            raise Refusal(
                f"{trial.name}: positions of {body.name} are pixels, and no scale is known. "
                "Give the length of a pixel in a recipe."
            )
    tidy = prepare(trial, (TidyStep(StepKind.JUMPS),))
    spans = suggest_spans(tidy.trial)
    return _Judged(trial, tidy.trial, spans, noise_of_bodies(tidy.trial, spans), tidy.aside)


def _columns(one: TrialDerived, body: str, axis: str, d: DerivedChannel) -> tuple[Array, ...]:
    """The columns of one axis, one row for each reading; a reading that was left out has only its
    time and value.
    """
    x = one.trial.body(body).channel(axis).si
    rows = np.flatnonzero(np.isfinite(x))
    places = np.searchsorted(rows, d.rows)

    def spread(values: Array) -> Array:
        whole = np.full(len(rows), np.nan)
        whole[places] = values
        return whole

    return one.trial.t[rows], x[rows], *(spread(v) for v in (d.u_x, d.v, d.u_v, d.a, d.u_a))


def write_table(path: Path, found: Sequence[tuple[str, Sequence[TrialDerived]]]) -> int:
    """Write one row for each reading of each axis, SI at full precision, empty where there is none;
    return the rows.

    Raises OSError.
    """
    import polars

    blocks = []
    for one in (one for _, own in found for one in own):
        for body in one.bodies:
            for axis, d in body.axes.items():
                arrays = _columns(one, body.name, axis, d)
                labels = {"trial": one.trial.name, "body": body.name, "axis": axis}
                numbers = polars.DataFrame(dict(zip(COLUMNS, arrays, strict=True)))
                texts = [polars.lit(text).alias(name) for name, text in labels.items()]
                blocks.append(numbers.select(*texts, polars.col(*COLUMNS).fill_nan(None)))
    empty = dict.fromkeys(("trial", "body", "axis"), polars.String) | dict.fromkeys(
        COLUMNS, polars.Float64
    )
    table = polars.concat(blocks) if blocks else polars.DataFrame(schema=empty)
    with path.open("wb") as out:
        table.write_csv(out)
    return len(table)


def derived_json(
    found: Sequence[tuple[str, Sequence[TrialDerived]]], method: Method, out: Path, rows: int
) -> dict[str, Any]:
    """Return how every body was derived: method, window, noise and its degrees of freedom."""
    files = [
        {
            "path": path,
            "trials": [
                {
                    "name": one.trial.name,
                    "bodies": [_body_json(one, body, method) for body in one.bodies],
                }
                for one in own
            ],
        }
        for path, own in found
    ]
    return {"schema": SCHEMA, "method": str(method), "out": str(out), "rows": rows, "files": files}


def _body_json(one: TrialDerived, body: BodyDerived, method: Method) -> dict[str, Any]:
    noise, trial, aside = body.noise, one.trial, one.aside.get(body.name, ())
    jumped = JUMPED.format(count=len(aside)) if len(aside) else ""
    return {
        "name": body.name,
        "method": str(method),
        "window": {name: _window_json(trial, body, order) for name, order in (("v", 1), ("a", 2))},
        "noise": noise.sigma if math.isfinite(noise.sigma) else None,
        "dof": noise.dof if math.isfinite(noise.dof) and noise.dof > 0.0 else None,
        "given": noise.given,
        "correlation": noise.correlation,
        "time_noise": noise.stamp,
        "resolution": noise.step,
        "set_aside": len(aside),
        "remark": "; ".join(part for part in (jumped, noise.remark) if part),
        "axes": {axis: len(d.rows) for axis, d in body.axes.items()},
    }


def _window_json(trial: Trial, body: BodyDerived, order: int) -> dict[str, Any] | None:
    sizes = [d.windows[order] for d in body.axes.values()]
    if not sizes:
        return None
    together = np.concatenate(sizes)
    typical = float(np.median(together))
    return {
        "samples": typical,
        "least": int(together.min()),
        "most": int(together.max()),
        "seconds": max(typical - 1.0, 1.0) * trial.step(),
    }


def derived_text(found: Sequence[tuple[str, Sequence[TrialDerived]]], method: Method) -> list[str]:
    """Return the same for reading."""
    lines = []
    for path, own in found:
        lines.append(path)
        for one in own:
            lines.append(f"  {one.trial.name}")
            for body in one.bodies:
                lines += _body_text(_body_json(one, body, method))
    return lines


def _body_text(made: dict[str, Any]) -> list[str]:
    source = "given" if made["given"] else f"from the scatter, ν = {made['dof'] or 0.0:.0f}"
    noise = (
        "not known: too few samples"
        if made["noise"] is None
        else f"{write_number(made['noise'], 2)} m ({source})"
    )
    wide = {name: w for name, w in made["window"].items() if w}
    windows = ", ".join(
        f"{name} {w['samples']:.0f} samples ({write_number(w['seconds'])} s)"
        for name, w in wide.items()
    )
    line = f"    {made['name']}: {made['method']}; windows {windows or 'none'}; noise {noise}"
    return [line, f"      {made['remark']}"] if made["remark"] else [line]
