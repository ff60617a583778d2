"""Words of the bench: strips, spans, the rail, the shelf."""

from collections.abc import Sequence

from inertian.desktop.look.typeset import typeset_plain
from inertian.motion.spans.spans import SpanKind
from inertian.physics.definitions.derived_quantities import READY_MADE, centre_of_mass_quantities
from inertian.physics.definitions.requests import Quantity, QuantityRef

POSITION, VELOCITY = "Position {axis}", "Velocity {axis}"
TIME_AXIS = "time in s"
STRIP_UNIT = "in {unit}"
SPAN_TIP = "“{name}”, {kind}, {start} s to {stop} s: {count} samples"
SPAN_WHY = "Suggested, because {why}."
EDGE_TIME = "Time of this edge in s"
RAIL_HELP = (
    "Drag edges or spans, or a new one. Keys: ↑ ↓ choose, ← → move by a sample, Shift by ten, "
    "Enter a time, N new, F2 name, Del remove; L plumb line, P pin, X set aside."
)
MOMENTS = "no samples, {bodies}, {start} s to {stop} s"
SAMPLES = "{count} samples, {bodies}, {start} s to {stop} s"
ONE_BODY, MANY_BODIES = "1 body", "{count} bodies"
STATUS_FILE = "{file}: {samples}"
SERIES_COUNT = "{count}"
SIGN_TIP = "Momentum: {verdict}"

SENSOR_TITLES = {
    "F": ("Force", "N"),
    "a": ("Acceleration", "m/s²"),
    "v": ("Velocity as measured", "m/s"),
}
AXIS_NAMES = {"": "", "x": " x", "y": " y", "magnitude": ", magnitude"}
QUANTITY_TITLES = {
    Quantity.POSITION: "Position",
    Quantity.VELOCITY: "Velocity",
    Quantity.ACCELERATION: "Acceleration",
    Quantity.SPEED: "Speed",
    Quantity.MOMENTUM: "Momentum",
    Quantity.KINETIC: "Kinetic energy",
    Quantity.ANGLE: "Angle about the centre",
    Quantity.ANGULAR_SPEED: "Angular speed",
    Quantity.RADIUS: "Distance from the centre",
}


READY_TITLES = {q.symbol: q.name for q in (*READY_MADE, *centre_of_mass_quantities(2))}


def strip_title(shown: QuantityRef) -> str:
    """Return the title of a strip."""
    if shown.quantity is Quantity.SENSOR:
        return SENSOR_TITLES[shown.axis][0]
    if shown.quantity is Quantity.DERIVED:
        return READY_TITLES.get(shown.axis, typeset_plain(shown.axis))
    return QUANTITY_TITLES[shown.quantity] + AXIS_NAMES[shown.axis]


_MOTION, _ENERGY, _FORCES = "Motion", "Momentum and energy", "Forces and impulses"
_ROTATION, _SENSORS, _CENTRE = "Rotation", "From sensors", "Centre of mass"
_YOURS = "Your quantities"
QUANTITY_GROUPS = (_MOTION, _ENERGY, _FORCES, _ROTATION, _SENSORS, _CENTRE, _YOURS)
_GROUP_OF = {
    Quantity.POSITION: _MOTION,
    Quantity.VELOCITY: _MOTION,
    Quantity.ACCELERATION: _MOTION,
    Quantity.SPEED: _MOTION,
    Quantity.MOMENTUM: _ENERGY,
    Quantity.KINETIC: _ENERGY,
    Quantity.ANGLE: _ROTATION,
    Quantity.ANGULAR_SPEED: _ROTATION,
    Quantity.RADIUS: _ROTATION,
    Quantity.SENSOR: _SENSORS,
}
_GROUP_OF_FORMULA = {
    _MOTION: "φ_v",
    _ENERGY: "E_p E_i E_s E_m E_mi E_ms P W_F",
    _FORCES: "F_x F_y F_b J_F J_lev",
    _ROTATION: "L E_r ω_v",
    _SENSORS: "v_acc x_acc v_lev x_lev v_tilt x_tilt",
    _CENTRE: "x_cm v_cm E_cm y_cm w_cm E_cmp",
}


def group_of_formula(symbol: str) -> str:
    """Return the subject of a ready-made quantity, or that of one's own."""
    return next((g for g, own in _GROUP_OF_FORMULA.items() if symbol in own.split()), _YOURS)


