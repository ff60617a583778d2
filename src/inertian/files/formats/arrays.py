"""Arrays from scientific files: NumPy, Parquet, and HDF5 where the extra is installed; never any
code in them.
"""

import ast
import struct
from collections.abc import Mapping
from io import BytesIO

import numpy as np

from inertian.files.cells import size_limits
from inertian.files.cells.findings import Code, UnreadableFileError
from inertian.files.cells.grids import Grid, grid_of_columns, records_of_rows
from inertian.files.formats.archives import member_bytes, open_zip

_OBJECTS = (
    "it holds Python objects (pickled), which can run as a program, and was not read. Save "
    "plain numbers instead, for "
    "example with allow_pickle=False."
)


def _array(file: str, content: bytes) -> np.ndarray:
    """Read one npy file of plain numbers. Raises UnreadableFileError."""
    try:
        size = (
            struct.unpack("<H", content[8:10])[0]
            if content[6] == 1
            else struct.unpack("<I", content[8:12])[0]
        )
        start = (10 if content[6] == 1 else 12) + size
        header = (
            ast.literal_eval(content[start - size : start].decode("latin-1").strip())
            if size < 65_536
            else {}
        )
        declared = (
            int(np.prod([int(n) for n in header["shape"]], dtype=object)) if header["shape"] else 1
        )
        if "O" in str(header["descr"]):
            raise UnreadableFileError(file, Code.UNSAFE_CONTENT, _OBJECTS)
        if declared > len(content):
            raise UnreadableFileError(
                file, Code.CORRUPT, "it is cut off: it holds fewer numbers than it says."
            )
        return np.asarray(np.load(BytesIO(content), allow_pickle=False, max_header_size=65_536))
    except UnreadableFileError:
        raise
    except Exception as error:  # whatever numpy makes of a damaged header
        raise UnreadableFileError(
            file, Code.CORRUPT, "this NumPy file is damaged. Save it again."
        ) from error


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
        grid_of_columns("", {t: _listed(a) for t, a in g.items()}, units)
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
        return grid_of_columns(
            name,
            {n: _listed(array[n].ravel()) for n in array.dtype.names if array[n].ndim == 1},
            units,
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
    return Grid(name, records_of_rows(_listed(row) for row in tall), units=units)


def grids_of_parquet(file: str, content: bytes) -> list[Grid]:
    """Return a Parquet table as a grid. Raises UnreadableFileError."""
    import polars as pl

    try:
        rows = pl.scan_parquet(BytesIO(content)).select(pl.len()).collect().item()
        if rows > size_limits.ROWS:
            raise UnreadableFileError(
                file, Code.TOO_LARGE, f"it holds {rows} rows, more than can be brought in."
            )
        frame = pl.read_parquet(BytesIO(content))
    except UnreadableFileError:
        raise
    except BaseException as error:  # a panic of the reader is no Exception
        if isinstance(error, (KeyboardInterrupt, SystemExit)):
            raise
        raise UnreadableFileError(
            file, Code.CORRUPT, "this Parquet file is damaged. Save it again."
        ) from None
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
    groups: dict[str, dict[str, np.ndarray]] = {}
    units: dict[str, str] = {}
    grids: list[Grid] = []

    def visit(path: str, node: object) -> None:
        if (
            not isinstance(node, h5py.Dataset)
            or node.size < 2
            or node.size * node.dtype.itemsize > size_limits.UNPACKED
        ):
            return
        if node.dtype.hasobject and h5py.check_string_dtype(node.dtype) is None:
            return
        if node.is_virtual or node.external:
            return
        group, _, title = path.rpartition("/")
        said = next(
            (node.attrs[k] for k in ("unit", "units", "Unit", "Units") if k in node.attrs), ""
        )
        units[title] = said.decode() if isinstance(said, bytes) else str(said)
        array = np.asarray(node.asstr()[...] if h5py.check_string_dtype(node.dtype) else node[...])
        if array.ndim == 1 and array.dtype.names is None:
            groups.setdefault(group, {})[title] = array
        elif array.ndim in (1, 2):
            grids.append(_grid_of_array(file, title, array, {}))

    try:
        with h5py.File(BytesIO(content), "r") as store:
            store.visititems(visit)
    except UnreadableFileError:
        raise
    except Exception as error:  # whatever the library makes of a damaged file
        raise UnreadableFileError(
            file, Code.CORRUPT, "this HDF5 file is damaged. Save it again."
        ) from error
    for group, columns in groups.items():
        for grid in _grids_of_lengths(columns, units):
            grids.append(Grid(group, grid.records, units=units))
    return grids
