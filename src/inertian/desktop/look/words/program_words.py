"""Words of the program as a whole: menus, files, questions, what to do when nothing is there."""

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
READY_PROJECTS = "Ready Projects"
SEARCHING_ONE = "Looking for spans…"
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
ERROR_TITLE, ERROR_DETAIL, ERROR_COPY = "Something went wrong", "Details", "Copy the report"
ERROR_KEPT = (
    "Your work is still open, and a recovery copy was written to {folder}. Save it under a new "
    "name before you go on."
)
ERROR_NOT_KEPT = "Your work is still open. Save it under a new name before you go on."
PROTECTED_TITLE, PROTECTED = (
    "Write-protected",
    "“{name}” is write-protected. Replace it all the same?",
)
CHANGED_TITLE, CHANGED = (
    "Changed on disk",
    "“{name}” was changed on disk at {disk}, after it was opened or saved here at {here}: by "
    "another window or person. Replacing it would lose that change.",
)
SAVE_REPLACE, SAVE_ELSEWHERE = "Replace it", "Save under another name…"
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
