"""Nothing lost: the open work is kept in a recovery folder, and offered back after a kill.

A session's folder holds raw tables and originals once, named by SHA-256, and the small rest anew at
each edit.
"""

import fcntl
import hashlib
import json
import os
import shutil
import uuid
from collections.abc import Callable, Mapping
from dataclasses import dataclass
from pathlib import Path

from inertian.project.encoding import decode, encode
from inertian.project.project import Project
from inertian.project.saving import write_whole

_INDEX, _OWNER = "index.json", "owner"


def default_folder() -> Path:
    """Return where recovery folders live for this user."""
    from platformdirs import user_state_path

    return user_state_path("inertian", appauthor=False) / "recovery"


@dataclass(frozen=True)
class Leftover:
    """Work that a session left behind when it ended without closing."""

    folder: Path
    project: Project
    path: Path | None


class Recovery:
    """Keeps one session's open work on disk."""

    def __init__(self, root: Path) -> None:
        self.folder = root / uuid.uuid4().hex
        self._kept: set[str] = set()

    def keep(self, project: Project, path: Path | None) -> None:
        """Write the current state; large pieces that are there already are not written again.
        Raises OSError.
        """
        if not self.folder.is_dir():
            self._kept = set()
            self.folder.mkdir(parents=True)
            (self.folder / _OWNER).write_text(f"{os.getpid()} {_started(os.getpid())}")
        names = {}
        for name, content in encode(project).items():
            digest = hashlib.sha256(content).hexdigest()
            if digest not in self._kept:
                write_whole(self.folder / digest, content)
                self._kept.add(digest)
            names[name] = digest
        index = json.dumps({"path": str(path) if path else None, "pieces": names})
        write_whole(self.folder / _INDEX, index.encode())
        for stale in self._kept - set(names.values()):
            (self.folder / stale).unlink(missing_ok=True)
        self._kept &= set(names.values())

    def forget(self) -> None:
        """Remove this session's folder: the work is saved, or given up on purpose."""
        shutil.rmtree(self.folder, ignore_errors=True)
        self._kept = set()


def leftovers(root: Path) -> list[Leftover]:
    """Return the work of sessions that are no longer running, each to one session only; folders
    that cannot be read are passed over.
    """
    found = []
    for folder in sorted(root.iterdir()) if root.is_dir() else []:
        try:
            if _running(*(folder / _OWNER).read_text().split()) or not _claimed(folder):
                continue
            index = json.loads((folder / _INDEX).read_text())
            pieces = index["pieces"]
            project = decode(folder.name, _piece_reader(folder, pieces))
            found.append(Leftover(folder, project, Path(index["path"]) if index["path"] else None))
        except Exception:
            continue
    return found


_claims: list[int] = []  # locks of this session, held until it ends


def _claimed(folder: Path) -> bool:
    """Take a leftover for this session, unless another has it: the lock goes with the process."""
    handle = os.open(folder / _OWNER, os.O_RDONLY)
    try:
        fcntl.flock(handle, fcntl.LOCK_EX | fcntl.LOCK_NB)
    except OSError:
        os.close(handle)
        return False
    _claims.append(handle)
    return True


def _piece_reader(folder: Path, pieces: Mapping[str, str]) -> Callable[[str], bytes]:
    """What reads a piece of a project from a recovery folder by its member name."""
    return lambda name: (folder / pieces[name]).read_bytes()


def _started(pid: int) -> str:
    """When a process was started, in clock ticks since boot, so that a reused number is not taken
    for it.
    """
    try:
        return Path(f"/proc/{pid}/stat").read_text().rpartition(")")[2].split()[19]
    except OSError:
        return ""


def _running(pid: str, started: str = "") -> bool:
    """Whether the session that owns a folder is still there."""
    return Path(f"/proc/{pid}").exists() and _started(int(pid)) == started
