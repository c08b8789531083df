"""The bounds on what a layout, a source and a run may ask for. `docs/security.md` has their tests.

What only bounds how much is shown, or held together for speed, stands where it is used.
"""

from __future__ import annotations

# ---- the text of a layout
LONGEST_EXPRESSION = 20_000  # characters
DEEPEST_BRACKETS = 32
DEEPEST_TREE = 150  # operations within each other
LONGEST_PATH = 200  # steps
LARGEST_INDEX = 2**53 - 1  # the range of I-JSON (RFC 7493)
LONGEST_INDEX = 20  # digits
LONGEST_LITERAL = 1_000  # digits of a number
MOST_BY_ALIASES = 100_000  # items that a text may have beyond its own letters
DEEPEST_LAYOUT = 100  # lists and mappings within each other, and steps to a place
LONGEST_TRAIL = 20  # layouts that start from each other
MOST_DECIMALS = 30
MOST_COLUMNS = 5_000  # that one column for keys may become
MOST_FACTORS = 200  # how many values one product or text may be made of
LONGEST_FORMAT = 100  # characters of a pattern for numbers
LONGEST_PATTERN = 2_000  # characters of a regular expression
MOST_TAKEN = 999_999_999  # rows or records

# ---- values
MOST_DIGITS = 4_300  # of a number in text; Python itself takes and writes so many
LARGEST_EXPONENT = 308  # as far as IEEE 754 binary64 reaches, which most receivers use
LARGEST_POWER = 1_000
DEEPEST_CELL = 500  # brackets within each other, of a value that is shown whole
LONGEST_TEXT = 10_000_000  # characters of a text that is put together
MOST_SECONDS = 10  # that a pattern may take in slow matches before the run is given up

# ---- sources
LARGEST_RECORD = 100  # MB of a record, where nothing else is stated
TIMES_MADE = 2  # as many bytes may be made of a record as it may have
MOST_MEGABYTES = 1_000_000  # that can be stated
DEEPEST_JSON = 2_000  # brackets within each other: 1,000 objects, each in a list
LARGEST_LIST_HELD = 500_000_000  # bytes of a side list that is held in memory
# of what a workbook unpacks to, where nothing else is stated: so many bytes, or so many times its
# own, and no more than the most
SMALL_UNPACKED, TIMES_UNPACKED, LARGEST_UNPACKED = 64 << 20, 20, 1 << 30
MOST_SPARSE = 4_000_000  # cells of a sheet from its first to its last, however few are filled
SPARSE_TIMES = 20  # as many places as filled cells a sheet may have beyond that
MOST_SOURCE_COLUMNS = 50_000  # of a table, and names of the elements or members at one place
MOST_ATTRIBUTES = 5_000  # of one element
MOST_QUOTED_LINES = 500_000  # of one cell
MOST_HEADER_ROWS = 10
MOST_SKIPPED = 10_000  # lines above the headings
LARGEST_COLUMN_WIDTH = 100_000  # characters of a column of fixed-width text

MOST_NODES = 30_000_000  # of one record's tree, once it is opened

# ---- runs and surveys
MOST_BYTES_SORTED = 48_000_000  # of rows that are held in memory, as far as their cells tell
MOST_FAULTS_HELD = 10_000  # all are counted
MOST_DISTINCT = 100_000  # values that are told apart
MOST_KINDS = 100  # kinds of record that are told apart
