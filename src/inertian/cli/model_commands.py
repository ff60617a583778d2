"""The command about models: forces beside trials, stepped, fitted, compared."""

import json
from dataclasses import replace
from pathlib import Path
from typing import TYPE_CHECKING, Annotated

import typer

from inertian.cli.opened_trials import (
    FactOption,
    JsonOption,
    RecipeOption,
    SaveOption,
    TogetherOption,
    opened,
)
from inertian.cli.refusals import refuse

if TYPE_CHECKING:
    from inertian.analysis.models.model_results import ModelResult
    from inertian.models.definitions.model import Model
    from inertian.project.project import Entry, Project

WITHOUT_DATA, AXES = "without data", {"x": ("x",), "y": ("y",), "xy": ("x", "y")}
ForceOption = Annotated[
    list[str] | None,
    typer.Option(
        help='A force with parameters, "quadratic drag c=0.02±0.01 kg/m"; may be repeated'
    ),
]


def model(
    files: Annotated[
        list[Path] | None, typer.Argument(help="A project file, or recordings of any kind")
    ] = None,
    trial: Annotated[list[str] | None, typer.Option(help="Only these trials, by name")] = None,
    force: ForceOption = None,
    free: Annotated[str, typer.Option(help="Parameters to be fitted, with commas between")] = "",
    shared: Annotated[
        str, typer.Option(help="Free parameters that all trials have in common")
    ] = "",
    start: Annotated[
        str, typer.Option(help="A span, or a moment in s; else the first sample")
    ] = "",
    state: Annotated[
        list[str] | None,
        typer.Option(help='Where a body starts, "A v = 1.40 ± 0.01 m/s"; may be repeated'),
    ] = None,
    keep_start: Annotated[
        bool, typer.Option("--keep-start", help="Take the start as it is read, do not adjust it")
    ] = False,
    until: Annotated[float | None, typer.Option(help="The last moment, in s")] = None,
    rule: Annotated[
        str, typer.Option(help="euler, semi-implicit, verlet, rk4 or reference")
    ] = "verlet",
    step: Annotated[float | None, typer.Option(help="In s; else from sample to sample")] = None,
    body: Annotated[list[str] | None, typer.Option(help="Only these bodies")] = None,
    without_data: Annotated[
        float | None,
        typer.Option(
            help="Run models without any recording for so many s; with --body, --along, --state"
        ),
    ] = None,
    along: Annotated[str, typer.Option(help="Without data: x, or xy for a plane")] = "x",
    name: Annotated[str, typer.Option(help="What the model is called")] = "",
    python: Annotated[
        Path | None, typer.Option(help="Write the model as a program of its own, OUT.py")
    ] = None,
    recipe: RecipeOption = None,
    fact: FactOption = None,
    together: TogetherOption = False,
    save: SaveOption = None,
    as_json: JsonOption = False,
) -> None:
    """Run forces beside trials: fitted, stepped, compared, with their accounts."""
    from inertian.quantities.errors import InertianError
    from inertian.report.model import (
        comparisons,
        model_text,
        models_json,
        python_text,
        rules,
    )

    if rule not in rules():
        refuse([f"--rule {rule}: choose one of {', '.join(rules())}."])
        return
    if step is not None and not step > 0.0:
        refuse([f"--step {step}: a step is more than zero."])
        return
    try:
        shares = bool(shared.strip())
        refusals: list[str] = []
        if without_data is not None:
            project = _without_data(files, body, along, without_data, step, fact)
        else:
            project, refusals = opened(files or [], recipe, fact or [], together or shares)
        made = None
        if force:
            made = _typed_model(
                force, free, shared, start, keep_start, until, rule, step, body, name
            )
        elif free.strip():
            refuse(["--free goes with --force: say the forces as well."])
            return
        if not project.entries:
            refuse(refusals or ["Say which project or recordings, or --without-data SECONDS."])
            return
        found, missing, project = _results(project, trial or [], made, "; ".join(state or []))
        if save is not None:
            from inertian.project.saving import save as save_project

            save_project(project, save)
        if python is not None and found:
            python.write_text(python_text(found[0]), encoding="utf-8")
    except InertianError as error:
        refuse([str(error)])
        return
    except OSError as error:
        refuse([f"{python or save}: it cannot be written here ({error.strerror or error})."])
        return
    if as_json:
        print(json.dumps(models_json(found), ensure_ascii=False, allow_nan=False))
    else:
        lines = [line for one in found for line in model_text(one)]
        print("\n".join([*lines, *comparisons(found)]))
    refuse([*refusals, *missing])


