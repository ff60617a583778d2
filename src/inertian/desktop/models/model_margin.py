"""The margin of the models stage: the forces of the model in hand, its start and its steps."""

from dataclasses import replace

from PyQt6.QtCore import Qt
from PyQt6.QtWidgets import (
    QCheckBox,
    QHBoxLayout,
    QLineEdit,
    QMenu,
    QPushButton,
    QScrollArea,
    QVBoxLayout,
    QWidget,
)

from inertian.desktop.look import words
from inertian.desktop.look.labels import DropDown, MenuButton, empty_layout, label, rule
from inertian.desktop.look.number_format import format_number, rich
from inertian.desktop.look.theme import decimal_mark
from inertian.desktop.look.tokens import MARGIN_WIDTH, Theme
from inertian.desktop.models.force_card import ForceCard
from inertian.desktop.models.model_actions import ModelActions
from inertian.desktop.state.document import Document
from inertian.desktop.state.models_state import ModelsState
from inertian.models.definitions.force_kinds import FORCES, NONE, RECORDED, Acts, ForceKind
from inertian.models.definitions.model import Force, Model, Rule, Start

LONGEST = 1e9  # s
FIRST, TYPED = "first", "typed"


class ModelMargin(QScrollArea):
    """Shows the model in hand as sentences, and asks for changes of it."""

    def __init__(
        self, document: Document, theme: Theme, state: ModelsState, actions: ModelActions
    ) -> None:
        super().__init__()
        self.setObjectName("margin")
        self.setFixedWidth(MARGIN_WIDTH)
        self.setWidgetResizable(True)
        self.setHorizontalScrollBarPolicy(Qt.ScrollBarPolicy.ScrollBarAlwaysOff)
        self.setAccessibleName(words.MODELS)
        self._document, self._theme, self._state, self._actions = document, theme, state, actions
        self.body = QWidget()
        self.body.setObjectName("marginBody")
        column = QVBoxLayout(self.body)
        column.setContentsMargins(12, 12, 12, 12)
        column.setSpacing(4)
        self.name = QLineEdit()
        self.name.setAccessibleName(words.MODEL_NAME)
        self.name.editingFinished.connect(self._rename)
        column.addWidget(self.name)
        column.addSpacing(4)
        column.addWidget(label(words.MODEL_HEAD, "heading"))
        self.forces = QVBoxLayout()
        self.forces.setSpacing(4)
        column.addLayout(self.forces)
        self.add = MenuButton(theme, "title")
        self.add.setText(words.MODEL_ADD)
        self.add.clicked.connect(self._open_forces)
        column.addWidget(self.add, alignment=Qt.AlignmentFlag.AlignLeft)
        self.steps = QWidget()
        inner = QVBoxLayout(self.steps)
        inner.setContentsMargins(0, 0, 0, 0)
        inner.setSpacing(4)
        inner.addWidget(rule())
        self._build_start(inner)
        inner.addWidget(rule())
        column.addWidget(self.steps)
        self._build_buttons(column)
        self.said = label("", "small")
        self.said.setWordWrap(True)
        self.said.setTextFormat(Qt.TextFormat.RichText)
        column.addWidget(self.said)
        column.addStretch(1)
        self.setWidget(self.body)
        self.cards: list[ForceCard] = []
        self._shown: tuple[Force, ...] | None = None
        state.fitted.connect(self.refresh)
        state.chosen.connect(self.refresh)
        document.changed.connect(self.refresh)
        self.refresh()

    # -- building ----------------------------------------------------------------------------------

    def _build_start(self, column: QVBoxLayout) -> None:
        column.addWidget(label(words.MODEL_START_HEAD, "heading"))
        self.start = DropDown(self._theme)
        self.start.activated.connect(self._choose_start)
        self.fitted = QCheckBox(words.MODEL_START_FITTED)
        self.fitted.setToolTip(words.MODEL_START_TIP)
        self.fitted.clicked.connect(self._fit_start)
        self.rule = DropDown(self._theme)
        for one in Rule:
            self.rule.addItem(words.MODEL_RULES[str(one)], one)
        self.rule.activated.connect(self._choose_rule)
        self.until = QLineEdit()
        self.until.setPlaceholderText(words.MODEL_UNTIL_HINT)
        self.until.editingFinished.connect(self._choose_until)
        self.step = QLineEdit()
        self.step.setPlaceholderText(words.MODEL_STEP_HINT)
        self.step.editingFinished.connect(self._choose_step)
        for name, part in (
            (words.MODEL_START, self.start),
            ("", self.fitted),
            (words.MODEL_UNTIL, self.until),
            (words.MODEL_RULE, self.rule),
            (words.MODEL_STEP, self.step),
        ):
            if name:
                column.addWidget(label(name, "soft"))
                part.setAccessibleName(name)
            column.addWidget(part)
        for choice in (self.start, self.rule):
            choice.setSizeAdjustPolicy(
                choice.SizeAdjustPolicy.AdjustToMinimumContentsLengthWithIcon
            )

    def _build_buttons(self, column: QVBoxLayout) -> None:
        self.python = QPushButton(words.MODEL_PYTHON)
        self.python.setToolTip(words.MODEL_PYTHON_TIP)
        self.python.clicked.connect(self._actions.show_python)
        column.addWidget(self.python, alignment=Qt.AlignmentFlag.AlignLeft)
        row = QHBoxLayout()
        self.new, self.copy, self.remove = (
            QPushButton(text) for text in (words.MODEL_NEW, words.MODEL_COPY, words.MODEL_REMOVE)
        )
        for button, then in (
            (self.new, self._actions.new_model),
            (self.copy, self._actions.copy_model),
            (self.remove, self._actions.remove_model),
        ):
            button.clicked.connect(lambda _checked, then=then: then())
            row.addWidget(button)
        row.addStretch(1)
        column.addLayout(row)

    # -- showing -----------------------------------------------------------------------------------

    def refresh(self) -> None:
        """Show the model in hand as it is."""
        model = self._state.model
        self.body.setEnabled(self._state.entry is not None)
        for part in (self.name, self.steps, self.python, self.copy, self.remove):
            part.setVisible(model is not None)
        if model is None:
            self._shown = None
            empty_layout(self.forces)
            self.cards = []
            self.said.setText("")
            return
        if not self.name.hasFocus() or not self.name.isModified():
            self.name.setText(model.name)
        self._show_forces(model)
        self._show_start(model)
        said = [rich(line) for line in self._state.said]
        self.said.setText("<br>".join(said))

    def _show_forces(self, model: Model) -> None:
        structure = tuple(
            replace(f, parameters=tuple(replace(p, fact=None) for p in f.parameters if p.fact))
            for f in model.forces
        )
        if structure != self._shown:
            self._shown = structure
            empty_layout(self.forces)
            self.cards = [
                ForceCard(self._theme, self._state, self._actions, place, force)
                for place, force in enumerate(model.forces)
                if force.kind != NONE
            ]
            for card in self.cards:
                self.forces.addWidget(card)
        places = [k for k, f in enumerate(model.forces) if f.kind != NONE]
        for place, card in zip(places, self.cards, strict=True):
            card.force = model.forces[place]
            card.refresh(model)

    def _show_start(self, model: Model) -> None:
        entry = self._state.entry
        spans = [s.name for s in entry.spans.in_order() if not s.kind.moment] if entry else []
        offered: list[tuple[str, str]] = [(words.MODEL_START_FIRST, FIRST)]
        offered += [(words.MODEL_START_SPAN.format(span=name), name) for name in spans]
        offered.append((words.MODEL_START_TYPED, TYPED))
        if model.start.time is not None:
            time = format_number(model.start.time, 4)
            offered.append((words.MODEL_START_TIME.format(time=time), "time"))
        if [self.start.itemData(k) for k in range(self.start.count())] != [d for _, d in offered]:
            self.start.clear()
            for text, data in offered:
                self.start.addItem(text, data)
        now = model.start.span or ("time" if model.start.time is not None else FIRST)
        now = TYPED if model.start.typed else now
        self.start.setCurrentIndex(self.start.findData(now))
        self.fitted.setChecked(model.start.fitted)
        self.rule.setCurrentIndex(self.rule.findData(model.rule))
        if not self.until.isModified():
            text = "" if model.until is None else f"{model.until:.6g} s"
            self.until.setText(text.replace(".", decimal_mark()))
        if not self.step.isModified():
            text = "" if model.step is None else f"{model.step:.6g} s"
            self.step.setText(text.replace(".", decimal_mark()))

    # -- asking ------------------------------------------------------------------------------------

    def _rename(self) -> None:
        if self.name.isModified():
            self.name.setModified(False)
            self._actions.rename_model(self.name.text())

    def offered_forces(self) -> list[ForceKind]:
        """Return the kinds of forces that can act in the trial in hand."""
        entry = self._state.entry
        many = len(entry.trial.followed) if entry is not None else 0
        sensors = any(b.sensors for b in entry.trial.bodies) if entry is not None else False
        return [
            kind
            for kind in FORCES
            if kind.name != NONE
            and (kind.acts is not Acts.PAIR or many > 1)
            and (kind.name != RECORDED or sensors)
        ]

    def force_menu(self) -> QMenu:
        """Return the menu of forces that can be added."""
        menu = QMenu(self)
        for kind in self.offered_forces():
            menu.addAction(kind.label, lambda name=kind.name: self._actions.add_force(name))
        return menu

    def _open_forces(self) -> None:
        self.force_menu().exec(self.add.mapToGlobal(self.add.rect().bottomLeft()))

    def _choose_start(self) -> None:
        model, chosen = self._state.model, self.start.currentData()
        if model is None or chosen == "time":
            return
        if chosen == TYPED:
            self._actions.ask_start()
            self.refresh()
            return
        span = "" if chosen == FIRST else str(chosen)
        start = Start(span=span, fitted=model.start.fitted)
        self._actions.change(replace(model, start=start), words.MODEL_START)

    def _fit_start(self, on: bool) -> None:
        model = self._state.model
        if model is not None:
            start = replace(model.start, fitted=on)
            self._actions.change(replace(model, start=start), words.MODEL_START_FITTED)

    def _choose_rule(self) -> None:
        model = self._state.model
        if model is not None:
            self._actions.change(replace(model, rule=self.rule.currentData()), words.MODEL_RULE)

    def _choose_until(self) -> None:
        model = self._state.model
        if model is not None and self.until.isModified():
            until = _seconds(self.until, model.until)
            self._actions.change(replace(model, until=until), words.MODEL_UNTIL)
            self.refresh()

    def _choose_step(self) -> None:
        model = self._state.model
        if model is not None and self.step.isModified():
            step = _seconds(self.step, model.step)
            step = model.step if step is not None and not step > 0.0 else step
            self._actions.change(replace(model, step=step), words.MODEL_STEP)
            self.refresh()


def _seconds(line: QLineEdit, before: float | None) -> float | None:
    """A time that is typed, None for nothing; what was there before for what is no time."""
    line.setModified(False)
    text = line.text().strip().removesuffix("s").replace(",", ".").strip()
    try:
        found = float(text) if text else None
    except ValueError:
        return before
    return found if found is None or abs(found) < LONGEST else before