def grouped(quantities: Sequence[QuantityRef]) -> dict[str, list[QuantityRef]]:
    """Return quantities by subject, subjects in their order."""
    found: dict[str, list[QuantityRef]] = {group: [] for group in QUANTITY_GROUPS}
    for one in quantities:
        own = one.quantity is Quantity.DERIVED
        found[group_of_formula(one.axis) if own else _GROUP_OF[one.quantity]].append(one)
    return {group: members for group, members in found.items() if members}


RESIDUALS_OF = "What the curves leave of {title}"
STRIP_TIP = "Another quantity in this strip, or more strips"
UNIT_TIP = "Another unit for this axis"
METHOD_MENU, LINE_BY_FITS = "Derived by", "read off local fits"
METHOD_NAMES = {
    "local": "local fits (usual)",
    "central": "central differences",
    "two-point": "two-point differences",
}
METHODS_SAID = {"central": "by central differences", "two-point": "by two-point differences"}
ADD_STRIP, INSTEAD, STRIP_UP, STRIP_DOWN = "Add a strip", "Show instead", "Move up", "Move down"
STRIP_REMOVE, STRIP_PICTURE, STRIP_NUMBERS = (
    "Remove this strip",
    "Copy as picture",
    "Copy its numbers",
)
USUAL_STRIPS = "Back to the &usual strips"
COPIED_PICTURE, COPIED_NUMBERS = (
    "The strip was copied as a picture.",
    "The numbers of the strip were copied: {count} rows.",
)
SIDE_VIEW = "Plot one quantity against a&nother"
SIDE_ACROSS, SIDE_UP, SIDE_TIME = "across", "up", "Time"
SET_ASIDE = (
    "{count} samples set aside: {reason}. Keys 1 to 5 give another reason; Ctrl+Z takes it back."
)
LINE_READING = "{value}, slope {slope}"
NO_VALUE_HERE = "too few samples here"
SPAN_KINDS = {
    SpanKind.FREE: "free motion",
    SpanKind.REST: "rest",
    SpanKind.VELOCITY: "steady velocity",
    SpanKind.ACCELERATION: "steady acceleration",
    SpanKind.GLIDE: "glide, slowed by drag",
    SpanKind.SWING: "swing",
    SpanKind.CONTACT: "contact",
    SpanKind.INTERACTION: "interaction without touch",
    SpanKind.TURN: "turning point",
    SpanKind.MIDDLE: "middle of a swing",
    SpanKind.BOUNCE: "bounce",
    SpanKind.PUSH: "push by a hand",
    SpanKind.END_STOP: "end stop",
}
SPAN_IS, SPAN_RENAME, SPAN_SPLIT, SPAN_REMOVE = (
    "What happens in “{name}”",
    "Rename…",
    "Split by body",
    "Remove “{name}”",
)
SPAN_COPY, SPAN_ZOOM, SPAN_FIT = (
    "Copy to the other trials of the series",
    "Show this span",
    "Fit a curve over it",
)
SPAN_NAME = "Name of this span"
SPAN_TIMES = "Start and stop in s, such as 0.2 0.95"
SPAN_TIMES_WRONG = "Type two times in s, such as 0.2 0.95."
NEW_SPAN_TYPED = "&New span by its times…"
BEGIN_SPAN, SPAN_BEGUN = (
    "&Begin a span at the plumb line, then end it",
    "A span begins at {time} s. Move the line and press N.",
)
RENAME_SPAN, REMOVE_SPAN = "&Rename the span in hand", "Remo&ve the span in hand"
EDGE_TO_LINE = ("Its start to the plumb line", "Its stop to the plumb line")
TO_LINE, PIN = "Go to the p&lumb line", "P&in this moment"
ZOOM_SPAN, ZOOM_BACK = "Show the span in &hand", "Zoom bac&k"
SET_ASIDE_MODE, SET_ASIDE_AT_LINE = "Set aside with the &mouse", "Set the sample at the line asi&de"
NEXT_LOOK, TREAT_OTHERS = "Next one to l&ook at", "&Treat the others like this one…"
CLEAR_CURVES = "Remove all &fits"
REASON_MENU, REASON_ACTION = "Reason for setting aside", "Because: {reason}"
FIT_MENU, FIT_ACTION = "Fit a curve over the span in hand", "Fit a {shape}"
SHOW_PAGE = "Show the page {name}"
BRIDGE_GAP = "Brid&ge the gap at the line"
NOT_A_SPAN = "Choose a span on the rail first."
NO_LINE = "Put the plumb line somewhere first: click in a strip."
