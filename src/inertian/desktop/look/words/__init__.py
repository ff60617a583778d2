"""All words of the interface, in one catalogue: a file for each part of the window.

Use it as `words.NAME`. A name stands in one of the files only; none of them may know a widget.
"""

from inertian.desktop.look.words.bench_words import *
from inertian.desktop.look.words.formula_words import *
from inertian.desktop.look.words.intake_words import *
from inertian.desktop.look.words.ledger_words import *
from inertian.desktop.look.words.model_words import *
from inertian.desktop.look.words.note_words import *
from inertian.desktop.look.words.page_words import *
from inertian.desktop.look.words.program_words import *
from inertian.desktop.look.words.trend_words import *
