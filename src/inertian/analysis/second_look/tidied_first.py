"""What single samples of trials give away, remembered as long as the trials stay the same."""

from inertian.analysis.second_look.notes import Note
from inertian.project.project import Entry


class SeenSamples:
    """By trial, the notes on its samples and the entry without them; as long as the entry is the
    same value.
    """

    def __init__(self) -> None:
        self._seen: dict[str, tuple[Entry, list[Note], Entry]] = {}

    def of(self, entry: Entry) -> tuple[list[Note], Entry] | None:
        """Return what was seen of an entry, or None."""
        known = self._seen.get(entry.trial.id)
        return (list(known[1]), known[2]) if known is not None and known[0] is entry else None

    def keep(self, entry: Entry, notes: list[Note], tidied: Entry) -> None:
        """Remember what was seen of an entry."""
        self._seen[entry.trial.id] = entry, list(notes), tidied

    def forget_others(self, trials: set[str]) -> None:
        """Let go of trials that are not there any more."""
        self._seen = {t: known for t, known in self._seen.items() if t in trials}
