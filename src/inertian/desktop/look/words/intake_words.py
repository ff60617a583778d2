"""Words of the intake: files, what was understood of them, joining recordings."""

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
BODIES_LABEL = "Positions without names"
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
