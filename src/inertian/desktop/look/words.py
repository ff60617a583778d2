"""All words of the interface, in one catalogue."""

from inertian.desktop.look.typeset import typeset_plain
from inertian.motion.fits.free_motion import FreeMotion
from inertian.motion.recording.tidying import Reason
from inertian.motion.spans.spans import SpanKind
from inertian.physics.accounts.verdicts import Expectation, Verdict
from inertian.physics.definitions.derived_quantities import READY_MADE, centre_of_mass_quantities
from inertian.physics.definitions.requests import Quantity, QuantityRef, ReadingKind
from inertian.quantities.facts import Meaning

PROGRAM = "Inertian"
UNTITLED = "Untitled"
BENCH, LEDGER = "Bench", "Ledger"

MENU_FILE, MENU_EDIT, MENU_VIEW, MENU_BENCH, MENU_HELP = (
    "&File",
    "&Edit",
    "&View",
    "&Bench",
    "&Help",
)
NEW, OPEN, SAVE, SAVE_AS, CLOSE = "&New project", "&Open…", "&Save", "Save &as…", "&Close window"
OPEN_DEMO = "Open the &demo"
UNDO, REDO = "&Undo", "&Redo"
UNDO_NAMED, REDO_NAMED = "&Undo: {name}", "&Redo: {name}"
REMOVE_TRIAL = "Re&move this trial"
MARK_SPANS = "&Mark spans"
MARK_SERIES = "Mark spans in the whole s&eries"
SEARCHING = "Looking for spans in {count} trials…"
SERIES_MARKED = "Spans were marked in {count} trials; check them on the rail."
SHOW_ALL = "Show the &whole trial"
SHOW_CONTACT = "Show the &contact"
FOLD_SHELF, HIDE_MARGIN = "&Shelf", "&Margin"
NEXT_TRIAL, PREVIOUS_TRIAL = "&Next trial", "&Previous trial"
THEME_SYSTEM, THEME_LIGHT, THEME_DARK = "Theme of the &desktop", "&Light theme", "&Dark theme"
FIND_ACTION = "&Find an action…"
FIND_PLACEHOLDER = "Type what you want to do"
NEXT_PANE = "Next &pane"
ABOUT = "&About Inertian"
ABOUT_TEXT = (
    "<b>Inertian {version}</b><br>Honest accounts of momentum and energy from position-time files."
    "<br><br>Free software under the GNU General Public License, version 3 or later."
    "<br>Type: IBM Plex Sans, SIL Open Font License."
)

FILE_FILTER = "All files (*);;Projects (*.inertian)"
PROJECT_FILTER = "Inertian projects (*.inertian)"
UNSAVED_TITLE = "Unsaved changes"
UNSAVED = "“{name}” has changes that are not saved. Save them before closing?"
RECOVER_TITLE = "Work from last time"
RECOVER = "Inertian ended without closing “{name}”. Its last state was kept. Open it again?"
SAVED = "Saved {file}"
OPENED = "Opened {file}"
BROUGHT_IN = "Brought in {count}: spans were suggested; check them on the rail."
BROUGHT_IN_BARE = "Brought in {count}; no spans were found in it."
RECOVERY_FAILED = "The recovery copy cannot be written ({why}). Save your work soon."
ONE_PROJECT = (
    "A window holds one project. These were not opened: {files}. Drop recordings without a project."
)
TROUBLE_TITLE = "Not opened"
SAVE_TROUBLE_TITLE = "Not saved"
BRINGING_IN = "Reading {file}…"
DEFAULT_SERIES = "trials"

NO_TRIAL = "Nothing is open yet. Drop files of position against time here, or start with the demo."
NO_TRIAL_OPEN, NO_TRIAL_DEMO = "Open files…", "Open the demo"
NO_SPANS = "The spans before, contact and after are not marked in this trial yet."
NO_SPANS_BUTTON = "Mark spans"
NO_MASS = "An account needs the masses. Type the mass of {body} here:"
MASS_HINT = "e.g. 19.1 ± 0.1 kg"