def _without_data(
    files: list[Path] | None, bodies: list[str] | None, along: str, duration: float,
    step: float | None, facts: list[str] | None,
) -> "Project":  # fmt: skip
    """A project of one trial that has a clock and bodies only. Raises InertianError."""
    from inertian.motion.recording.without_data import MOMENTS, trial_without_data
    from inertian.project.project import Project, with_trials
    from inertian.project.typed_facts import with_typed_fact
    from inertian.quantities.errors import Refusal

    if files:
        raise Refusal("--without-data goes without files: give one or the other.")
    if along not in AXES:
        raise Refusal(f"--along {along}: choose one of {', '.join(AXES)}.")
    each = step if step is not None else duration / MOMENTS
    made = trial_without_data(WITHOUT_DATA, bodies or ["A"], AXES[along], duration, each)
    project = with_trials(Project(), [made], WITHOUT_DATA)
    for text in facts or []:
        project = with_typed_fact(project, text)
    return project


def _typed_model(
    force: list[str], free: str, shared: str, start: str, keep_start: bool, until: float | None,
    rule: str, step: float | None, body: list[str] | None, name: str,
) -> "Model":  # fmt: skip
    """The model that a command describes. Raises InertianError."""
    from inertian.models.definitions.model import Model, Rule, Start
    from inertian.models.definitions.typed_forces import free_parameters, parse_force
    from inertian.report.model import default_name

    forces = free_parameters([parse_force(text) for text in force], _split(free))
    begin = Start(fitted=not keep_start)
    if start.strip():
        try:
            begin = replace(begin, time=float(start.replace(",", ".").removesuffix("s")))
        except ValueError:
            # What a span says of the start is kept: the model is to foresee what follows it
            begin = replace(begin, span=start.strip(), fitted=False)
    made = Model(
        "model", forces, tuple(body or ()), begin, Rule(rule), step, until, tuple(_split(shared))
    )
    return replace(made, name=name or default_name(made))


def _split(text: str) -> list[str]:
    return [part.strip() for part in text.split(",") if part.strip()]


def _started(made: "Model", entry: "Entry", state: str) -> "Model":
    """A model with the start that is typed. Raises InertianError."""
    from inertian.models.definitions.force_kinds import Acts, force_kind
    from inertian.models.definitions.typed_starts import parse_states

    if not state.strip():
        return made
    turning = any(force_kind(f.kind).acts is Acts.TURNING for f in made.acting)
    axes = [(b.name, ["angle"] if turning else list(b.axes)) for b in entry.trial.followed]
    return replace(made, start=replace(made.start, typed=parse_states(state, axes)))


def _results(
    project: "Project", trials: list[str], made: "Model | None", state: str
) -> tuple[list["ModelResult"], list[str], "Project"]:
    """Fitted models of all trials asked for, why others are missing, and the project with the model
    that was typed. Raises InertianError for a trial that is none.
    """
    from inertian.analysis.evaluation import Evaluator
    from inertian.analysis.models.model_results import model_results
    from inertian.project.model_edits import models_added
    from inertian.quantities.errors import InertianError, Refusal

    names = [e.trial.name for e in project.entries]
    unknown = [t for t in trials if t not in names]
    if unknown:
        raise Refusal(f"There is no trial “{unknown[0][:60]}”. There is: {', '.join(names)}.")
    chosen = [e for e in project.entries if not trials or e.trial.name in trials]
    if made is not None:
        for entry in chosen:
            own = _started(made, entry, state)
            project = models_added(project, entry.trial.id, [own]).project
        chosen = [project.entry(e.trial.id) for e in chosen]
    evaluator, found = Evaluator(), []
    missing: list[str] = []
    asked: list[tuple[Entry, Model]] = [
        (e, m) for e in chosen for m in ([e.models[-1]] if made is not None else e.models)
    ]
    if not asked:
        raise Refusal(
            "There are no models in this project yet. Add --force “sliding friction”, or put a "
            "model beside a trial in the window."
        )
    for group in _fitted_together(asked):
        try:
            found += model_results(evaluator, project, group)
        except InertianError as error:
            missing += [f"{entry.trial.name}, {one.name}: {error}" for entry, one in group]
    return found, missing, project


def _fitted_together(asked: list[tuple["Entry", "Model"]]) -> list[list[tuple["Entry", "Model"]]]:
    """Models that share a parameter, in one series and of one name, are fitted once; the others
    each by itself.
    """
    groups: dict[object, list[tuple[Entry, Model]]] = {}
    for number, (entry, one) in enumerate(asked):
        key = (entry.series, one.name, one.shared) if one.shared else number
        groups.setdefault(key, []).append((entry, one))
    return list(groups.values())
