"""All words of the interface, in one catalogue."""

from inertian.motion.freemotion import FreeMotion
from inertian.physics.verdicts import Expectation, Verdict
from inertian.quantities.facts import Meaning

PROGRAM = "Inertian"
UNTITLED = "Untitled"
BENCH, LEDGER = "Bench", "Ledger"

MENU_FILE, MENU_EDIT, MENU_VIEW, MENU_BENCH, MENU_HELP = "&File", "&Edit", "&View", "&Bench", "&Help"
NEW, OPEN, SAVE, SAVE_AS, CLOSE = "&New project", "&Open…", "&Save", "Save &as…", "&Close window"
OPEN_DEMO = "Open the &demo"
UNDO, REDO = "&Undo", "&Redo"
UNDO_NAMED, REDO_NAMED = "&Undo: {name}", "&Redo: {name}"
REMOVE_TRIAL = "Re&move this trial"
MARK_SPANS = "&Mark spans"
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

FILE_FILTER = "Projects and recordings (*.inertian *.tsv *.csv *.txt *.dat);;All files (*)"
PROJECT_FILTER = "Inertian projects (*.inertian)"
UNSAVED_TITLE = "Unsaved changes"
UNSAVED = "“{name}” has changes that are not saved. Save them before closing?"
RECOVER_TITLE = "Work from last time"
RECOVER = "Inertian ended without closing “{name}”. Its last state was kept. Open it again?"
SAVED = "Saved {file}"
OPENED = "Opened {file}"
BROUGHT_IN = "Brought in {count}: spans were suggested; check them on the rail."
RECOVERY_FAILED = "The recovery copy cannot be written ({why}). Save your work soon."
ONE_PROJECT = "A window holds one project. These were not opened: {files}. Drop recordings without a project."
TROUBLE_TITLE = "Not opened"
SAVE_ONE_PROJECT = "A window holds one project. These were not opened: {files}. Drop recordings without a project."
TROUBLE_TITLE = "Not saved"
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
    "How a stone moves while nothing hits it. One deceleration per body: friction on the ice, found from all spans of "
    "the series together."
)
NOISE_HINT = "estimated; type to fix it, e.g. 1.5 mm"
ESTIMATED = "{sigma}, from the scatter about the fits"
NOT_ESTIMATED = "known once spans are marked; at least {least}, from the last digit"
AS_TYPED = "as typed: the standard deviation of one reading"
STAMPS_FOUND = "{sigma}, from the scatter"
STAMPS_NONE = "no unevenness seen"
DECELERATION = "slows by {value}"
SECOND_LOOK = "Second look"
NOTES = {
    "pattern": (
        "{body}, “{span}”: the points curve about the fit. Does the stone stop, turn or touch something there? "
        "Shorten the span, or choose another free motion."
    ),
    "noise": "The typed reading noise is smaller than the scatter about the fits, so the scatter is used.",
}
BEFORE_AT, AFTER_AT = "before", "after"
RESTITUTION = "Restitution e"
NOT_DEFINED = "not defined"
PM_TIP = "The true value lies inside about 2 times in 3."
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
LAW_TITLES = {"momentum x": "Momentum along x", "momentum y": "Momentum along y", "kinetic energy": "Kinetic energy"}
SHORT_LAW = {"momentum x": "Momentum x", "momentum y": "Momentum y", "kinetic energy": "Kinetic energy"}
COLUMN_BEFORE, COLUMN_OUTSIDE, COLUMN_AFTER, COLUMN_LEFT = "before", "from outside", "after", "unaccounted"
AT_TIME = "at {time} s"
TOTAL = "total"
ALL_IN = "in {unit}"
INTERVALS_TITLE = "Relative to the expected, {unit}"
ROW_EXPECTED, ROW_AFTER, ROW_LEFT = "expected", "after", "unaccounted"
BUDGET_TITLE = "Where the ± of the unaccounted {law} comes from"
BUDGET_TOTAL = "± {u} together"
BUDGET_SHARE = "{share} %"
BUDGET_NEGLIGIBLE = "< 0.5 %"
ENTRY_TIP = "Friction between the opening and the closing instant, continued from the free motion on either side."

POSITION, VELOCITY = "Position {axis}", "Velocity {axis}"
TIME_AXIS = "time in s"
STRIP_UNIT = "in {unit}"
SPAN_TIP = "“{name}”, {start} s to {stop} s: {count} samples"
EDGE_TIME = "Time of this edge in s"
RAIL_HELP = (
    "Drag edges or whole spans. Keys: ↑ ↓ choose an edge or a span, ← → move it by a sample, Shift by ten, Enter types."
)
SAMPLES = "{count} samples, {bodies} bodies, {start} s to {stop} s"
STATUS_FILE = "{file}: {samples}"
SERIES_COUNT = "{count}"
SIGN_TIP = "Momentum: {verdict}"
