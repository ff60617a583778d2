"""The models of the trial in hand beside the window: fitted on a thread of its own; while a slider
is moved, the curve with the tried value follows at once.
"""

from collections.abc import Sequence
from functools import partial
from threading import Event
from typing import TYPE_CHECKING

from PyQt6.QtCore import pyqtSignal

from inertian.analysis.evaluation import Evaluator
from inertian.desktop.state.background_state import BackgroundState
from inertian.desktop.state.document import Document
from inertian.desktop.state.timers import once_after
from inertian.models.definitions.model import Model
from inertian.project.project import Entry, Project
from inertian.quantities.errors import InertianError
from inertian.quantities.estimates import Array

if TYPE_CHECKING:
    from inertian.analysis.models.model_results import ModelResult
    from inertian.analysis.models.shown_curves import ShownCurve
    from inertian.models.stepping.program import SteppedMotion
    from inertian.physics.definitions.requests import QuantityRef

PAUSE_MS = 80  # after a change, until the models are fitted anew
REMEMBERED = 40  # fitted models that are kept


class ModelsState(BackgroundState):
    """The models of the trial in hand. Signals: `fitted` when their answers are there, `chosen`
    when another is in hand, `tried` while a slider moves, `progress` with the runs of a fit.
    """

    fitted = pyqtSignal()
    chosen = pyqtSignal()
    tried = pyqtSignal()
    progress = pyqtSignal(int)

    def __init__(self, document: Document) -> None:
        super().__init__(document)
        self._evaluator, self._for = Evaluator(), document.evaluator
        self.answers: dict[str, ModelResult | InertianError] = {}  # by name, of the trial in hand
        self.curves: dict[tuple[str, QuantityRef], list[ShownCurve]] = {}
        self.ready: tuple[Model, ...] = ()  # that fit the event
        self.said: tuple[str, ...] = ()  # how the models compare
        self.known_for: tuple[Project, str] | None = None
        self.name = ""  # of the model in hand
        self.hidden: set[str] = set()  # names of models whose curves are not shown
        self.strips: tuple[QuantityRef, ...] = ()
        self.tried_motion: SteppedMotion | None = None
        self.tried_values: dict[str, float] = {}
        self.shown = False
        self._kept: dict[object, ModelResult] = {}
        self._pause = once_after(self, PAUSE_MS, self._ask)
        document.changed.connect(self.ask)
        document.selected.connect(self.ask)

    # -- what is in hand ---------------------------------------------------------------------------

    @property
    def entry(self) -> Entry | None:
        """The trial in hand, as it is in the project now."""
        return self._document.entry

    @property
    def models(self) -> tuple[Model, ...]:
        """The models of the trial in hand."""
        entry = self.entry
        return entry.models if entry is not None else ()

    @property
    def model(self) -> Model | None:
        """The model in hand, or None if there is none."""
        found = [m for m in self.models if m.name == self.name]
        return found[0] if found else (self.models[0] if self.models else None)

    @property
    def answer(self) -> "ModelResult | InertianError | None":
        """What is known of the model in hand."""
        return self.answers.get(self.model.name) if self.model is not None else None

    @property
    def result(self) -> "ModelResult | None":
        """The fit of the model in hand, or None where there is none."""
        found = self.answer
        return None if found is None or isinstance(found, InertianError) else found

    def axes(self) -> list[tuple[str, list[str]]]:
        """The bodies of the model in hand with the axes they move along, "angle" for one that
        turns.
        """
        if self.result is not None:
            bodies = self.result.trial.made.system.bodies
            return [(b.name, [c.axis for c in b.coordinates]) for b in bodies]
        entry = self.entry
        return [(b.name, list(b.axes)) for b in entry.trial.followed] if entry is not None else []

    def start_text(self) -> str:
        """Where the model in hand starts now, as it could be typed."""
        result, lines = self.result, []
        if result is None:
            return ""
        trial = result.trial
        for c, x, v in zip(trial.made.system.coordinates, trial.places, trial.rates, strict=True):
            names = ("φ", "ω") if c.axis == "angle" else (c.axis, f"v_{c.axis}")
            units = ("rad", "1/s") if c.axis == "angle" else ("m", "m/s")
            for name, value, unit in zip(names, (x, v), units, strict=True):
                lines.append(f"{c.body} {name} = {value:.4g} ± 0 {unit}")
        return "\n".join(lines)

    def fact_symbols(self) -> set[str]:
        """Symbols of the facts of the setup that formulas may use in the trial in hand."""
        entry = self.entry
        if entry is None:
            return set()
        project = self._document.project
        facts = {**project.setup_facts(entry), **project.account_facts(entry)}
        return {symbol for symbol, body in facts if not body}

    def choose(self, name: str) -> None:
        """Take another model in hand."""
        if name != self.name:
            self.name = name
            self.forget_tried()
            self.chosen.emit()

    # -- working out -------------------------------------------------------------------------------

    def show(self) -> None:
        """Somebody looks: what is not known yet is worked out."""
        self.shown = True
        self.ask()

    def hide(self) -> None:
        """Nobody looks at the stage any more; curves of models stay in the strips of the bench."""
        self.shown = bool(self.models)

    def predictions(self, entry: Entry, shown: "QuantityRef") -> list[tuple[Array, Array, Array]]:
        """Return what the model in hand predicts of a quantity of a trial, for each body: times in
        s, values and their u in SI, (m,); nothing while it is not known.
        """
        model = self.model
        known = self.known_for == (self._document.committed, entry.trial.id)
        if model is None or not known or model.name in self.hidden:
            return []
        return [(c.moments, c.curve, c.u) for c in self.curves.get((model.name, shown), ())]

    def ask(self) -> None:
        """Fit the models again soon, if somebody looks."""
        if self.shown:
            self._pause.start()

    def _ask(self) -> None:
        if self._for is not self._document.evaluator:
            self._evaluator, self._for = Evaluator(), self._document.evaluator
            self._kept = {}
        self._stopped.set()
        stopped = self._stopped = Event()
        project, entry = self._document.committed, self.entry
        if entry is None or entry.trial.id not in {e.trial.id for e in project.entries}:
            return
        entry = project.entry(entry.trial.id)
        if self.known_for == (project, entry.trial.id):
            self.fitted.emit()
            return
        work = partial(self._work, project, entry, self._evaluator, stopped)
        then = partial(self._came, project, entry.trial.id)
        self._worker.run("models", work, then, self._failed)

    def stop(self) -> None:
        """Give up the fit that is under way."""
        self._stopped.set()

    def _work(
        self, project: Project, entry: Entry, evaluator: Evaluator, stopped: Event
    ) -> "tuple[object, ...] | None":
        from inertian.analysis.models.model_results import model_result
        from inertian.analysis.models.ready_models import ready_models
        from inertian.analysis.models.shown_curves import quantities_of, shown_curves
        from inertian.report.model import comparisons

        def told(runs: int, _of: int) -> bool:
            if runs % 5 == 0:
                self.progress.emit(runs)
            return not stopped.is_set()

        ready = ready_models(evaluator, project, entry) if entry.trial.followed else ()
        answers: dict[str, ModelResult | InertianError] = {}
        curves: dict[tuple[str, QuantityRef], list[ShownCurve]] = {}
        context = evaluator.trial_context(project, entry)
        for model in entry.models:
            key = (context, model)
            try:
                if key not in self._kept or model.shared:
                    self._kept[key] = model_result(evaluator, project, entry, model, told)
                result = self._kept[key]
                answers[model.name] = result
                for shown in quantities_of(result):
                    curves[model.name, shown] = shown_curves(evaluator, project, result, shown)
            except InertianError as error:
                if stopped.is_set():
                    return None
                answers[model.name] = error
        while len(self._kept) > REMEMBERED:
            self._kept.pop(next(iter(self._kept)))
        known = [a for a in answers.values() if not isinstance(a, InertianError)]
        return ready, answers, curves, tuple(comparisons(known))

    def _came(self, project: Project, trial: str, found: object) -> None:
        entry = self.entry
        if found is None or entry is None or entry.trial.id != trial:
            return
        if project is not self._document.committed:
            return
        assert isinstance(found, tuple)
        self.ready, self.answers, self.curves, self.said = found
        self.known_for = project, trial
        self.forget_tried()
        self.fitted.emit()

    # -- trying ------------------------------------------------------------------------------------

    def try_values(self, values: dict[str, float]) -> None:
        """Show the curve of the model in hand with other values, by names in the program."""
        from inertian.analysis.models.shown_curves import tried_motion

        if self.result is None:
            return
        self.tried_values = values
        self.tried_motion = tried_motion(self.result, values)
        self.tried.emit()

    def forget_tried(self) -> None:
        """Nothing is tried any more."""
        if self.tried_motion is not None:
            self.tried_motion, self.tried_values = None, {}
            self.tried.emit()

    def shown_models(self) -> Sequence[str]:
        """Names of the models whose curves are shown."""
        return [m.name for m in self.models if m.name not in self.hidden]
