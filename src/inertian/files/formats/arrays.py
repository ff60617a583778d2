"""Arrays from scientific files: NumPy, Parquet, and HDF5 where the extra is installed; never any
code in them.
"""

import math
import os
import sys
from collections.abc import Iterator, Mapping
from contextlib import contextmanager
from dataclasses import replace
from io import BytesIO
from typing import TYPE_CHECKING

import numpy as np

from inertian.files.cells import size_limits
from inertian.files.cells.findings import Code, UnreadableFileError
from inertian.files.cells.grids import (
    HEAD_ROWS,
    Grid,
    grid_of_arrays,
    grid_of_columns,
    records_of_rows,
)
from inertian.files.formats.archives import member_bytes, open_zip

if TYPE_CHECKING:
    import h5py
    import polars as pl

_OBJECTS = (
    "it holds Python objects (pickled), which can run as a program, and was not read. Save "
    "plain numbers instead, for "
    "example with allow_pickle=False."
)


_LARGEST_HEADER = 65_536  # bytes
_header_2 = np.lib.format.read_array_header_2_0


def _array(file: str, content: bytes) -> np.ndarray:
    """Read one npy file of plain numbers. Raises UnreadableFileError."""
    try:
        source = BytesIO(content)
        version = np.lib.format.read_magic(source)
        read = np.lib.format.read_array_header_1_0 if version[0] == 1 else _header_2
        shape, _, kind = read(source, max_header_size=_LARGEST_HEADER)
        if kind.hasobject:
            raise UnreadableFileError(file, Code.UNSAFE_CONTENT, _OBJECTS)
        count = math.prod(shape)
        if not count or not kind.itemsize:
            raise UnreadableFileError(file, Code.EMPTY, "its array holds no numbers.")
        if count * kind.itemsize > len(content) - source.tell():
            why = (
                f"it says that it holds {count} numbers, {count * kind.itemsize} bytes, and has "
                f"{len(content) - source.tell()}. Was it cut off? Save it again."
            )
            raise UnreadableFileError(file, Code.CORRUPT, why)
        return np.asarray(np.load(BytesIO(content), allow_pickle=False, max_header_size=65_536))
    except UnreadableFileError:
        raise
    except Exception as error:  # whatever numpy makes of a damaged header
        why = "this NumPy file is damaged. Save it again."
        if "allow_pickle" in str(error) or b"'O'" in content[:_LARGEST_HEADER]:
            why = _OBJECTS
        code = Code.UNSAFE_CONTENT if why is _OBJECTS else Code.CORRUPT
        raise UnreadableFileError(file, code, why) from error


def grids_of_npy(file: str, content: bytes) -> list[Grid]:
    """Return a NumPy array as a grid: structured, two-dimensional, or one column. Raises
    UnreadableFileError.
    """
    return [_grid_of_array(file, "", _array(file, content), {})]


def grids_of_npz(file: str, content: bytes) -> list[Grid]:
    """Return the arrays of an npz file: those of one length as columns, others as tables.

    Raises UnreadableFileError.
    """
    columns: dict[str, np.ndarray] = {}
    grids = []
    with open_zip(file, content) as archive:
        for name in archive.namelist()[:200]:
            array = _array(file, member_bytes(file, archive, name, len(content)))
            title = name.removesuffix(".npy")
            if array.ndim == 1 and array.dtype.names is None:
                columns[title] = array
            elif array.ndim in (1, 2):
                grids.append(_grid_of_array(file, title, array, {}))
    return [*_grids_of_lengths(columns, {}), *grids]


def _grids_of_lengths(columns: Mapping[str, np.ndarray], units: Mapping[str, str]) -> list[Grid]:
    """Columns of one length make one table."""
    groups: dict[int, dict[str, np.ndarray]] = {}
    for title, array in columns.items():
        groups.setdefault(len(array), {})[title] = array
    return [
        grid_of_arrays("", g, units)
        or grid_of_columns("", {t: _listed(a) for t, a in g.items()}, units)
        for n, g in groups.items()
        if n >= 2
    ]


def _listed(array: np.ndarray) -> list[object]:
    if array.dtype.kind in "Mm":
        return [str(v) for v in array]
    if array.dtype.kind == "S":
        return [v.decode("utf-8", "replace") for v in array.tolist()]
    if array.dtype.kind == "c":
        array = array.real
    if array.dtype == np.float32:
        return [float(str(v)) for v in array]  # the shortest digits that tell it, as it was written
    listed: list[object] = array.tolist()
    return listed


def _grid_of_array(file: str, name: str, array: np.ndarray, units: Mapping[str, str]) -> Grid:
    if array.dtype.names:
        fields = {n: array[n] for n in array.dtype.names if array[n].ndim == 1}
        return grid_of_arrays(name, fields, units) or grid_of_columns(
            name, {n: _listed(a) for n, a in fields.items()}, units
        )
    if array.ndim == 1:
        return grid_of_columns(name, {"": _listed(array)}, units)
    if array.ndim != 2:
        why = (
            f"its array has {array.ndim} dimensions; a table has two. Save times and positions as "
            "columns."
        )
        raise UnreadableFileError(file, Code.NO_TABLE, why)
    tall = array if array.shape[0] >= array.shape[1] else array.T
    if len(tall) > HEAD_ROWS and tall.shape[1] <= size_limits.COLUMNS:
        large = grid_of_arrays(name, {str(k): c for k, c in enumerate(tall.T)}, units)
        if large is not None:
            return replace(large, records=large.records[1:])  # its columns have no titles
    return Grid(name, records_of_rows(_listed(row) for row in tall), units=units)