SETUP, READINGS, ACCOUNT = "Setup", "Readings at the contact", "Account"
FREE_MOTION, NOISE, STAMPS = "Free motion", "Reading noise", "Time stamps"
MASS_OF = "Mass of {body}"
MEANING = {
    Meaning.LIMITS: "± are limits",
    Meaning.LAST_DIGIT: "± is the last digit",
    Meaning.STANDARD: "± is a standard uncertainty",
    Meaning.EXPANDED: "± is a 95 % interval",
    Meaning.EXACT: "exact",
}
MOTION = {
    FreeMotion.LINE: "steady velocity",
    FreeMotion.PARABOLA: "steady acceleration, each span",
    FreeMotion.GLIDE: "one deceleration per body",
}
MOTION_TIP = (
    "How a stone moves while nothing hits it. One deceleration per body: friction on the ice, "
    "found from all spans of "
    "the series together."
)
WINDOW, WINDOW_HINT = "Window of velocities", "by the data; or e.g. 0.2 s, 15 samples"
WINDOW_TIP = (
    "How many neighbouring samples a velocity or an acceleration comes from, in strips and readings"
)
WINDOW_NOW = "{least} to {most} samples for velocities here"
WINDOW_ALL = "{most} samples for velocities here"
NOISE_HINT = "estimated; type to fix it, e.g. 1.5 mm"
ESTIMATED = "{sigma}, from the scatter about the fits"
NOT_ESTIMATED = "known once spans are marked; at least {least}, from the last digit"
DERIVING = "working it out…"
AS_STATED = "{sigma} on average, as columns of the files state it for each reading"
AS_TYPED = "as typed: the standard deviation of one reading"
STAMPS_FOUND = "{sigma}, from the scatter"
STAMPS_NONE = "no unevenness seen"
DECELERATION = "slows by {value}"
SECOND_LOOK = "Second look"
NOTES = {
    "pattern": (
        "{body}, “{span}”: the points curve about the fit. Does the stone stop, turn or touch "
        "something there? "
        "Shorten the span, or choose another free motion."
    ),
    "noise": (
        "The reading noise that was given is smaller than the scatter about the fits, so the "
        "scatter is used."
    ),
}
BEFORE_AT, AFTER_AT = "before", "after"
RESTITUTION = "Restitution e"
NOT_DEFINED = "not defined"
PM_TIP = "The true value lies inside about 2 times in 3."
FROM_TO = "{low} to {high}"
PM_TIP_95 = "{interval} holds it about 95 times in 100."
SIGMA_TIP = "Standard deviation of one reading, {dof} degrees of freedom."

EXPECTATION = {
    Expectation.CONSERVED: "expected: conserved",
    Expectation.NOT_CONSERVED: "expected: not conserved",
    Expectation.GIVEN_E: "expected: loss given by e",
}
E_FIELD = "e ="
E_DEFAULT = "0.85 ± 0.05"
VERDICT = {
    Verdict.BALANCES: "no imbalance seen",
    Verdict.DOUBTFUL: "doubtful",
    Verdict.IMBALANCE: "does not balance",
    Verdict.TOO_ROUGH: "too rough to tell",
}
VISIBLE = "An imbalance of {visible} would have shown."
VISIBLE_IN_MARGIN = "{visible} would have shown"
BECAME_OTHER = "{amount} became other forms of energy"
GAINED = "{amount} was gained from other forms of energy"
UNACCOUNTED_IS = "unaccounted: {amount}"
TOGETHER = "{axes} together: {verdict} (χ² = {chi} for {count})"
JOINED = " and "
LAW_TITLES = {
    "momentum x": "Momentum along x",
    "momentum y": "Momentum along y",
    "kinetic energy": "Kinetic energy",
}
SHORT_LAW = {
    "momentum x": "Momentum x",
    "momentum y": "Momentum y",
    "kinetic energy": "Kinetic energy",
}
COLUMN_BEFORE, COLUMN_OUTSIDE, COLUMN_AFTER, COLUMN_LEFT = (
    "before",
    "from outside",
    "after",
    "unaccounted",
)
AT_TIME = "at {time} s"
TOTAL = "total"
ALL_IN = "in {unit}"
INTERVALS_TITLE = "Relative to the expected, {unit}"
ROW_EXPECTED, ROW_AFTER, ROW_LEFT = "expected", "after", "unaccounted"
BUDGET_TITLE = "Where the ± of the unaccounted {law} comes from"
BUDGET_TOTAL = "± {u} together"
BUDGET_SHARE = "{share} %"
BUDGET_NEGLIGIBLE = "< 0.5 %"
ENTRY_TIP = (
    "Friction between the opening and the closing instant, continued from the free motion on "
    "either side."
)

