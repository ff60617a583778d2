"""Archives: gzip and zip, unpacked in memory and within bounds; entries that would escape a folder
are left alone.
"""

import stat
import zipfile
import zlib
from collections.abc import Iterator
from io import BytesIO

from inertian.files.cells import size_limits
from inertian.files.cells.findings import Code, Finding, UnreadableFileError

_CHUNK = 1 << 20


def gunzip(file: str, content: bytes) -> tuple[bytes, list[Finding]]:
    """Return what a gzip file holds; of one that is cut off, what there is, with a finding.

    Raises UnreadableFileError if it is damaged or unpacks beyond the bounds.
    """
    out = bytearray()
    rest = content
    findings: list[Finding] = []
    while rest:
        unpacker = zlib.decompressobj(wbits=31)
        try:
            while rest and not unpacker.eof:
                out += unpacker.decompress(rest, _CHUNK)
                rest = unpacker.unconsumed_tail
                refuse_bomb(file, len(out), len(content))
        except zlib.error as error:
            if not out:
                raise UnreadableFileError(
                    file, Code.CORRUPT, "this gzip file is damaged. Copy it again."
                ) from error
            findings.append(
                Finding(
                    Code.CORRUPT, "The gzip file is damaged; what comes before the damage was read."
                )
            )
            break
        if not unpacker.eof:
            if not out:
                raise UnreadableFileError(
                    file, Code.CORRUPT, "this gzip file is cut off before its first line."
                )
            findings.append(
                Finding(Code.TRUNCATED, "The gzip file is cut off; what is there was read.")
            )
            break
        rest = unpacker.unused_data
        if rest[:2] != b"\x1f\x8b":
            break
    return bytes(out), findings


def refuse_bomb(file: str, unpacked: int, packed: int) -> None:
    """Raise UnreadableFileError if so much unpacked from so little, or simply so much, is no
    recording.
    """
    if unpacked > size_limits.UNPACKED or (
        unpacked > size_limits.FREE_UNPACKED and unpacked > size_limits.RATIO * max(packed, 1)
    ):
        why = (
            f"it unpacks to over {unpacked // size_limits.MB} MB and was not read. Unpack it "
            "yourself if you trust it."
        )
        raise UnreadableFileError(file, Code.TOO_LARGE, why)


def open_zip(file: str, content: bytes) -> zipfile.ZipFile:
    """Open a zip whose declared sizes are within the bounds. Raises UnreadableFileError."""
    try:
        archive = zipfile.ZipFile(BytesIO(content))
        infos = archive.infolist()
    except (zipfile.BadZipFile, ValueError, OSError, NotImplementedError, EOFError) as error:
        raise UnreadableFileError(
            file, Code.CORRUPT, "this archive is damaged. Copy or save it again."
        ) from error
    if len(infos) > size_limits.MEMBERS * 10:
        raise UnreadableFileError(
            file, Code.TOO_LARGE, f"it holds {len(infos)} files. Unpack what you need first."
        )
    refuse_bomb(file, sum(i.file_size for i in infos), len(content))
    return archive


def member_bytes(file: str, archive: zipfile.ZipFile, name: str, packed: int) -> bytes:
    """Return one member, read within the bounds whatever its header says. Raises
    UnreadableFileError or KeyError.
    """
    out = bytearray()
    try:
        with archive.open(name) as member:
            while chunk := member.read(_CHUNK):
                out += chunk
                refuse_bomb(f"{file}: {name}", len(out), packed)
    except (
        zipfile.BadZipFile,
        zlib.error,
        EOFError,
        NotImplementedError,
        RuntimeError,
        OSError,
        ValueError,
    ) as error:
        why = "this entry is encrypted." if "password" in str(error) else "this entry is damaged."
        raise UnreadableFileError(f"{file}: {name}", Code.CORRUPT, why) from error
    return bytes(out)


def safe_members(archive: zipfile.ZipFile, findings: list[Finding]) -> Iterator[str]:
    """Yield the names of the files in a zip that may be read, run 2 before run 10; the others go to
    `findings`.
    """
    from natsort import natsort_keygen, ns

    seen = 0
    order = natsort_keygen(key=lambda info: info.filename, alg=ns.IGNORECASE)
    for info in sorted(archive.infolist(), key=order):
        name = info.filename
        parts = name.replace("\\", "/").split("/")
        link = stat.S_ISLNK(info.external_attr >> 16)
        if (
            name.startswith(("/", "\\"))
            or ".." in parts
            or (len(name) > 1 and name[1] == ":")
            or link
            or "\0" in name
        ):
            what = "is a link" if link else "leads out of the archive"
            findings.append(
                Finding(Code.UNSAFE_ENTRY, f"The entry “{name[:80]}” {what} and was not read.")
            )
        elif (
            info.is_dir()
            or parts[0] == "__MACOSX"
            or parts[-1].startswith(".")
            or parts[-1] in ("Thumbs.db", "")
        ):
            continue
        else:
            seen += 1
            if seen > size_limits.MEMBERS:
                findings.append(
                    Finding(
                        Code.TOO_LARGE,
                        f"Only the first {size_limits.MEMBERS} files of the archive were read.",
                    )
                )
                return
            yield name
