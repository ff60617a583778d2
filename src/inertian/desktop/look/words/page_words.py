"""Words of the pages of the margin: tidying, frame, readings, fits, treating others alike."""

from inertian.motion.fits.curve_shapes import OF_FORMULA, Parameter
from inertian.motion.recording.tidying import Reason
from inertian.physics.definitions.requests import Quantity, ReadingKind

PAGE_ACCOUNT, PAGE_TIDY, PAGE_READINGS = "Account", "Tidy", "Readings"
TIDY, FRAME, SPAN_HEADING = "Tidy steps", "Frame", "Over “{name}”"
NO_STEPS = (
    "Every sample counts. With Ctrl held, click samples in a strip, or draw a rectangle, to set "
    "them aside."
)
STEP_SET_ASIDE = "{count} samples set aside: {reason}{of}"
STEP_SET_ASIDE_ONE = "1 sample set aside: {reason}{of}"
STEP_JUMPS = "{count} samples set aside: jumps over {threshold} local spreads{of}"
STEP_TRIM = "{count} samples set aside: outside {start} s to {stop} s"
STEP_BRIDGE = "{count} missing samples bridged{of}; never fitted"
STEP_OF = " ({bodies})"
STEP_OFF = "switched off: {what}"
STEP_NAMES = {
    "set aside": "set aside: {reason}",
    "jumps": "jumps",
    "trim": "trim",
    "bridge": "bridge",
    "exchange": "labels exchanged",
}
STEP_EXCHANGE = "Labels of {one} and {other} exchanged: {count} samples"
AT_READING = "When read: {what}"
REASON_LABEL, REASON_TIP = (
    "Reason",
    "Keys 1 to 5 on the bench choose one; type another if none fits.",
)
REASONS = {
    Reason.LOST: "1  marker lost",
    Reason.TOUCHED: "2  touched by a hand",
    Reason.BLURRED: "3  blurred",
    Reason.HIDDEN: "4  hidden by something",
    Reason.OUTSIDE: "5  not part of the motion",
}
MOUSE_SETS_ASIDE = "Set aside with the mouse"
JUMPS_LABEL, JUMPS_FIND, JUMPS_APPLY = "Jumps over … local spreads", "Find jumps", "Set them aside"
JUMPS_NONE, JUMPS_FOUND = "no jumps", "{parts}: ringed in the strips"
JUMPS_PART = "{count} of {body}"
TRIM_FROM, TRIM_TO, TRIM_BUTTON = "Keep from", "to", "Trim"
BRIDGE_BUTTON = "Bridge gap at line"
NUMBER_WRONG = "“{text}” is not a number above zero."
ZERO_LABEL = "Time zero"
ZERO_CHOICES = (
    "as in the file",
    "first sample",
    "start of the contact",
    "end of the contact",
    "the plumb line",
)
ZERO_IS = "now at {time} s of the file"
ORIGIN_LABEL, ORIGIN_HINT = "Origin, along {axis} of the file", "e.g. 0.400 ± 0.005 m"
ORIGIN_LINE, ORIGIN_LOWEST, ORIGIN_DRAG = "Sample at line", "Lowest point", "Drag in a strip"
ANGLE_LABEL, ANGLE_HINT = "Axes turned by", "e.g. 12.0 ± 0.2 °"
FLIP = "reverse {axis}"
CENTRE_FIT_ALL = "Fit a circle to the recording"
CENTRE_LABEL, CENTRE_HINT, CENTRE_FIT = (
    "Centre of rotation, {axis}",
    "e.g. 1.20 ± 0.01 m",
    "Fit a circle to “{name}”",
)
CIRCLE_FOUND = "A circle of radius {radius} was fitted to {body}."
SENSOR_ZERO = "Zero the {what} of {body} over “{name}”"
SAME_FRAME = "Same frame for the whole series"
FRAME_COPIED = "The frame was set in {count} trials."
OF_QUANTITY, OF_BODY, ALL_BODIES = "Quantity", "Body", "all bodies together"
AT_LINE, AT_LINE_NONE = (
    "At the plumb line, {time} s",
    "Click in a strip to put the plumb line there.",
)
BETWEEN_PINS, PINS_NONE = "Between {first} s and {second} s", "Pin two moments (P) to compare them."
NAMED_HEADING, NAMED_NONE = (
    "Named readings",
    "A + keeps a reading under a name; it is then a result of the trial.",
)
NAME_IT, NAME_HINT = "Keep this reading under a name", "Name of this reading"
FORGET = "Take this reading away"
READING_NAMES = {
    ReadingKind.VALUE: "value",
    ReadingKind.SLOPE: "slope",
    ReadingKind.MEAN: "mean",
    ReadingKind.SPREAD: "spread",
    ReadingKind.TREND: "slope",
    ReadingKind.AREA: "area",
    ReadingKind.CHANGE: "change",
    ReadingKind.LEAST: "least",
    ReadingKind.GREATEST: "greatest",
    ReadingKind.DIFFERENCE: "difference",
    ReadingKind.RATIO: "ratio",
}
FITS, FIT_BUTTON, FITS_NONE = (
    "Fits",
    "Fit a curve over “{name}”",
    "Choose a shape; the program finds where to start.",
)
FIT_TITLE, FIT_GONE = "{shape}, “{span}”, {body}", "Remove this fit"
FIT_CHI, FIT_SCATTER = (
    "χ² = {chi} for {dof} degrees of freedom",
    "scatter {scatter}, {dof} degrees of freedom",
)
FIT_R2 = "R² = {r2}; it says nothing about whether the shape is right"
OWN_FORMULA = "A formula of your own…"
FORMULA_HINT = "e.g. a + b t + c sin(w t)"
FIT_HOLD, FIT_HELD = "Hold this parameter", "held"
TREAT_TITLE = "Treat the others like “{name}”"
TREAT_TEXT = (
    "These trials get its rules for jumps, its frame, its spans around their own contact, its "
    "named readings and fits. "
    "What was set aside in them by hand stays."
)
TREAT_BUTTON, TREAT_ONE, TREAT_CANCEL = "Treat {count} trials", "Treat 1 trial", "Cancel"
TREATED = "{count} trials were treated alike; none needs a look."
TREATED_LOOK = "{count} trials were treated alike; {look} need a look."
TREAT_STOPPED = "Stopped; nothing was changed."
NO_OTHERS = "There is no other trial in this series."
LOOK_AT, NOTHING_TO_LOOK_AT = "To be looked at: {why}", "No trial needs a look."

# What the first, second and third derivative of a quantity are called
DERIVATIVES = {
    Quantity.POSITION: ("velocity", "acceleration", "rate of the acceleration"),
    Quantity.VELOCITY: ("acceleration", "rate of the acceleration", "its rate"),
    Quantity.SPEED: ("rate of the speed", "its rate", "the rate of that"),
    Quantity.ANGLE: ("angular velocity", "angular acceleration", "its rate"),
    Quantity.ANGULAR_SPEED: ("angular acceleration", "its rate", "the rate of that"),
    Quantity.MOMENTUM: ("force", "rate of the force", "its rate"),
    Quantity.KINETIC: ("power", "rate of the power", "its rate"),
}


def parameter_said(parameter: Parameter, quantity: Quantity) -> str:
    """Return what a parameter of a curve means for a quantity, with its symbol: "velocity at the
    start, y₁".
    """
    first, second, third = DERIVATIVES.get(
        quantity, ("slope", "second derivative", "third derivative")
    )
    said = parameter.meaning.replace("slope", first)
    said = said.replace("second derivative", second).replace("third derivative", third)
    typed = parameter.meaning == OF_FORMULA
    return parameter.symbol if typed else f"{said}, {parameter.symbol}"
