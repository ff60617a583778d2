"""The frame of the trial in hand: time zero, origin, angle, directions, centre of rotation, zeros
of sensors.
"""

from collections.abc import Mapping
from dataclasses import replace
from functools import partial

import numpy as np
from PyQt6.QtGui import QHideEvent
from PyQt6.QtWidgets import QCheckBox, QHBoxLayout, QPushButton, QVBoxLayout, QWidget

from inertian.desktop.look import words
from inertian.desktop.look.fact_field import FactField
from inertian.desktop.look.labels import DropDown, label
from inertian.desktop.look.number_format import format_estimate, format_number
from inertian.desktop.look.tokens import Theme
from inertian.desktop.state.document import Document
from inertian.desktop.state.view_state import ViewState
from inertian.motion.numerics.circles import fit_circle
from inertian.motion.recording.frame import ANGLE, CENTRE, ORIGIN, Frame, lowest, zero_key
from inertian.motion.recording.trials import KIND_OF_AXIS
from inertian.project.project import Entry
from inertian.project.tidying_edits import frame_set
from inertian.quantities.errors import InertianError
from inertian.quantities.facts import Fact, Meaning, parse_fact
from inertian.quantities.units import Unit, unit_of

METRE, DEGREE, RADIAN = unit_of("length", "m"), unit_of("angle", "°"), unit_of("angle", "rad")


def read_length(text: str, meaning: Meaning) -> Fact:
    """Read a place as typed. Raises InertianError."""
    return parse_fact(text, "length", METRE, meaning)


def read_angle(text: str, meaning: Meaning) -> Fact:
    """Read an angle as typed, in degrees unless another unit is given. Raises InertianError."""
    return parse_fact(text, "angle", DEGREE, meaning)


def measured(value: float, u: float, unit: Unit = METRE) -> Fact:
    """Return a fact that was measured on the data, with a standard uncertainty."""
    return Fact(value, u, Meaning.STANDARD if u > 0.0 else Meaning.EXACT, unit)


