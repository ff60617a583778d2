"""Beside the intake stage: what was understood, in words that can be changed; what is asked;
problems; who is who.
"""

from collections.abc import Callable
from dataclasses import replace
from functools import partial
from typing import TYPE_CHECKING, Any

from PyQt6.QtCore import Qt, pyqtSignal
from PyQt6.QtWidgets import (
    QHBoxLayout,
    QLabel,
    QLineEdit,
    QPushButton,
    QScrollArea,
    QVBoxLayout,
    QWidget,
)

from inertian.desktop.intake.column_rows import ColumnRows
from inertian.desktop.intake.file_questions import FileQuestions
from inertian.desktop.intake.intake_desk import IntakeDesk, with_rule
from inertian.desktop.intake.recipe_field import (
    Reader,
    RecipeField,
    rate_of,
    scale_of,
    time_base_of,
)
from inertian.desktop.look import words
from inertian.desktop.look.fact_field import FactField
from inertian.desktop.look.fact_text import fact_text, read_mass
from inertian.desktop.look.labels import BodyLabel, DropDown, label, rule
from inertian.desktop.look.tokens import MARGIN_WIDTH, Theme
from inertian.desktop.state.document import Document
from inertian.physics.definitions.fact_names import mass_key
from inertian.project.project import Project
from inertian.quantities.facts import Fact

if TYPE_CHECKING:
    from inertian.files.cells.recipes import Recipe
    from inertian.files.interpretation.parsed_file import ParsedFile

MOST_PROBLEMS = 30


