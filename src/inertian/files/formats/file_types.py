"""What a file is, by its content; its name only says whether that was to be expected."""

import re
from enum import StrEnum

from inertian.files.cells.findings import Code, UnreadableFileError


class FileType(StrEnum):
    """The kinds of content that can be read; the values are those that `inspect` prints."""

    TEXT = "text"
    GZIP = "gzip"
    ZIP = "zip"
    PACKAGE = "data package"
    XLSX = "xlsx"
    ODS = "ods"
    JSON = "json"
    JSON_LINES = "json lines"
    PAGE = "html"
    XML = "xml"
    NPY = "npy"
    NPZ = "npz"
    PARQUET = "parquet"
    HDF5 = "hdf5"


_PICTURES = {
    b"\x89PNG\r\n\x1a\n": "a PNG picture",
    b"\xff\xd8\xff": "a JPEG picture",
    b"GIF8": "a GIF picture",
    b"BM": "a bitmap picture",
    b"II*\0": "a TIFF picture",
    b"MM\0*": "a TIFF picture",
}
_TRACK_FIRST = "Track the motion in it first, and export positions against time."
_OTHERS = {
    b"%PDF": "a PDF document. Export the table behind it as text (CSV) or as a spreadsheet.",
    b"\x7fELF": "a program, not a recording.",
    b"MZ": "a program, not a recording.",
    b"ID3": "a sound file, not a table.",
    b"OggS": f"a sound or video file. {_TRACK_FIRST}",
    b"\x1a\x45\xdf\xa3": f"a video file. {_TRACK_FIRST}",
    b"7z\xbc\xaf\x27\x1c": "a 7z archive. Unpack it first.",
    b"Rar!": "a RAR archive. Unpack it first.",
    b"BZh": "a bzip2 file. Unpack it first.",
    b"\xfd7zXZ\0": "an xz file. Unpack it first.",
    b"SQLite format 3\0": "a database. Export the table with the positions as text (CSV).",
    b"\xd0\xcf\x11\xe0\xa1\xb1\x1a\xe1": (
        "an old office document (before 2007). Save it as .xlsx or .ods, or export the sheet "
        "as CSV."
    ),
    b"{\\rtf": "a text document with formatting. Save it as plain text (CSV).",
}
_EXTENSIONS = {
    ".xlsx": FileType.XLSX, ".xlsm": FileType.XLSX, ".ods": FileType.ODS, ".json": FileType.JSON,
    ".jsonl": FileType.JSON_LINES,
    ".ndjson": FileType.JSON_LINES, ".npy": FileType.NPY, ".npz": FileType.NPZ,
    ".parquet": FileType.PARQUET, ".pq": FileType.PARQUET,
    ".h5": FileType.HDF5, ".hdf5": FileType.HDF5, ".zip": FileType.ZIP, ".gz": FileType.GZIP,
    ".inertian": FileType.PACKAGE,
    ".csv": FileType.TEXT, ".tsv": FileType.TEXT,
}  # fmt: skip
_BINARY_ENDINGS = (
    ".png",
    ".jpg",
    ".jpeg",
    ".gif",
    ".bmp",
    ".pdf",
    ".xls",
    ".docx",
    ".mp4",
    ".avi",
    ".mov",
)
_LOOK_AT = 4096
_HTML = re.compile(
    rb"^\s*(<!doctype html|<html|<table|<\?xml[^>]*>\s*<(!doctype )?html)", re.IGNORECASE
)
_XML = re.compile(rb"^\s*<(\?xml\s|[A-Za-z][\w:.-]*(\s[^<>]*)?>)")

_JSON_START = re.compile(
    rb"\{\s*(?:[\"}]|$)|\[\s*(?:[{\"\]]|\[\s*(?:[\[{\"\]]|[-\w.+]+\s*[,\]]|$)|-?\d+(?:\.\d+)?(?:[eE][+-]?\d+)?\s*[,\]]|null|true|false|$)"
)


def file_type(file: str, content: bytes) -> FileType:
    """Return what `content` is. Raises UnreadableFileError, naming it, if no table can be in it."""
    if not content:
        raise UnreadableFileError(file, Code.EMPTY, "the file is empty. Was the recording saved?")
    head = content[:_LOOK_AT]
    _refuse_known(file, head)
    if head.startswith(b"\x1f\x8b"):
        return FileType.GZIP
    if head.startswith(b"\x93NUMPY"):
        return FileType.NPY
    if head.startswith(b"PAR1"):
        return FileType.PARQUET
    if head.startswith(b"\x89HDF\r\n\x1a\n"):
        return FileType.HDF5
    if head.startswith((b"PK\x03\x04", b"PK\x05\x06")):
        return _type_of_zip(file, content)
    return _type_of_text(file, content, head)