class FrameForm(QWidget):
    """Shows the frame and asks for edits of it."""

    def __init__(self, document: Document, theme: Theme, view: ViewState) -> None:
        super().__init__()
        self._document, self._theme, self._view = document, theme, view
        self._built: tuple[object, ...] = ()
        self._column = QVBoxLayout(self)
        self._column.setContentsMargins(0, 6, 0, 0)
        self._column.setSpacing(4)
        self.origins: dict[str, FactField] = {}
        self.centres: dict[str, FactField] = {}
        self.flips: dict[str, QCheckBox] = {}
        self.angle: FactField | None = None
        self._inner = QWidget()
        self._column.addWidget(self._inner)

    def refresh(self) -> None:
        """Show the frame as it is now."""
        entry = self._document.entry
        if entry is None:
            return
        sensors = tuple((b.name, s.axis) for b in entry.trial.bodies for s in b.sensors)
        shape = (entry.trial.axes, sensors)
        if shape != self._built:
            self._built = shape
            self._build(entry)
        self._show(entry)
        self.follow_line()

    def hideEvent(self, event: QHideEvent) -> None:
        """Qt: a drag in a strip moves the origin only while its button is in sight."""
        super().hideEvent(event)
        if self._view.dragging_origin is not None:
            self.drag_origin.setChecked(False)

    def _build(self, entry: Entry) -> None:
        self._view.dragging_origin = None
        self._column.removeWidget(self._inner)
        self._inner.hide()
        self._inner.deleteLater()
        self._inner = QWidget()
        self._column.addWidget(self._inner)
        column = QVBoxLayout(self._inner)
        column.setContentsMargins(0, 0, 0, 0)
        column.setSpacing(4)
        column.addWidget(label(words.FRAME, "heading"))
        self._build_zero(column)
        axes = entry.trial.axes
        self.origins, self.flips, self.centres, self.angle = {}, {}, {}, None
        if axes:
            self._build_places(column, axes)
        self.sensor_zeros = []
        for body in entry.trial.bodies:
            for sensor in body.sensors:
                button = QPushButton()
                button.clicked.connect(partial(self._zero_sensor, body.name, sensor.axis))
                self.sensor_zeros.append((button, body.name, sensor.axis))
                column.addWidget(button)
        self.same = QPushButton(words.SAME_FRAME)
        self.same.clicked.connect(self._same_for_all)
        self.said = label("", "small")
        self.said.setWordWrap(True)
        column.addWidget(self.same)
        column.addWidget(self.said)

    def _build_zero(self, column: QVBoxLayout) -> None:
        column.addWidget(label(words.ZERO_LABEL))
        self.zero = DropDown(self._theme)
        self.zero.setAccessibleName(words.ZERO_LABEL)
        for text in words.ZERO_CHOICES:
            self.zero.addItem(text)
        self.zero.activated.connect(self._set_zero)
        self.zero_said = label("", "small")
        column.addWidget(self.zero)
        column.addWidget(self.zero_said)

    def _build_places(self, column: QVBoxLayout, axes: tuple[str, ...]) -> None:
        for axis in axes:
            field = FactField(
                self._theme, words.ORIGIN_LABEL.format(axis=axis), words.ORIGIN_HINT, read_length
            )
            field.may_be_empty = True
            field.edited.connect(partial(self._set_origin, axis))
            self.origins[axis] = field
            column.addWidget(field)
        row = QHBoxLayout()
        row.setSpacing(4)
        self.at_line, self.at_lowest = (
            QPushButton(words.ORIGIN_LINE),
            QPushButton(words.ORIGIN_LOWEST),
        )
        self.at_line.clicked.connect(self._origin_at_line)
        self.at_lowest.clicked.connect(self._origin_at_lowest)
        for button in (self.at_line, self.at_lowest):
            button.setProperty("role", "narrow")
            row.addWidget(button)
        column.addLayout(row)
        self.drag_origin = QPushButton(words.ORIGIN_DRAG)
        self.drag_origin.setCheckable(True)
        self.drag_origin.toggled.connect(self._set_dragging)
        column.addWidget(self.drag_origin)
        if set(axes) == {"x", "y"}:
            self.angle = FactField(self._theme, words.ANGLE_LABEL, words.ANGLE_HINT, read_angle)
            self.angle.may_be_empty = True
            self.angle.edited.connect(self._set_angle)
            column.addWidget(self.angle)
        row = QHBoxLayout()
        for axis in axes:
            box = QCheckBox(words.FLIP.format(axis=axis))
            box.toggled.connect(partial(self._set_flip, axis))
            self.flips[axis] = box
            row.addWidget(box)
        row.addStretch(1)
        column.addLayout(row)
        if set(axes) == {"x", "y"}:
            self._build_centre(column)

    def _build_centre(self, column: QVBoxLayout) -> None:
        for axis in ("x", "y"):
            label = words.CENTRE_LABEL.format(axis=axis)
            field = FactField(self._theme, label, words.CENTRE_HINT, read_length)
            field.may_be_empty = True
            field.edited.connect(partial(self._set_centre, axis))
            self.centres[axis] = field
            column.addWidget(field)
        self.circle = QPushButton()
        self.circle.clicked.connect(self._fit_circle)
        column.addWidget(self.circle)

    # -- showing -----------------------------------------------------------------------------------

    def _show(self, entry: Entry) -> None:
        frame, project = entry.frame, self._document.project
        self.zero_said.setText(
            words.ZERO_IS.format(time=format_number(frame.time_zero, 6)) if frame.time_zero else ""
        )
        self.zero_said.setVisible(bool(frame.time_zero))
        if not frame.time_zero:
            self.zero.setCurrentIndex(0)
        for axis, field in self.origins.items():
            value = frame.origin["xy".index(axis)]
            stated = project.fact(ORIGIN[axis], entry)
            field.show_fact((stated[1] if stated else measured(value, 0.0)) if value else None)
        if self.angle is not None:
            stated = project.fact(ANGLE, entry)
            self.angle.show_fact(
                (stated[1] if stated else measured(frame.angle, 0.0, RADIAN))
                if frame.angle
                else None
            )
        for axis, box in self.flips.items():
            box.blockSignals(True)
            box.setChecked(axis in frame.flipped)
            box.blockSignals(False)
        for axis, field in self.centres.items():
            stated = project.fact(CENTRE[axis], entry)
            field.show_fact(stated[1] if stated and frame.centre else None)
        name = self._span_name(entry)
        if self.centres:
            steady = bool(name) and entry.spans.named(name).kind.steady
            fit = words.CENTRE_FIT.format(name=name) if steady else words.CENTRE_FIT_ALL
            self.circle.setText(fit)
        for button, body, axis in self.sensor_zeros:
            what = words.SENSOR_TITLES[axis][0].lower()
            button.setText(words.SENSOR_ZERO.format(what=what, body=body, name=name))
            button.setEnabled(bool(name))

    def _span_name(self, entry: Entry) -> str:
        span = entry.spans.before or (entry.spans[0] if entry.spans else None)
        return span.name if span else ""

    def follow_line(self) -> None:
        """What needs the plumb line is there when it is."""
        if self.origins:
            self.at_line.setEnabled(self._view.line is not None)

    # -- asking for edits --------------------------------------------------------------------------

    def _set(
        self, frame: Frame, facts: Mapping[str, Fact | None], name: str = "Set the frame"
    ) -> None:
        entry = self._document.entry
        try:
            edit = frame_set(self._document.committed, [entry.trial.id], frame, facts, name)
        except InertianError as error:
            self.said.setText(str(error))
            self._show(entry)
            return
        self.said.setText("")
        self._document.do(edit)

    def _set_zero(self, place: int) -> None:
        entry, contact = self._document.entry, self._document.entry.spans.contact
        times = (
            0.0,
            float(entry.trial.t[0]),
            contact.start if contact else None,
            contact.stop if contact else None,
            self._view.line,
        )
        if times[place] is None:
            self.said.setText(words.NO_LINE if place == 4 else words.NO_SPANS)
            return
        self._set(replace(entry.frame, time_zero=times[place]), {}, "Set time zero")

    def _set_origin(self, axis: str, fact: Fact | None) -> None:
        origin = list(self._document.entry.frame.origin)
        origin["xy".index(axis)] = fact.si if fact else 0.0
        self._set(
            replace(self._document.entry.frame, origin=(origin[0], origin[1])),
            {ORIGIN[axis]: fact},
            "Set the origin",
        )

    def move_origin(self, axis: str, place: float) -> None:
        """Put the origin at a place along an axis of the frame as it is now, in m, without a ±."""
        entry = self._document.entry
        filed = entry.frame.undone(*((place, 0.0) if axis == "x" else (0.0, place)))
        if entry.frame.angle == 0.0:
            origin = list(entry.frame.origin)
            origin["xy".index(axis)] = filed["xy".index(axis)]
        else:
            origin = list(filed)
        facts = {
            ORIGIN[a]: measured(v, 0.0)
            for a, v in zip("xy", origin, strict=True)
            if a in entry.trial.axes
        }
        self._set(replace(entry.frame, origin=(origin[0], origin[1])), facts, "Set the origin")

    def _origin_at_line(self) -> None:
        entry, line = self._document.entry, self._view.line
        _, body = self._view.in_hand()
        if line is None or not any(b.name == body for b in entry.trial.followed):
            return
        origin, facts = list(entry.frame.origin), {}
        sigma = self._document.evaluator.series(self._document.project, entry.series).noise.reading
        for channel in entry.trial.body(body).channels:
            rows = np.flatnonzero(np.isfinite(channel.si))
            row = rows[np.argmin(np.abs(entry.trial.t[rows] - line))]
            origin["xy".index(channel.axis)] = float(channel.si[row])
            facts[ORIGIN[channel.axis]] = measured(float(channel.si[row]), sigma)
        self._set(replace(entry.frame, origin=(origin[0], origin[1])), facts, "Origin on a sample")

    def _origin_at_lowest(self) -> None:
        entry = self._document.entry
        axis = "y" if "y" in entry.trial.axes else "x"
        sigma = self._document.evaluator.series(self._document.project, entry.series).noise.reading
        try:
            value = lowest(entry.trial, axis)
        except InertianError as error:
            self.said.setText(str(error))
            return
        origin = list(entry.frame.origin)
        origin["xy".index(axis)] = value
        facts = {ORIGIN[axis]: measured(value, sigma)}
        self._set(
            replace(entry.frame, origin=(origin[0], origin[1])), facts, "Origin at the lowest point"
        )

    def _set_dragging(self, on: bool) -> None:
        self._view.dragging_origin = self.move_origin if on else None
        self._view.turned.emit()

    def _set_angle(self, fact: Fact | None) -> None:
        self._set(
            replace(self._document.entry.frame, angle=fact.si if fact else 0.0),
            {ANGLE: fact},
            "Turn the axes",
        )

    def _set_flip(self, axis: str, on: bool) -> None:
        flipped = set(self._document.entry.frame.flipped) - {axis} | ({axis} if on else set())
        self._set(
            replace(self._document.entry.frame, flipped=tuple(sorted(flipped))),
            {},
            f"Turn {axis} round",
        )

    def _set_centre(self, axis: str, fact: Fact | None) -> None:
        entry = self._document.entry
        if fact is None:
            self._set(
                replace(entry.frame, centre=None),
                dict.fromkeys(CENTRE.values()),
                "Clear the centre",
            )
            return
        centre = list(entry.frame.centre or (0.0, 0.0))
        centre["xy".index(axis)] = fact.si
        self._set(
            replace(entry.frame, centre=(centre[0], centre[1])),
            {CENTRE[axis]: fact},
            "Set the centre",
        )

    def _fit_circle(self) -> None:
        entry = self._document.entry
        _, body = self._view.in_hand()
        name, rows = self._span_name(entry), slice(None)
        if name and entry.spans.named(name).kind.steady:
            rows = entry.spans.named(name).rows(entry.trial.t)
        moving = entry.used_trial.body(body)
        try:
            circle = fit_circle(*(moving.channel(axis).si[rows] for axis in "xy"))
        except (InertianError, KeyError) as error:
            self.said.setText(str(error))
            return
        facts = {
            CENTRE["x"]: measured(circle.x, circle.u[0]),
            CENTRE["y"]: measured(circle.y, circle.u[1]),
        }
        self._set(replace(entry.frame, centre=(circle.x, circle.y)), facts, "Fit the centre")
        self.said.setText(
            words.CIRCLE_FOUND.format(radius=format_estimate(circle.r, circle.u[2], "m"), body=body)
        )

    def _zero_sensor(self, body: str, axis: str) -> None:
        entry = self._document.entry
        rows = entry.spans.named(self._span_name(entry)).rows(entry.trial.t)
        values = next(s.si for s in entry.trial.body(body).sensors if s.axis == axis)[rows]
        others = tuple(z for z in entry.frame.zeros if z[:2] != (body, axis))
        good = values[np.isfinite(values)]
        if good.size < 2:
            self.said.setText(words.NO_VALUE_HERE)
            return
        zeros = (*others, (body, axis, float(good.mean())))
        unit = Unit(words.SENSOR_TITLES[axis][1], KIND_OF_AXIS[axis], 1.0)
        fact = measured(float(good.mean()), float(good.std(ddof=1) / np.sqrt(good.size)), unit)
        self._set(replace(entry.frame, zeros=zeros), {zero_key(body, axis): fact}, "Zero a sensor")

    def _same_for_all(self) -> None:
        entry, project = self._document.entry, self._document.committed
        facts = {name: fact for name, (_, fact) in project.frame_facts(entry).items()}
        facts |= {name: fact for name, (_, fact) in project.centre_facts(entry).items()}
        trials = [
            e.trial.id for e in project.entries_of(entry.series) if e.trial.axes == entry.trial.axes
        ]
        try:
            edit = frame_set(project, trials, entry.frame, facts, "Same frame for the series")
        except InertianError as error:
            self.said.setText(str(error))
            return
        self._document.do(edit)
        self.said.setText(words.FRAME_COPIED.format(count=len(trials)))
