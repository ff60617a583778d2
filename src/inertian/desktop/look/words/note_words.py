"""Words of the second look, and of files that are treated like a pattern."""

SECOND_LOOK = "Second look"
# What a note is about, by its code; docs/second-look.md explains each
NOTE_TITLES = {
    "mass-decimal": "A mass off by a power of ten",
    "fact-decimal": "A value off by a power of ten",
    "masses-exchanged": "Masses exchanged",
    "length-unit": "A wrong unit of length",
    "time-unit": "A wrong unit of time",
    "slow-motion": "Slow motion not corrected",
    "scale": "A wrong scale",
    "opposite-axes": "Axes point opposite ways",
    "heights-downward": "Heights count downwards",
    "gauge-sign": "A sensor with the other sign",
    "gauge-offset": "A gauge that was not zeroed",
    "gauge-drift": "A gauge that drifts",
    "clipped": "A sensor at its end",
    "lost-target": "The target was lost",
    "jumps": "Samples that jump",
    "stuck-sensor": "A sensor that sticks",
    "repeated-values": "Readings that repeat",
    "coarse-steps": "A coarse recording",
    "time-order": "Times out of order",
    "dropped-frames": "Frames are missing",
    "zero-shift": "A zero that moved",
    "labels-exchanged": "Labels exchanged",
    "clock-drift": "Clocks that drift apart",
    "perspective": "A picture in perspective",
    "momentum-missing": "Momentum is missing",
    "span-holds-event": "A span holds an event",
    "curved-ends": "A span with a bent end",
    "structured-residuals": "The motion is not what is fitted",
    "curve-too-simple": "A curve that is too simple",
    "few-samples": "Few samples",
    "far-off": "Samples far off",
    "contact-wide": "A wide contact",
    "energy-grows": "Energy from nowhere",
    "friction-forward": "Friction that pushes",
    "restitution-above-1": "Restitution above 1",
    "efficiency-above-1": "More than all of the energy",
    "impossible-uncertainty": "A ± that cannot be",
    "impossible-expectation": "A law that cannot hold",
    "noise-too-small": "A noise that is too small",
    "trial-apart": "A trial apart from the others",
}
NOTE_SHOW, NOTE_DISMISS = "Show", "Dismiss…"
NOTE_SHOW_TIP = "Go to where it lies"
NOTES_MORE = "{count} more"
DISMISSED_TITLE = "Dismissed: {count}"
DISMISSED_LINE = "{title}: {reason}"
DISMISSED_NO_REASON = "no reason given"
DISMISSED_BACK = "Tell it again"
DISMISS_TITLE = "Dismiss “{title}”"
DISMISS_TEXT = (
    "Why is it no mistake? The reason is kept in the file, and whoever opens it can read it."
)
DISMISS_HINT = "e.g. the stone was pushed on purpose"
DISMISS_SERIES = "In all trials of the series"
DISMISS_BUTTON, DISMISS_CANCEL = "Dismiss", "Keep it"
REMEDY_DONE = "{edit}: done. Undo takes it back."

TREAT_FILES = "Treat &files like this one…"
FOLLOW_FOLDER, FOLLOW_STOP = "&Follow a folder…", "Stop following"
MAKE_PATTERN = "Make this trial the &pattern of its series"
PATTERN_MADE = "“{name}” is the pattern now: files dropped on its series are treated like it."
PATTERN_SIGN, DROP_TREATED = "pattern", "Drop here: treated like “{name}”"
PATTERN_TIP = "The pattern of its series: files that are dropped here are treated like it"
TREAT_FILES_TITLE = "Treat files like “{name}”"
TREAT_FILES_READING = "{done} of {count} files are read and marked"
TREAT_FILES_LOOKING = "Looking over {count} trials…"
TREAT_FILES_DONE = "{count} came in, none needs a look."
TREAT_FILES_LOOK = "{count} came in. To be looked at: {look}."
TREAT_FILES_REFUSED = "Not brought in: {count}"
TREAT_FILES_EDIT = "Treat {count} like “{name}”"
ONE_TRIAL, MANY_TRIALS_SAID = "1 trial", "{count} trials"
TREAT_FILES_STOP, TREAT_FILES_CLOSE = "Stop", "Close"
TREAT_FILES_BUSY = "Other files are still being treated. Drop these again when they are done."
TREAT_FILES_STOPPED = "Stopped; nothing was changed."
NO_PATTERN = "Take a trial in hand first: files are treated like it."
NOT_MARKED = "“{name}” has no spans yet. Mark them, then others can be treated like it."
FOLLOWING = "Following “{folder}”"
FOLLOW_CAME = "{count} came in from “{folder}”."
FOLLOW_CAME_LOOK = "{count} came in from “{folder}”; {look} to be looked at (F3)."
FOLLOW_REFUSED = "“{file}” was not brought in: {why}"
FOLLOW_ENDED = "No longer following “{folder}”."
FOLDER_GONE = "“{folder}” cannot be read."
