"""Saving and opening projects: one zip, written whole or not at all."""

import os
import tempfile
import zipfile
import zlib
from dataclasses import dataclass
from pathlib import Path

from inertian.project.encoding import ProjectFileError, decode, encode
from inertian.project.project import Project

LARGEST = 4 * 1024**3  # bytes unpacked; more is taken for a trap


def write_whole(path: Path, content: bytes) -> None:
    """Write a file so that after a crash either the old or the new one is there: write, fsync,
    rename, fsync folder.

    Raises OSError.
    """
    handle, temporary = tempfile.mkstemp(dir=path.parent, prefix=f".{path.name}.", suffix=".part")
    try:
        with os.fdopen(handle, "wb") as out:
            out.write(content)
            out.flush()
            os.fsync(out.fileno())
        os.chmod(temporary, _mode(path))
        os.replace(temporary, path)
    except BaseException:
        Path(temporary).unlink(missing_ok=True)
        raise
    folder = os.open(path.parent, os.O_RDONLY)
    try:
        os.fsync(folder)
    finally:
        os.close(folder)


@dataclass(frozen=True)
class FileStamp:
    """What tells whether a file on disk is still the one that was read or written: `time` in ns."""

    time: int
    size: int
    inode: int


def stamp_of(path: Path) -> FileStamp | None:
    """Return the stamp of a file, or None if it is not there."""
    try:
        found = path.stat()
    except OSError:
        return None
    return FileStamp(found.st_mtime_ns, found.st_size, found.st_ino)


def is_protected(path: Path) -> bool:
    """Whether a file is there and no one may write to it, or this user may not."""
    try:
        return not path.stat().st_mode & 0o222 or not os.access(path, os.W_OK)
    except OSError:
        return False


def _mode(path: Path) -> int:
    try:
        return path.stat().st_mode & 0o777
    except OSError:
        mask = os.umask(0)
        os.umask(mask)
        return 0o666 & ~mask


def save(project: Project, path: Path) -> None:
    """Save a project atomically; a symbolic link stays one, and what it leads to is written. Raises
    ProjectFileError; the file that was there before is then still there.
    """
    import io

    packed = io.BytesIO()
    with zipfile.ZipFile(packed, "w", zipfile.ZIP_DEFLATED) as archive:
        for name, content in encode(project).items():
            # No clock in the file: equal projects, equal bytes
            member = zipfile.ZipInfo(name, (1980, 1, 1, 0, 0, 0))
            member.compress_type = zipfile.ZIP_DEFLATED
            member.external_attr = 0o644 << 16
            archive.writestr(member, content)
    try:
        write_whole(path.resolve(), packed.getvalue())
    except (OSError, RuntimeError) as error:  # links that lead in a circle are a RuntimeError
        reason = error.strerror if isinstance(error, OSError) else None
        why = (
            f"it cannot be saved here ({reason or error}). The project is still open; "
            "choose another place."
        )
        raise ProjectFileError(path.name, why) from error


def load(path: Path) -> Project:
    """Open a project file. Raises ProjectFileError with one clear sentence, whatever is wrong with
    it.
    """
    try:
        with zipfile.ZipFile(path) as archive:
            if len(set(archive.namelist())) < len(archive.namelist()):
                raise ProjectFileError(
                    path.name, "it holds two entries of one name, and was not opened."
                )
            sizes = {m.filename: m.file_size for m in archive.infolist()}
            if sum(sizes.values()) > LARGEST:
                raise ProjectFileError(
                    path.name, "it would unpack to more than 4 GB and was not opened."
                )
            return decode(path.name, lambda name: archive.read(name))
    except OSError as error:
        raise ProjectFileError(
            path.name, f"it cannot be opened ({error.strerror or error})."
        ) from error
    except (
        zipfile.BadZipFile,
        zlib.error,
        EOFError,
        NotImplementedError,
        RuntimeError,
        UnicodeDecodeError,
    ) as error:
        raise ProjectFileError(
            path.name, "it is damaged or is not an Inertian project; nothing was opened."
        ) from error
