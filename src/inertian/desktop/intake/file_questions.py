"""What a file leaves open, each with its possible answers; it has to be answered."""

from dataclasses import replace
from typing import TYPE_CHECKING

from PyQt6.QtCore import Qt, pyqtSignal
from PyQt6.QtWidgets import QHBoxLayout, QLineEdit, QPushButton, QVBoxLayout, QWidget

from inertian.desktop.intake.recipe_field import Reader, RecipeField, rate_of, scale_of
from inertian.desktop.intake.trace_preview import TracePreview
from inertian.desktop.look import words
from inertian.desktop.look.labels import label
from inertian.desktop.look.tokens import Theme

if TYPE_CHECKING:
    from inertian.files.cells.findings import Question
    from inertian.files.cells.recipes import Recipe
    from inertian.files.interpretation.parsed_file import ParsedFile

_PREVIEW_HEIGHT = 130  # px for each plot
_LARGEST_PREVIEWED = 2_000_000  # bytes: a larger file is not read once more for a small picture


class FileQuestions(QWidget):
    """Emits `answered` with what the recipe shall say, by the names of its parts."""

    answered = pyqtSignal(dict)

    def __init__(self, theme: Theme, parsed: "ParsedFile", recipe: "Recipe") -> None:
        super().__init__()
        self._theme, self._parsed, self._recipe = theme, parsed, recipe
        self.choices: dict[str, QPushButton] = {}
        self.fields: dict[str, QLineEdit] = {}
        self.previews: dict[str, TracePreview] = {}
        self._column = QVBoxLayout(self)
        self._column.setContentsMargins(0, 0, 0, 0)
        self._column.setSpacing(4)
        for question in parsed.questions:
            said = label(question.text)
            said.setWordWrap(True)
            said.setTextFormat(Qt.TextFormat.PlainText)
            self._column.addWidget(said)
            self._ask(question)

    def _ask(self, question: "Question") -> None:
        from inertian.files.cells.findings import Topic

        if question.topic is Topic.DECIMAL:
            row = QHBoxLayout()
            for mark, name in words.DECIMAL_NAMES.items():
                row.addWidget(self._button(f"decimal {mark}", name, {"decimal": mark}))
            self._column.addLayout(row)
        elif question.topic is Topic.BODIES:
            for count in question.choices:
                self._offer_bodies(int(count))
        elif question.topic is Topic.SCALE:
            self._field("scale", words.SCALE_LABEL, words.SCALE_HINT, scale_of)
        elif question.topic is Topic.TIME:
            self._field("frame rate", words.ROW_RATE_LABEL, words.ROW_RATE_HINT, rate_of)
        else:
            self._field("frame rate", words.FRAME_RATE_LABEL, words.FRAME_RATE_HINT, rate_of)

    def _offer_bodies(self, count: int) -> None:
        """One answer, with the picture that it gives."""
        from inertian.files.reader import read_bytes

        name = words.MANY_BODIES.format(count=count) if count > 1 else words.ONE_BODY
        self._column.addWidget(self._button(f"bodies {count}", name, {"bodies": count}))
        if self._parsed.size > _LARGEST_PREVIEWED:
            return
        read = read_bytes(
            self._parsed.file, self._parsed.content, replace(self._recipe, bodies=count)
        )
        if not read.trials:
            return
        preview = TracePreview(self._theme)
        preview.show_trial(read.trials[0], self._recipe)
        axes = {c.axis for b in read.trials[0].bodies for c in b.channels}
        preview.setFixedHeight(_PREVIEW_HEIGHT * max(len(axes), 1))
        self.previews[f"bodies {count}"] = preview
        self._column.addWidget(preview)

    def _button(self, key: str, name: str, answer: dict[str, object]) -> QPushButton:
        button = QPushButton(name)
        button.clicked.connect(lambda _checked: self.answered.emit(answer))
        self.choices[key] = button
        return button

    def _field(self, key: str, text: str, hint: str, read: Reader) -> None:
        field = RecipeField(text, hint, "", read)
        field.changed.connect(self.answered)
        self.fields[key] = field.line
        self._column.addWidget(field)
