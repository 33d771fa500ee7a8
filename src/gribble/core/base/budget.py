"""What a foreign thing may name, and what reading it may cost: one row for each kind, which docs/safety.md shows.

Whoever reads one is handed a `Budget` made of its row, and spends it as bytes and items come out.
"""

from __future__ import annotations

from collections.abc import Callable, Iterator

from msgspec import Struct

KIB, MIB, GIB = 1 << 10, 1 << 20, 1 << 30


class Limits(Struct, frozen=True, kw_only=True):
    """What reading one thing of a kind may cost: bytes that are read or come out of it, or so many times its own size
    where that is more; and items, counted `of` something. 0 is no limit."""

    bytes: int
    times: int = 0
    items: int = 0
    of: str = ""


TOML_BYTES, TOML_PARTS = 4 * MIB, 64
"""The largest TOML file, in bytes: reading a larger one takes too long; and the parts of a key in dots."""
CHECKSUMS_BYTES = 64 * MIB
KEYS_BYTES = MIB
TRACKS_BYTES = MIB
"""The largest track sheet or playlist, in bytes."""
PLAN_BYTES = 256 * MIB
LIST_BYTES, JSON_BYTES, XML_DEPTH = 64 * MIB, 256 * MIB, 200
"""The largest list that has to be read whole, as a text and as JSON, in bytes; and how deep records may are in XML."""
WEB_BYTES, WEB_REDIRECTS = 256 * MIB, 5
"""The largest list that comes from the web, unpacked, in bytes; and how often an address may lead on."""
ANSWER_BYTES = 64 * KIB
LISTING = Limits(bytes=64 * MIB, items=100_000, of="entries")
"""What a server answers to one command, and as the listing of one folder."""
RIG_FOLDERS, RIG_FILES, RIG_DEPTH = 20_000, 500_000, 32
"""What a server may list altogether."""
UNSIZED_BYTES = GIB
"""How much is fetched of a file whose size the server does not say."""
ARCHIVE = Limits(bytes=GIB, times=50, items=200_000, of="files")
NESTED = Limits(bytes=256 * MIB, times=20)
"""What all archives in one archive take of memory together."""
NESTED_BYTES = 64 * MIB
"""The largest archive in an archive, in bytes."""
NESTED_DEPTH = 3
DICTIONARY_BYTES = 128 * MIB
"""How much memory unpacking may take, in bytes."""
DIRECTORY = Limits(bytes=64 * MIB, items=500_000, of="entries")
"""The directory of an archive."""
TABLES = Limits(bytes=64 * MIB, items=4_000_000, of="cells")
"""The tables of a list: what is in them."""
BOOK_BYTES = 128 * MIB
"""What a workbook may unpack to."""
TABLE_COLUMNS = 2000
ROW_CHARACTERS = MIB
APART_BYTES, APART_SECONDS = 224 * MIB, 10
"""What a process of our own may take of memory and of the processor's time to read a page or a workbook."""
TAR_ENTRIES = 100_000
TAR_HEADER_BYTES = MIB
"""The longest name or extended header of a member of a tar, in bytes."""
MEMBER_NAME = 4096
"""No name of a member is longer, in bytes or characters."""
ROSTER = Limits(bytes=16 * MIB, items=500_000, of="sets")
"""A line of a roster, and how many it may have."""
ROSTER_BYTES = GIB
JOURNAL_OF_OTHERS = 8 * MIB
"""The longest journal that is shown though it is not signed."""
JSON_VALUES = 5_000_000
UNSIZED = Limits(bytes=64 * GIB)
"""A file that only a sheet without sizes could mean."""
HOLES = Limits(bytes=GIB, times=50)
"""The same, by what it takes on the disk: one that is nearly all holes is not read."""
SETTINGS = {"json": MIB, "xml": MIB, "yaml": 256 * KIB, "toml": 256 * KIB, "ini": 4 * MIB}
"""The largest settings file of a format, in bytes: none takes more than some seconds to be read."""
MOST_SETTINGS = max(SETTINGS.values())


class Budget:
    """What is left of what one thing may cost. Raises what it is told to if that is exceeded."""

    def __init__(self, limits: Limits, error: Callable[[str], Exception], size: int = 0) -> None:
        """`size` is the thing's own size in bytes."""
        self._limits, self._error = limits, error
        self._most = max(limits.bytes, limits.times * size)
        self._bytes, self._items = self._most, limits.items

    def take(self, size: int) -> None:
        """So many bytes more have come."""
        self._bytes -= size
        if self._bytes < 0:
            raise self._error(f"comes to more than {size_words(self._most)}, which is not believed of it; left there")

    def count(self, items: int) -> None:
        """So many items more have come."""
        self._items -= items
        if self._items < 0:
            raise self._error(
                f"has more than {self._limits.items:,} {self._limits.of}; Gribble does not believe that and stops there"
            )

    def spend(self, blocks: Iterator[bytes]) -> Iterator[bytes]:
        """A content, block by block, as far as the budget goes."""
        for block in blocks:
            self.take(len(block))
            yield block


def size_words(size: int) -> str:
    """A size in words: whole KiB, MiB or GiB where it is that, else bytes."""
    for unit, name in ((GIB, "GiB"), (MIB, "MiB"), (KIB, "KiB")):
        if size >= unit and size % unit == 0:
            return f"{size // unit:,} {name}"
    return f"{size:,} bytes"