def _refuse_known(file: str, head: bytes) -> None:
    for start, name in _PICTURES.items():
        if head.startswith(start) and (start != b"BM" or b"\0" in head[:32]):
            why = (
                f"this is {name}, not a table. Measure the positions in it first, then bring in "
                "the table of them."
            )
            raise UnreadableFileError(file, Code.BINARY, why)
    for start, why in _OTHERS.items():
        if head.startswith(start) and (len(start) > 3 or b"\0" in head):
            raise UnreadableFileError(file, Code.BINARY, f"this is {why}")
    if head[4:8] == b"ftyp":
        why = f"this is a video file. {_TRACK_FIRST}"
        raise UnreadableFileError(file, Code.BINARY, why)


def _type_of_zip(file: str, content: bytes) -> FileType:
    import zipfile
    from io import BytesIO

    try:
        with zipfile.ZipFile(BytesIO(content)) as archive:
            names = set(archive.namelist()[:10_000])
    except (
        zipfile.BadZipFile,
        ValueError,
        OSError,
        NotImplementedError,
        EOFError,
        RuntimeError,
    ) as error:
        ending = "spreadsheet" if file.lower().endswith((".xlsx", ".ods")) else "archive"
        why = (
            f"this {ending} is damaged, perhaps cut off while it was copied. Copy or save it again."
        )
        raise UnreadableFileError(file, Code.CORRUPT, why) from error
    if "datapackage.json" in names:
        return FileType.PACKAGE
    if "[Content_Types].xml" in names:
        if any(n.startswith("xl/") for n in names):
            return FileType.XLSX
        why = (
            "this is a text document or a presentation, not a spreadsheet. Export the table in it "
            "as CSV."
        )
        raise UnreadableFileError(file, Code.NO_TABLE, why)
    if "content.xml" in names and "META-INF/manifest.xml" in names:
        return FileType.ODS
    if names and all(n.endswith(".npy") for n in names):
        return FileType.NPZ
    return FileType.ZIP


def _type_of_text(file: str, content: bytes, head: bytes) -> FileType:
    """Text, JSON or binary. NUL bytes at regular places are UTF-16; a few are a flaw of a text;
    many are binary.
    """
    if head.startswith((b"\xff\xfe", b"\xfe\xff")) or wide_text(head):
        return FileType.TEXT
    odd = sum(
        head.count(bytes([c]))
        for c in range(32)
        if c not in (0, 9, 10, 11, 12, 13, 26, 27, 28, 29, 30, 31)
    )
    if odd > 0.02 * len(head) or head.count(b"\0") > 0.2 * len(head):
        why = (
            "this is a binary file, not text. Export the recording as text (CSV) from the program "
            "that wrote it."
        )
        raise UnreadableFileError(file, Code.BINARY, why)
    bare = head.lstrip(b"\xef\xbb\xbf \t\r\n")
    if _HTML.match(bare):
        return FileType.PAGE
    if _XML.match(bare):
        return FileType.XML
    start = bare[:1]
    if start in (b"{", b"["):
        return _type_of_json(content)
    return FileType.TEXT


def _type_of_json(content: bytes) -> FileType:
    lines = [line for line in content[:200_000].splitlines()[:20] if line.strip()]
    whole = [line.strip().startswith(b"{") and line.strip().endswith(b"}") for line in lines]
    if len(lines) > 1 and whole[0] and sum(whole) >= 0.6 * len(lines):
        return FileType.JSON_LINES
    start = content.lstrip(b"\xef\xbb\xbf \t\r\n")[:200]
    return FileType.JSON if _JSON_START.match(start) else FileType.TEXT


def wide_text(head: bytes) -> str | None:
    """Return "utf-16-le" or "utf-16-be" if a text without mark has NUL at every second byte, else
    None.
    """
    if len(head) < 8:
        return None
    even, odd = head[0::2].count(0) / len(head[0::2]), head[1::2].count(0) / len(head[1::2])
    if odd > 0.7 and even < 0.1:
        return "utf-16-le"
    return "utf-16-be" if even > 0.7 and odd < 0.1 else None


def unexpected_extension(file: str, kind: FileType) -> str | None:
    """Return in words why a name does not fit its content, or None if it does, or says nothing."""
    name = file.lower()
    expected = next((k for e, k in _EXTENSIONS.items() if name.endswith(e)), None)
    if expected is None:
        if not name.endswith(_BINARY_ENDINGS):
            return None
    elif (
        expected is kind
        or {expected, kind} <= {FileType.JSON, FileType.JSON_LINES}
        or ({expected, kind} <= {FileType.ZIP, FileType.PACKAGE})
    ):
        return None
    said = "a delimited text" if kind is FileType.TEXT else f"{kind} content"
    return (
        f"The name says {name[name.rfind('.') :]}, but the file holds {said}; it was read as that."
    )
