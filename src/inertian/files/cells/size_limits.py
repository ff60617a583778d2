"""Bounds on what is read, so that no file, however made, takes the machine with it."""

MB = 1024 * 1024
LARGEST = 1024 * MB  # bytes of one file
KEPT_BYTES = 64 * MB  # originals up to this size are kept with the project
UNPACKED = 512 * MB  # bytes that an archive may unpack to
RATIO = 300  # times its size; more, beyond a few MB, is a trap
FREE_UNPACKED = 16 * MB  # unpacked bytes that are never suspicious
MEMBERS = 1000  # files in an archive
DEPTH = 2  # archives in archives
SHEET_CELLS = 20_000_000
STRUCTURED = 256 * MB  # bytes of JSON
NODES = 5_000_000  # values in JSON
CAREFUL_LINES = 5_000_000  # lines that are read one by one
ROWS = 50_000_000
COLUMNS = 2_000  # of a table
CHANNELS = 256  # of one recording