def grids_of_parquet(file: str, content: bytes) -> list[Grid]:
    """Return a Parquet table as a grid. Raises UnreadableFileError."""
    import polars as pl

    try:
        with _without_panics():
            rows = pl.scan_parquet(BytesIO(content)).select(pl.len()).collect().item()
            if rows > size_limits.ROWS:
                raise UnreadableFileError(
                    file, Code.TOO_LARGE, f"it holds {rows} rows, more than can be brought in."
                )
            _refuse_large(file, 8 * rows * len(pl.read_parquet_schema(BytesIO(content))))
            frame = pl.read_parquet(BytesIO(content))
    except UnreadableFileError:
        raise
    except BaseException as error:  # a panic of the reader is no Exception
        if isinstance(error, (KeyboardInterrupt, SystemExit)):
            raise
        raise UnreadableFileError(
            file, Code.CORRUPT, "this Parquet file is damaged. Save it again."
        ) from None
    large = _large_frame(frame)
    if large is not None:
        return [large]
    plain = {
        c.name: c for c in frame.iter_columns() if not c.dtype.is_nested() and c.dtype != pl.Object
    }
    return [
        grid_of_columns(
            "",
            {
                n: (c.cast(pl.String) if c.dtype.is_temporal() else c).to_list()
                for n, c in plain.items()
            },
            {},
        )
    ]


def _refuse_large(file: str, size: int) -> None:
    """Refuse a table that would take so many bytes in memory, if they are too many."""
    if size > size_limits.UNPACKED:
        why = (
            f"its table would take {size // size_limits.MB} MB in memory, more than "
            f"{size_limits.UNPACKED // size_limits.MB} MB. Save fewer rows or columns."
        )
        raise UnreadableFileError(file, Code.TOO_LARGE, why)


@contextmanager
def _without_panics() -> Iterator[None]:
    """Keep what the library prints of its own stack, when it panics, off the error stream of the
    process; it cannot be told not to.
    """
    sys.stderr.flush()
    kept, nowhere = os.dup(2), os.open(os.devnull, os.O_WRONLY)
    try:
        os.dup2(nowhere, 2)
        yield
    finally:
        os.dup2(kept, 2)
        os.close(kept)
        os.close(nowhere)


def _large_frame(frame: "pl.DataFrame") -> Grid | None:
    """A frame of plain numbers without blanks, or None if it is none."""
    if any(not c.dtype.is_numeric() or c.dtype.is_decimal() for c in frame.iter_columns()):
        return None
    if any(c.null_count() for c in frame.iter_columns()):
        return None
    return grid_of_arrays("", {c.name: c.to_numpy() for c in frame.iter_columns()}, {})


def grids_of_hdf5(file: str, content: bytes) -> list[Grid]:
    """Return the tables of an HDF5 file, one per group; links to other files are not followed.

    Raises UnreadableFileError.
    """
    try:
        import h5py
    except ImportError as error:
        why = (
            "this is an HDF5 file. Reading it needs an extra: pip install 'inertian[hdf5]'. Or "
            "export it as CSV."
        )
        raise UnreadableFileError(file, Code.NO_TABLE, why) from error
    held = _Hdf5Tables(file)
    try:
        with h5py.File(BytesIO(content), "r") as store:
            store.visititems(held.visit)
    except UnreadableFileError:
        raise
    except Exception as error:  # whatever the library makes of a damaged file
        raise UnreadableFileError(
            file, Code.CORRUPT, "this HDF5 file is damaged. Save it again."
        ) from error
    grids = list(held.grids)
    for group, columns in held.groups.items():
        grids += [replace(g, name=group) for g in _grids_of_lengths(columns, held.units)]
    return grids


class _Hdf5Tables:
    """Collects the tables of an HDF5 file: single columns by group, and whole tables."""

    def __init__(self, file: str) -> None:
        self._file = file
        self._claimed = 0  # bytes of all tables together
        self.groups: dict[str, dict[str, np.ndarray]] = {}
        self.units: dict[str, str] = {}
        self.grids: list[Grid] = []

    def visit(self, path: str, node: object) -> None:
        """Take in one object of the file."""
        import h5py

        if not isinstance(node, h5py.Dataset) or node.size < 2:
            return
        text = h5py.check_string_dtype(node.dtype) is not None
        if (node.dtype.hasobject and not text) or node.is_virtual or node.external:
            return
        if not self._numbers_are_there(node):
            return
        group, _, title = path.rpartition("/")
        said = next(
            (node.attrs[k] for k in ("unit", "units", "Unit", "Units") if k in node.attrs), ""
        )
        self.units[title] = said.decode() if isinstance(said, bytes) else str(said)
        array = np.asarray(node.asstr()[...] if text else node[...])
        if array.ndim == 1 and array.dtype.names is None:
            self.groups.setdefault(group, {})[title] = array
        elif array.ndim in (1, 2):
            self.grids.append(_grid_of_array(self._file, title, array, {}))

    def _numbers_are_there(self, node: "h5py.Dataset") -> bool:
        """Whether what a table claims to hold is in the file, as far as packing may go."""
        size = node.size * node.dtype.itemsize
        self._claimed += size
        _refuse_large(self._file, self._claimed)
        stored = node.id.get_storage_size()
        return bool(size <= size_limits.FREE_UNPACKED or size <= size_limits.RATIO * max(stored, 1))