POSITION, VELOCITY = "Position {axis}", "Velocity {axis}"
TIME_AXIS = "time in s"
STRIP_UNIT = "in {unit}"
SPAN_TIP = "“{name}”, {kind}, {start} s to {stop} s: {count} samples"
SPAN_WHY = "Suggested, because {why}."
EDGE_TIME = "Time of this edge in s"
RAIL_HELP = (
    "Drag edges or whole spans; drag where there is none for a new one. Keys: ↑ ↓ choose, ← → "
    "move by a sample, "
    "Shift by ten, Enter types a time, N new span, F2 name, Del removes; L plumb line, P pins, "
    "X sets a sample aside."
)
SAMPLES = "{count} samples, {bodies}, {start} s to {stop} s"
ONE_BODY, MANY_BODIES = "1 body", "{count} bodies"
STATUS_FILE = "{file}: {samples}"
SERIES_COUNT = "{count}"
SIGN_TIP = "Momentum: {verdict}"

INTAKE = "Intake"
MENU_INTAKE = "&Intake"
FILE_VIEW, PREVIEW = "The file as it is on disk", "Preview"
PREVIEW_TITLE = {
    "x": "position x in {unit}, against {time}",
    "y": "position y in {unit}, against {time}",
    "F": "force in {unit}, against {time}",
    "a": "acceleration in {unit}, against {time}",
    "v": "velocity in {unit}, against {time}",
}
PREVIEW_TIME, PREVIEW_FRAMES, PREVIEW_ROWS = "time in s", "frame number", "row number"
INTAKE_EMPTY = "Drop recordings here: text, spreadsheets, JSON, archives of them. Or paste a table."
INTAKE_OPEN, INTAKE_PASTE, INTAKE_TYPE = "Open files…", "Paste a table", "Type a table"
PASTE_TABLE, TYPE_TABLE = "&Paste a table", "&Type a table…"
OPEN_RECORDINGS = "Bring in &recordings…"
IMPORT_RECIPE, EXPORT_RECIPE = "&Use a recipe from a file…", "&Export this recipe…"
READ_AGAIN = "Read the file of this trial &again…"
JOIN_TRIALS = "&Join another recording to this trial…"
CLEAR_DESK = "Take the files &off the desk"
RECIPE_FILTER = "Recipes (*.json);;All files (*)"
PASTED_NAME, TYPED_NAME = "Pasted table.txt", "Typed table.txt"
TYPED_TITLES = ("time (s)", "heavy (m)")
NOTHING_TO_PASTE = "There is no text to paste. Copy a table first, with its titles."
READING_FILES = "Reading {number} of {count}…"
CANCEL_READING = "Cancel"
READ_CANCELLED = "Stopped after {number} of {count} files."
OF_ONE_MAKE = "{count} files of one make"
OF_MAKES = "{count} files of {makes} makes"
ONE_FILE = "1 file"
FILE_IN_LIST = "{file}"
TRIAL_OF = "{name}"
BRING_IN_ONE, BRING_IN_MANY = "Bring in 1 trial", "Bring in {count} trials"
READ_AGAIN_BUTTON = "Read “{name}” this way"
ANSWER_FIRST = "{file} leaves something open: answer it at the right first."
MASS_HINT_BARE = "mass, e.g. 19.1 ± 0.1 kg"
NOTHING_USABLE = "Nothing of this can be used."
LEFT_OUT = "left out: {why}"
UNDERSTOOD, ASKED, COLUMNS, PROBLEMS, WHO_IS_WHO = (
    "Understood",
    "To be answered",
    "Columns",
    "Problems",
    "Who is who",
)
CUT_LABEL, DECIMAL_LABEL = "Between columns", "Decimal mark"
DELIMITER_NAMES = {",": "comma", ";": "semicolon", "\t": "tab", "|": "bar", "whitespace": "spaces"}
DECIMAL_NAMES = {".": "point: 1.5", ",": "comma: 1,5"}
FRAME_RATE_LABEL, FRAME_RATE_HINT = "Frames per second", "e.g. 50"
ROW_RATE_LABEL, ROW_RATE_HINT = "Samples per second", "e.g. 50"
SCALE_LABEL, SCALE_HINT = "Scale", "e.g. 412 px = 1.000 m"
TIME_BASE_LABEL, TIME_BASE_HINT = "Slow motion: filmed as exported", "e.g. 300 as 25"
ROLE_NAMES = {
    "time": "time", "frame": "frame number", "position x": "position x", "position y": "position y",
    "force": "force",
    "acceleration": "acceleration", "velocity": "velocity", "body": "names the body",
    "trial": "names the trial",
    "uncertainty": "± of readings", "other": "left out",
}  # fmt: skip
BY_RECIPE = "by the recipe “{name}”"
EVIDENCE = "{evidence}; {sure} % sure"
NO_PROBLEMS = "none"
PROBLEM_TIP = "Click to see the line."
REFUSED_TITLE = "Not usable"
POSITIVE = "Positive {axis}"
POSITIVE_AS_IS, POSITIVE_REVERSED = "as in the file", "the other way"
SERIES_LABEL = "Into the series"
SOME_NOT = "Not brought in"
MORE_COLUMNS = "and {count} more columns"
BRING_IN_ACTION = "&Bring in what is on the desk"
SOURCE = "Source"
SOURCE_LINE = "{file}, {size}, SHA-256 {digest}…"
SIZES = ("bytes", "kB", "MB", "GB")
READ_AGAIN_SHORT = "Read again…"
RECIPE_KEPT = "Recipe saved as {file}"
SENSOR_TITLES = {
    "F": ("Force", "N"),
    "a": ("Acceleration", "m/s²"),
    "v": ("Velocity as measured", "m/s"),
}
SCALE_FACT, TIME_BASE_FACT = "Scale", "Time base"
ORIGINAL_GONE = "The original of “{file}” was not kept with the project. Bring the file in again."

