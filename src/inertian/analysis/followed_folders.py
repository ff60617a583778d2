"""Folders that recordings appear in: which files are new, and written to their end."""

import hashlib
from collections.abc import Iterable
from pathlib import Path

MOST_FILES = 10_000  # of one folder
UNFINISHED = (".part", ".tmp", ".crdownload", ".inertian", "~")  # written by others, or by us


def natural_order(paths: Iterable[Path]) -> list[Path]:
    """Return files as people count: run 2 before run 10."""
    from natsort import natsorted, ns  # not before the first picture

    return natsorted(paths, key=lambda path: path.name, alg=ns.IGNORECASE)


def files_in(folder: Path) -> list[Path]:
    """Return the files of a folder in natural order, hidden and unfinished ones left out. Raises
    OSError.
    """
    files = [p for p in folder.iterdir() if p.is_file() and _counts(p)]
    return natural_order(files)[:MOST_FILES]


def all_files(paths: Iterable[Path]) -> list[Path]:
    """Return files, and for each folder among them its files, in natural order. Raises OSError."""
    found: list[Path] = []
    for path in natural_order(paths):
        found += files_in(path) if path.is_dir() else [path]
    return found


def _counts(path: Path) -> bool:
    return not path.name.startswith(".") and not path.name.casefold().endswith(UNFINISHED)


class FollowedFolder:
    """A folder that is looked at again and again. A file is new once its size and time have stayed
    the same from one look to the next: till then it is still being written.

    `known` are files of it that are not new, `there` the SHA-256 of contents that are not, whatever
    their name.
    """

    def __init__(self, folder: Path, known: Iterable[Path] = (), there: Iterable[str] = ()) -> None:
        self.folder, self._there = folder, set(there)
        self._known = {path.name for path in known if path.parent == folder}
        self._seen: dict[str, tuple[int, int]] = {}

    def new_files(self) -> list[Path]:
        """Return files that appeared and are whole, in natural order; none if the folder cannot be
        read now.
        """
        found = []
        try:
            for path in files_in(self.folder):
                if path.name in self._known:
                    continue
                state = path.stat()
                now = state.st_size, state.st_mtime_ns
                if self._seen.get(path.name) == now and state.st_size > 0:
                    self._known.add(path.name)
                    if not self._is_there(path):
                        found.append(path)
                self._seen[path.name] = now
        except OSError:
            pass
        return found

    def _is_there(self, path: Path) -> bool:
        """Whether a file holds what is known already."""
        if not self._there:
            return False
        with path.open("rb") as file:
            return hashlib.file_digest(file, "sha256").hexdigest() in self._there