class IntakeMargin(QScrollArea):
    """Shows the make in hand. `changed_recipe` carries a function from the recipe in force to the
    one wanted.
    """

    changed_recipe = pyqtSignal(object)
    line_wanted = pyqtSignal(int)

    def __init__(self, desk: IntakeDesk, document: Document, theme: Theme) -> None:
        super().__init__()
        self.setObjectName("margin")
        self.setFixedWidth(MARGIN_WIDTH)
        self.setWidgetResizable(True)
        self.setHorizontalScrollBarPolicy(Qt.ScrollBarPolicy.ScrollBarAlwaysOff)
        self._desk, self._document, self._theme = desk, document, theme
        self.masses: dict[str, Fact] = {}
        self.fields: dict[str, QLineEdit] = {}
        self.choices: dict[str, Any] = {}  # drop-down lists and buttons, by topic
        self.problems: list[QPushButton] = []
        self.series = QLineEdit()
        self._series_typed = False
        desk.changed.connect(self.refresh)
        desk.turned.connect(self.refresh)

    def refresh(self) -> None:
        """Show the file in hand as it was understood."""
        self.fields, self.choices, self.problems = {}, {}, []
        kept = self.verticalScrollBar().value()
        body = QWidget()
        body.setObjectName("marginBody")
        column = QVBoxLayout(body)
        column.setContentsMargins(12, 12, 12, 12)
        column.setSpacing(4)
        group, parsed = self._desk.group, self._desk.parsed
        if group is not None and parsed is not None:
            self._build_asked(column, parsed, group.recipe)
            self._build_understood(column, parsed, group.recipe)
            self._build_columns(column, parsed)
        self._build_problems(column, parsed)
        if group is not None and parsed is not None:
            self._build_who(column, group.bodies(), group.recipe)
        column.addStretch(1)
        self.setWidget(body)
        self.verticalScrollBar().setValue(kept)

    # -- parts -------------------------------------------------------------------------------------

    def _section(self, column: QVBoxLayout, title: str) -> None:
        if column.count():
            column.addSpacing(8)
            column.addWidget(rule())
            column.addSpacing(4)
        column.addWidget(label(title, "heading"))

    def _build_asked(self, column: QVBoxLayout, parsed: "ParsedFile", recipe: "Recipe") -> None:
        """What the file leaves open stands first; it has to be answered."""
        if not parsed.questions:
            return
        self._section(column, words.ASKED)
        asked = FileQuestions(self._theme, parsed, recipe)
        asked.answered.connect(lambda answer: self._set(**answer))
        self.choices |= asked.choices
        self.fields |= asked.fields
        column.addWidget(asked)

    def _build_understood(
        self, column: QVBoxLayout, parsed: "ParsedFile", recipe: "Recipe"
    ) -> None:
        self._section(column, words.UNDERSTOOD)
        if recipe.name:
            said = label(words.BY_RECIPE.format(name=recipe.name), "small")
            said.setWordWrap(True)
            said.setTextFormat(Qt.TextFormat.PlainText)
            column.addWidget(said)
        if parsed.delimiter is not None:
            now = "whitespace" if parsed.delimiter == " " else parsed.delimiter
            names = dict(words.DELIMITER_NAMES)
            names.setdefault(now, f"“{now}”")
            self._choice(
                column, "delimiter", words.CUT_LABEL, names, now, lambda d: self._set(delimiter=d)
            )
        self._choice(
            column,
            "decimal",
            words.DECIMAL_LABEL,
            words.DECIMAL_NAMES,
            parsed.decimal or ".",
            lambda d: self._set(decimal=d),
        )
        if parsed.trials:
            from inertian.files.interpretation.file_description import how_much, how_time_is_told

            for sentence in (*how_time_is_told(parsed, parsed.trials[0]), how_much(parsed)):
                line = label(sentence[0].upper() + sentence[1:] + ".")
                line.setWordWrap(True)
                line.setTextFormat(Qt.TextFormat.PlainText)
                column.addWidget(line)
        self._say_evidence(parsed)
        if recipe.bodies is not None:
            names = {
                str(n): words.MANY_BODIES.format(count=n) if n > 1 else words.ONE_BODY
                for n in parsed.body_counts or (recipe.bodies,)
            }
            self._choice(
                column,
                "bodies",
                words.BODIES_LABEL,
                names,
                str(recipe.bodies),
                lambda n: self._set(bodies=int(n)),
            )
        if recipe.frame_rate is not None:
            self._field(
                column, "frame rate", words.FRAME_RATE_LABEL, "", f"{recipe.frame_rate:g}", rate_of
            )
        pixels = any(
            c.unit.symbol == "px" for t in parsed.trials[:1] for b in t.bodies for c in b.channels
        )
        if pixels and "scale" not in self.fields:
            known = recipe.scale or parsed.scale
            scale = fact_text(1000 * known.value, 1000 * known.plus_minus, "mm/px") if known else ""
            self._field(column, "scale", words.SCALE_LABEL, words.SCALE_HINT, scale, scale_of)
        base = recipe.time_base
        shown = fact_text(base.value, base.plus_minus, "") if base else ""
        self._field(
            column, "time base", words.TIME_BASE_LABEL, words.TIME_BASE_HINT, shown, time_base_of
        )

    def _say_evidence(self, parsed: "ParsedFile") -> None:
        """What speaks for each conclusion, and how sure it is, on hovering over it."""
        for conclusion in parsed.conclusions:
            choice = self.choices.get(conclusion.topic)
            if choice is not None:
                sure = f"{100 * conclusion.confidence:.0f}"
                choice.setToolTip(words.EVIDENCE.format(evidence=conclusion.evidence, sure=sure))

    def _build_columns(self, column: QVBoxLayout, parsed: "ParsedFile") -> None:
        if not parsed.tables:
            return
        self._section(column, words.COLUMNS)
        rows = ColumnRows(self._theme, parsed)
        rows.role_wanted.connect(self._set_role)
        rows.unit_wanted.connect(self._set_unit)
        self.choices |= rows.choices
        column.addWidget(rows)

    def _build_problems(self, column: QVBoxLayout, parsed: "ParsedFile | None") -> None:
        refused = self._desk.refused
        if refused:
            self._section(column, words.REFUSED_TITLE)
            for one in refused[:MOST_PROBLEMS]:
                said = label(str(one.refused))
                said.setWordWrap(True)
                said.setTextFormat(Qt.TextFormat.PlainText)
                column.addWidget(said)
        if parsed is None:
            return
        self._section(column, words.PROBLEMS)
        lines = [(f"line {u.line}: {u.why}", u.line) for t in parsed.trials for u in t.unusable]
        asked = {q.text for q in parsed.questions}
        found = [
            (f.text, f.lines[0] if f.lines else 0) for f in parsed.findings if f.text not in asked
        ]
        for text, line in [*found, *lines][:MOST_PROBLEMS]:
            column.addWidget(self._problem(text, line))
        if not found and not lines:
            column.addWidget(label(words.NO_PROBLEMS, "soft"))

    def _problem(self, text: str, line: int) -> QWidget:
        made = _Problem(text)
        if line:
            made.setToolTip(words.PROBLEM_TIP)
            made.clicked.connect(lambda: self.line_wanted.emit(line))
            self.problems.append(made)
        else:
            made.setEnabled(False)
        return made

    def _build_who(self, column: QVBoxLayout, bodies: tuple[str, ...], recipe: "Recipe") -> None:
        """Three lines for each: who is who, masses, which way is positive."""
        self._section(column, words.WHO_IS_WHO)
        read = {new: old for old, new in recipe.names}
        known = _known_masses(self._document.committed)
        for place, body in enumerate(bodies):
            row = QHBoxLayout()
            row.setSpacing(4)
            mark = BodyLabel(self._theme, place, "")
            mark.setFixedWidth(16)
            row.addWidget(mark)
            field = QLineEdit(body)
            field.setAccessibleName(f"Name of {body}")
            field.editingFinished.connect(
                lambda f=field, b=body: self._rename(read.get(b, b), b, f.text().strip())
            )
            self.fields[f"name {body}"] = field
            row.addWidget(field)
            column.addLayout(row)
            mass = FactField(
                self._theme, words.MASS_OF.format(body=body), words.MASS_HINT_BARE, read_mass
            )
            mass.label.hide()
            mass.may_be_empty = True
            mass.show_fact(self.masses.get(body) or known.get(body))
            mass.edited.connect(lambda fact, b=body: self._set_mass(b, fact))
            self.fields[f"mass {body}"] = mass.line
            column.addWidget(mass)
        axes = {
            c.axis
            for r in self._desk.group.files[:1]
            for t in r.trials
            for b in t.bodies
            for c in b.channels
        }
        for axis in ("x", "y"):
            if axis in axes or (axis == "x" and axes & set("Fav")):
                now = "reversed" if axis in recipe.flip else "as is"
                names = {"as is": words.POSITIVE_AS_IS, "reversed": words.POSITIVE_REVERSED}
                self._choice(
                    column,
                    f"positive {axis}",
                    words.POSITIVE.format(axis=axis),
                    names,
                    now,
                    partial(self._flip, axis),
                )
        self._build_series(column)

    def _build_series(self, column: QVBoxLayout) -> None:
        if self._desk.reading_again is not None:
            return
        entry = self._document.entry
        text = (
            self.series.text()
            if self._series_typed
            else (entry.series if entry else words.DEFAULT_SERIES)
        )
        row = QHBoxLayout()
        row.addWidget(label(words.SERIES_LABEL))
        self.series = QLineEdit(text)
        self.series.setAccessibleName(words.SERIES_LABEL)
        self.series.textEdited.connect(lambda _t: setattr(self, "_series_typed", True))
        row.addWidget(self.series, 1)
        column.addLayout(row)

    # -- rows --------------------------------------------------------------------------------------

    def _choice(
        self,
        column: QVBoxLayout,
        key: str,
        text: str,
        names: dict[str, str],
        now: str,
        then: Callable[[str], None],
    ) -> None:
        row = QHBoxLayout()
        row.addWidget(label(text), 1)
        made = DropDown(self._theme)
        made.setAccessibleName(text)
        for value, name in names.items():
            made.addItem(name, value)
        made.setCurrentIndex(max(made.findData(now), 0))
        made.activated.connect(
            lambda _i: then(made.currentData()) if made.currentData() != now else None
        )
        self.choices[key] = made
        row.addWidget(made)
        column.addLayout(row)

    def _field(
        self,
        column: QVBoxLayout,
        key: str,
        text: str,
        hint: str,
        now: str,
        read: Reader,
    ) -> None:
        field = RecipeField(text, hint, now, read)
        field.changed.connect(lambda changes: self._set(**changes))
        self.fields[key] = field.line
        column.addWidget(field)

    # -- changes -----------------------------------------------------------------------------------

    def _set(self, **changes: object) -> None:
        self.changed_recipe.emit(lambda recipe: replace(recipe, **changes))

    def _set_role(self, place: int, key: str) -> None:
        role, _, axis = key.partition(" ")
        parsed = self._desk.parsed
        changes = {"role": role} | ({"axis": axis} if axis else {})
        self.changed_recipe.emit(lambda recipe: with_rule(recipe, parsed, place, **changes))

    def _set_unit(self, place: int, unit: str) -> None:
        parsed = self._desk.parsed
        self.changed_recipe.emit(lambda recipe: with_rule(recipe, parsed, place, unit=unit))

    def _rename(self, read: str, old: str, new: str) -> None:
        if (
            new
            and new != old
            and new not in (self._desk.group.bodies() if self._desk.group else ())
        ):
            self.masses = {new if b == old else b: m for b, m in self.masses.items()}
            self.changed_recipe.emit(
                lambda recipe: replace(
                    recipe, names=(*(p for p in recipe.names if p[0] != read), (read, new))
                )
            )

    def _flip(self, axis: str, way: str) -> None:
        self.changed_recipe.emit(
            lambda recipe: replace(
                recipe,
                flip=tuple(
                    sorted({*recipe.flip, axis} if way == "reversed" else {*recipe.flip} - {axis})
                ),
            )
        )

    def _set_mass(self, body: str, fact: Fact | None) -> None:
        self.masses = {b: m for b, m in self.masses.items() if b != body} | (
            {body: fact} if fact else {}
        )


class _Problem(QPushButton):
    """A problem as wrapped text; a click shows its line."""

    def __init__(self, text: str) -> None:
        super().__init__()
        self.setObjectName("problem")
        self.setCursor(Qt.CursorShape.PointingHandCursor)
        self.said = QLabel(text)
        self.said.setWordWrap(True)
        self.said.setTextFormat(Qt.TextFormat.PlainText)
        self.said.setAttribute(Qt.WidgetAttribute.WA_TransparentForMouseEvents)
        self.setAccessibleName(text)
        row = QVBoxLayout(self)
        row.setContentsMargins(0, 2, 0, 2)
        row.addWidget(self.said)
        self.setMinimumHeight(self.said.heightForWidth(MARGIN_WIDTH - 34) + 4)


def _known_masses(project: Project) -> dict[str, Fact]:
    prefix = mass_key("")
    return {
        key.name.removeprefix(prefix): fact
        for key, fact in project.setup.items()
        if key.name.startswith(prefix)
    }
