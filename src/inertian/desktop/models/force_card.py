"""A force at the margin: a sentence with a switch, and its parameters."""

import re
from collections.abc import Sequence
from dataclasses import replace

from PyQt6.QtWidgets import QCheckBox, QHBoxLayout, QMenu, QVBoxLayout, QWidget

from inertian.desktop.look import words
from inertian.desktop.look.folding import Fold
from inertian.desktop.look.labels import MenuButton
from inertian.desktop.look.theme import decimal_mark
from inertian.desktop.look.tokens import Theme
from inertian.desktop.look.typeset import typeset_plain
from inertian.desktop.models.model_actions import ModelActions
from inertian.desktop.models.parameter_row import ParameterRow
from inertian.desktop.state.models_state import ModelsState
from inertian.models.definitions.force_kinds import FORMULA, ParameterKind, force_kind
from inertian.models.definitions.model import Force, KeptPrediction, Model
from inertian.models.definitions.system import Setting
from inertian.quantities.expressions import parse_formula

# Names of a formula that stand for the motion, or for masses
_MOTION = re.compile(r"t|(?:x|y|v|v_x|v_y|φ|ω|m)(?:_.+)?")


class ForceCard(QWidget):
    """One force of the model in hand, by its place."""

    def __init__(
        self, theme: Theme, state: ModelsState, actions: ModelActions, place: int, force: Force
    ) -> None:
        super().__init__()
        self._state, self._actions, self._place = state, actions, place
        self.force = force
        column = QVBoxLayout(self)
        column.setContentsMargins(0, 0, 0, 4)
        column.setSpacing(2)
        row = QHBoxLayout()
        self.on = QCheckBox(sentence(force))
        self.on.setChecked(force.on)
        self.on.clicked.connect(self._switch)
        self.menu_button = MenuButton(theme, "small")
        self.menu_button.setText("…")
        self.menu_button.setAccessibleName(f"{force.kind} …")
        self.menu_button.clicked.connect(self._open_menu)
        row.addWidget(self.on, 1)
        row.addWidget(self.menu_button)
        column.addLayout(row)
        self.rows: dict[str, ParameterRow] = {}
        rare: list[ParameterRow] = []
        for symbol, kind in _parameters(force, state):
            made = ParameterRow(symbol, kind)
            made.edited.connect(lambda new: actions.set_parameter(self._place, new))
            made.tried.connect(lambda value, symbol=symbol: self._try(symbol, value))
            made.given_up.connect(state.forget_tried)
            self.rows[symbol] = made
            if _is_rare(force, symbol, kind):
                rare.append(made)
            else:
                column.addWidget(made)
        if rare:
            fold = Fold(words.MODEL_MORE, False)
            fold.head.setProperty("role", "small")
            for made in rare:
                fold.inner.addWidget(made)
            column.addWidget(fold)

    def refresh(self, model: Model) -> None:
        """Show what is known of all parameters."""
        result = self._state.result
        for symbol, row in self.rows.items():
            setting = self._setting(symbol, model)
            found = None
            if result is not None and setting is not None and result.model == model:
                found = result.scalar(setting.code)
            typed = self.force.parameter(symbol)
            row.show_parameter(typed, setting, found, _expected(model.predictions, symbol))
            row.setEnabled(self.force.on)

    def _setting(self, symbol: str, model: Model) -> Setting | None:
        result = self._state.result
        if result is None or not self.force.on:
            return None
        on = [k for k, f in enumerate(model.forces) if f.on]
        if self._place not in on:
            return None
        place = on.index(self._place)
        found = [
            s
            for (at, name, _), s in result.trial.made.system.settings.items()
            if at == place and name == symbol
        ]
        return found[0] if found else None

    def _try(self, symbol: str, value: float) -> None:
        model = self._state.model
        setting = self._setting(symbol, model) if model is not None else None
        if setting is not None:
            self._state.try_values({setting.code: value})

    def _switch(self, on: bool) -> None:
        what = f"Switch {self.force.kind} {'on' if on else 'off'}"
        self._actions.change_force(self._place, replace(self.force, on=on), what)

    def _open_menu(self) -> None:
        menu = self.menu()
        menu.exec(self.menu_button.mapToGlobal(self.menu_button.rect().bottomLeft()))

    def menu(self) -> QMenu:
        """Return what else can be done with this force."""
        menu = QMenu(self)
        menu.addAction(words.MODEL_EDIT, lambda: self._actions.ask_force(self._place))
        for symbol, row in self.rows.items():
            if row.free.isChecked():
                text = f"{words.MODEL_EXPECT.removesuffix('…')}: {symbol}…"
                menu.addAction(text, lambda s=symbol: self._actions.ask_prediction(self._place, s))
        menu.addSeparator()
        model = self._state.model
        for symbol, row in self.rows.items():
            if row.free.isChecked() and model is not None:
                action = menu.addAction(words.MODEL_SHARED.format(symbol=typeset_plain(symbol)))
                action.setCheckable(True)
                action.setChecked(symbol in model.shared)
                action.triggered.connect(lambda on, s=symbol: self._actions.share(s, on))
        menu.addAction(words.MODEL_FORCE_REMOVE, lambda: self._actions.remove_force(self._place))
        return menu


def sentence(force: Force) -> str:
    """Return a force as a sentence: weight along the incline; F = -b*v."""
    said = f"F = {force.formula}" if force.kind == FORMULA else force_kind(force.kind).label
    if force.bodies:
        said = words.MODEL_FORCE_BODIES.format(force=said, bodies=", ".join(force.bodies))
    return said


def _parameters(force: Force, state: ModelsState) -> Sequence[tuple[str, ParameterKind | None]]:
    if force.kind != FORMULA:
        return [(k.symbol, k) for k in force_kind(force.kind).parameters]
    names = parse_formula(force.formula).names
    facts = state.fact_symbols()
    return [(n, None) for n in names if not _MOTION.fullmatch(n) and n not in facts]


def _is_rare(force: Force, symbol: str, kind: ParameterKind | None) -> bool:
    """Whether a parameter is seldom touched: gravity, and what has a usual value."""
    if kind is None or force.parameter(symbol).fact is not None or force.parameter(symbol).free:
        return False
    return symbol == "g" or bool(kind.default)


def _expected(kept: Sequence[KeptPrediction], symbol: str) -> str:
    own = [p for p in kept if p.name == symbol]
    return "\n".join(
        words.MODEL_EXPECTED.format(
            value=str(p.fact).replace(".", decimal_mark()), when=p.when[:16].replace("T", " ")
        )
        for p in own
    )
