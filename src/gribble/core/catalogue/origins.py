"""What is kept beside a sheet or a roster of the list that it was made from: a copy, and the map that reads it."""

from __future__ import annotations

import gzip
import hashlib
import zlib
from collections.abc import Callable, Iterable, Iterator
from contextlib import closing
from pathlib import Path

from gribble.core.base.budget import WEB_BYTES
from gribble.core.base.regular import MOST_TEXT, open_regular, read_regular
from gribble.core.catalogue.rosters import ROSTER_ENDING
from gribble.core.catalogue.sheets import SHEET_ENDING
from gribble.core.files.inflating import gzipped
from gribble.core.records.sheet import Origin

MAP_ENDING, COPY_ENDING = ".map.toml", ".list.gz"
_BLOCK = 1 << 20


def beside(target: Path, ending: str) -> Path:
    """The file of an ending that goes with a sheet or a roster."""
    return target.with_name(f"{target.name.removesuffix(SHEET_ENDING).removesuffix(ROSTER_ENDING)}{ending}")


def digest_of(path: Path) -> str:
    """The SHA-256 of a list. Raises OSError."""
    with open_regular(path) as stream:
        return hashlib.file_digest(stream, "sha256").hexdigest()


def kept_of(target: Path, source: Path, sha256: str, map_: str | None) -> Iterator[tuple[Path, Iterable[bytes]]]:
    """What is to be kept of a list beside the sheet or the roster that is to be written: a place and a content each, as
    far as it does not are there already. Without a `map_` the one that is there stays."""
    place = beside(target, MAP_ENDING)
    if map_ is not None and not (place.is_file() and read_regular(place, MOST_TEXT) == map_.encode()):
        yield place, [map_.encode()]
    place = beside(target, COPY_ENDING)
    if not _is_of(place, sha256):
        yield place, _packed(source)


def kept_copy(target: Path, origin: Origin, folder: Path) -> Path | None:
    """The list from which a sheet or a roster was made, unpacked into a folder; None if it is not kept any more.
    Of several copies it is the one of the right SHA-256."""
    copy = beside(target, COPY_ENDING)
    for one in sorted(path for path in copy.parent.iterdir() if path.name.startswith(copy.name)):
        place = folder / ("former" + Path(origin.list_).suffix[:20])
        with place.open("wb") as out:
            if _is_of(one, origin.sha256, out.write):
                return place
    return None


def _is_of(copy: Path, sha256: str, write: Callable[[bytes], object] | None = None) -> bool:
    """Whether a packed copy has the list of a SHA-256; what is in it is handed to `write`."""
    digest = hashlib.sha256()
    try:
        for block in _unpacked(copy):
            digest.update(block)
            if write:
                write(block)
    except (OSError, EOFError, zlib.error):
        return False
    return digest.hexdigest() == sha256


def _packed(source: Path) -> Iterator[bytes]:
    with open_regular(source) as stream:
        yield from gzipped(iter(lambda: stream.read(_BLOCK), b""))


def _unpacked(copy: Path) -> Iterator[bytes]:
    """The content of a packed copy, of which no more is believed than of a list from the web."""
    left = WEB_BYTES
    with open_regular(copy) as raw, closing(gzip.GzipFile(fileobj=raw)) as stream:
        while block := stream.read(min(_BLOCK, left)):
            left -= len(block)
            yield block