JOIN_TITLE = "Join another recording to “{name}”"
JOIN_OTHER, JOIN_OFFSET, JOIN_FIND = (
    "The other recording",
    "Add to its times",
    "Find by the contact",
)
JOIN_OFFSET_HINT = "e.g. 0.35 ± 0.01 s"
JOIN_FACING, JOIN_LENGTH, JOIN_LENGTH_HINT = (
    "It looks the other way: x = L − x′",
    "L =",
    "e.g. 4.20 m",
)
JOIN_HOW = "Found from {how}; the ± is a standard uncertainty."
JOIN_BUTTON = "Join"
JOIN_ALONE = "There is no other trial to join. Bring in the other recording first."
JOINED_CANNOT = (
    "“{name}” was joined from several files, so it cannot be read again as one. Undo the joining "
    "first."
)
NO_POSITIONS = (
    "No positions were recorded in this trial: what its sensors measured is shown on the bench."
)
SOURCE_TIP = ("{file}", "{size} bytes", "SHA-256 {digest}")
DESK_TITLE = "A table is not brought in"
DESK_NOT_EMPTY = (
    "The table that was typed on the intake desk is not in the project yet. Close without it?"
)

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


RESIDUALS_OF = "What the curves leave of {title}"
STRIP_TIP = "Another quantity in this strip, or more strips"
UNIT_TIP = "Another unit for this axis"
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
    SpanKind.CONTACT: "contact",
    SpanKind.INTERACTION: "interaction without touch",
    SpanKind.TURN: "turning point",
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
}
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
TIDIED_TIP = "samples were set aside"
