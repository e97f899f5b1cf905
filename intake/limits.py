"""How much of a file is read, and what is said of one that cannot be."""

LARGEST = 5_000_000  # bytes
LARGEST_PICTURE = 12_000_000  # bytes of a photograph or a scan
MOST_ROWS, MOST_CELLS, MOST_LETTERS = 20_000, 60, 200
MOST_UNPACKED = 20_000_000  # bytes of an archive, bounded before it is unpacked
SMALL_UNPACKED = 4_000_000  # bytes of an archive that is small enough to look at its hidden rows and joined cells
MOST_PAGES = 20
MOST_SHEETS = 30


class Unreadable(Exception):
    """A file that cannot be read; its text is for the person who chose it."""


class Blank(Unreadable):
    """A file that opens and holds nothing to read."""
