"""What can be done with models: added, changed, copied, shown as a program, exported, imported."""

from collections.abc import Callable
from dataclasses import replace
from pathlib import Path

from PyQt6.QtWidgets import QFileDialog, QInputDialog, QWidget

from inertian.desktop.look import words
from inertian.desktop.look.tokens import Theme
from inertian.desktop.models.python_dialog import PythonDialog
from inertian.desktop.state.document import Document
from inertian.desktop.state.models_state import ModelsState
from inertian.models.definitions.force_kinds import FORMULA, force_kind
from inertian.models.definitions.model import Force, Model, Parameter
from inertian.models.definitions.typed_forces import force_text, parse_force, parse_value
from inertian.models.definitions.typed_starts import parse_states, states_text
from inertian.project.history import Edit
from inertian.project.model_edits import (
    free_model_name,
    model_changed,
    model_for_series,
    model_removed,
    models_added,
    parameter_shared,
    prediction_kept,
)
from inertian.project.saved_models import models_text, read_models
from inertian.quantities.errors import InertianError
from inertian.report.model import default_name, python_text


class ModelActions:
    """Asks the document for edits of the models of the trial in hand."""

    def __init__(
        self, document: Document, theme: Theme, state: ModelsState, parent: QWidget
    ) -> None:
        self._document, self._theme, self._state = document, theme, state
        self._parent = parent
        self.say: Callable[[str], None] = lambda _text: None

    # -- edits -------------------------------------------------------------------------------------

    def _do(self, make: Callable[[], Edit]) -> bool:
        try:
            self._document.do(make())
        except InertianError as error:
            self.say(str(error))
            return False
        return True

    def _trial(self) -> str:
        entry = self._state.entry
        return entry.trial.id if entry is not None else ""

    def change(self, new: Model, what: str) -> bool:
        """Exchange the model in hand."""
        old = self._state.model
        if old is None:
            return False
        self._state.name = new.name
        made = self._do(
            lambda: model_changed(self._document.committed, self._trial(), old.name, new, what)
        )
        if not made:
            self._state.name = old.name
        return made

    def change_force(self, place: int, new: Force, what: str = "") -> None:
        """Exchange a force of the model in hand, by its place."""
        model = self._state.model
        if model is None:
            return
        forces = tuple(new if k == place else f for k, f in enumerate(model.forces))
        self.change(replace(model, forces=forces), what or f"Change {new.kind}")

    def remove_force(self, place: int) -> None:
        """Take a force away."""
        model = self._state.model
        if model is not None:
            forces = tuple(f for k, f in enumerate(model.forces) if k != place)
            self.change(replace(model, forces=forces), f"Remove {model.forces[place].kind}")

    def add_force(self, kind: str) -> None:
        """Add a force of a kind; a formula is asked for."""
        if kind == FORMULA:
            text, ok = QInputDialog.getText(
                self._parent, words.MODEL_FORMULA_TITLE, words.MODEL_FORMULA_TEXT
            )
            if ok and text.strip():
                self.type_force(f'formula "{text.strip()}"', None)
            return
        self._add(Force(kind))

    def _add(self, force: Force) -> None:
        model = self._state.model
        if model is not None:
            self.change(replace(model, forces=(*model.forces, force)), f"Add {force.kind}")
        else:
            made = Model(default_name(Model("", (force,))).capitalize(), (force,))
            self._put(made)

    def type_force(self, text: str, place: int | None) -> None:
        """Add a force as it is typed, or put it in the place of another."""
        try:
            force = parse_force(text)
        except InertianError as error:
            self.say(str(error))
            return
        if place is None:
            self._add(force)
        else:
            self.change_force(place, force)

    def ask_force(self, place: int) -> None:
        """Ask for a force of the model in hand, as it is typed in a command."""
        model = self._state.model
        if model is None:
            return
        text, ok = QInputDialog.getText(
            self._parent,
            words.MODEL_EDIT_TITLE,
            words.MODEL_EDIT_TEXT,
            text=force_text(model.forces[place]),
        )
        if ok and text.strip():
            self.type_force(text, place)

    def set_parameter(self, place: int, new: Parameter) -> None:
        """Exchange a parameter of a force."""
        model = self._state.model
        if model is not None:
            force = model.forces[place]
            self.change_force(place, force.with_parameter(new), f"Change {new.symbol}")

    def ask_prediction(self, place: int, symbol: str) -> None:
        """Ask what somebody expects of a parameter, and keep it with the time."""
        model = self._state.model
        if model is None:
            return
        force = model.forces[place]
        text, ok = QInputDialog.getText(
            self._parent,
            words.MODEL_EXPECT_TITLE,
            words.MODEL_EXPECT_TEXT.format(name=symbol),
        )
        if not ok or not text.strip():
            return
        try:
            kind = None if force.kind == FORMULA else force_kind(force.kind).parameter(symbol)
            fact = parse_value(text, kind)
        except InertianError as error:
            self.say(str(error))
            return
        self._do(
            lambda: prediction_kept(
                self._document.committed, self._trial(), model.name, symbol, fact
            )
        )

    def share(self, symbol: str, on: bool) -> None:
        """Let a parameter have one value in all trials of the series, or one in each again."""
        model = self._state.model
        if model is not None:
            trial, name = self._trial(), model.name
            self._do(lambda: parameter_shared(self._document.committed, trial, name, symbol, on))

    def ask_start(self) -> None:
        """Ask where bodies start, as it is typed."""
        model = self._state.model
        if model is None:
            return
        before = states_text(model.start.typed) or self._state.start_text()
        text, ok = QInputDialog.getMultiLineText(
            self._parent, words.MODEL_START_TITLE, words.MODEL_START_TEXT, before
        )
        if ok:
            self.type_start(text)

    def type_start(self, text: str) -> None:
        """Start where it is typed; with nothing typed, where the samples say."""
        model = self._state.model
        if model is None:
            return
        try:
            typed = parse_states(text, self._state.axes())
        except InertianError as error:
            self.say(str(error))
            return
        start = replace(model.start, typed=typed)
        self.change(replace(model, start=start), words.MODEL_START)

    # -- models ------------------------------------------------------------------------------------

    def _put(self, model: Model) -> None:
        trial, entry = self._trial(), self._state.entry
        if entry is not None and not entry.trial.recorded and not model.start.typed:
            ready = self._state.ready
            model = replace(model, start=ready[0].start) if ready else model
        if trial:
            name = free_model_name(self._document.committed, trial, model.name)
            self._state.name = name
            self._do(lambda: models_added(self._document.committed, trial, [model]))

    def new_model(self) -> None:
        """Put a model without a net force beside the trial."""
        self._put(Model(words.MODEL_NEW))

    def copy_model(self) -> None:
        """Put a copy of the model in hand beside it."""
        if self._state.model is not None:
            self._put(self._state.model)

    def remove_model(self) -> None:
        """Take the model in hand away."""
        model = self._state.model
        if model is not None:
            self._do(lambda: model_removed(self._document.committed, self._trial(), model.name))

    def rename_model(self, name: str) -> None:
        """Call the model in hand something else."""
        model = self._state.model
        if model is not None and name.strip() and name.strip() != model.name:
            self.change(replace(model, name=name.strip()), f"Rename {model.name}")

    def for_series(self) -> None:
        """Put the model in hand beside all trials of the series."""
        model = self._state.model
        if model is not None:
            trial = self._trial()
            self._do(lambda: model_for_series(self._document.committed, trial, model.name))

    def ask_without_data(self) -> None:
        """Ask for a trial of which nothing was recorded."""
        from inertian.desktop.models.without_data_dialog import WithoutDataDialog

        WithoutDataDialog(self._parent, self._theme, self._document).exec()

    # -- programs and files ------------------------------------------------------------------------

    def python_dialog(self) -> PythonDialog | None:
        """Return the window with the model in hand as a program; None where it has no answer."""
        result = self._state.result
        if result is None:
            self.say(words.MODEL_NO_ANSWER)
            return None
        title = words.MODEL_PYTHON_TITLE.format(name=result.model.name)
        return PythonDialog(self._parent, self._theme, title, python_text(result))

    def show_python(self) -> None:
        """Show the model in hand as a program."""
        dialog = self.python_dialog()
        if dialog is not None:
            dialog.exec()

    def export_models(self) -> None:
        """Ask where to write the models of the trial in hand."""
        if not self._state.models:
            self.say(words.MODEL_NO_ANSWER)
            return
        name, _ = QFileDialog.getSaveFileName(
            self._parent, words.MODEL_SAVE_TITLE, "models.json", words.MODEL_FILES
        )
        if name:
            self.write_models(Path(name))

    def write_models(self, path: Path) -> None:
        """Write the models of the trial in hand."""
        try:
            path.write_text(models_text(self._state.models), encoding="utf-8")
        except OSError as error:
            why = error.strerror or str(error)
            self.say(words.MODEL_CANNOT_WRITE.format(file=path.name, why=why))
            return
        self.say(words.MODEL_SAVED.format(file=path.name))

    def import_models(self) -> None:
        """Ask for a file of models and put them beside the trial in hand."""
        name, _ = QFileDialog.getOpenFileName(
            self._parent, words.MODEL_OPEN_TITLE, "", words.MODEL_FILES
        )
        if name:
            self.read_models(Path(name))

    def read_models(self, path: Path) -> None:
        """Put the models of a file beside the trial in hand."""
        trial = self._trial()
        if not trial:
            return
        try:
            models = read_models(path.read_text(encoding="utf-8"))
        except (OSError, UnicodeDecodeError) as error:
            why = getattr(error, "strerror", None) or str(error)
            self.say(words.MODEL_CANNOT_READ.format(file=path.name, why=why))
            return
        except InertianError as error:
            self.say(str(error))
            return
        self._do(lambda: models_added(self._document.committed, trial, models))
