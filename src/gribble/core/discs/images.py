"""Disc images: what can be told of one by its length and its volume descriptor (ISO 9660, ECMA-119 section 8.4)."""

from __future__ import annotations

import struct
from collections.abc import Callable, Iterator

from msgspec import Struct

from gribble.core.base.paths import visible
from gribble.core.files.discheaders import HEADER_BYTES, read_header
from gribble.core.records.discs import Checked, DiscFault

_FIRST = 16
"""The sector of the first volume descriptor."""
_FORMS = ((2048, 0), (2352, 16), (2352, 24), (2336, 8))
"""How sectors are in images: their bytes, and where in each the content begins."""
SectorReader = Callable[[int, int], bytes]
"""Gives bytes of an image from a place; fewer where it ends."""


class Volume(Struct, frozen=True, kw_only=True):
    """What a disc says of itself: its names, its length in sectors, and how sectors are in this image."""

    system: str
    label: str
    sectors: int
    sector_bytes: int
    skip: int = 0

    @property
    def mode(self) -> str:
        """The mode of a track of such sectors, as a cue sheet calls it."""
        return "MODE1/2048" if self.sector_bytes == 2048 else f"MODE{1 if self.skip == 16 else 2}/{self.sector_bytes}"


def read_volume(read: SectorReader) -> Volume | None:
    """The primary volume descriptor of an image; None if there is none."""
    for sector_bytes, skip in _FORMS:
        data = read(_FIRST * sector_bytes + skip, 2048)
        if len(data) < 132 or data[:6] != b"\x01CD001":
            continue
        (sectors,) = struct.unpack_from("<I", data, 80)
        (again,) = struct.unpack_from(">I", data, 84)
        if sectors == again:
            system, label = (_text(data[at : at + 32]) for at in (8, 40))
            return Volume(system=system, label=label, sectors=sectors, sector_bytes=sector_bytes, skip=skip)
    return None


def _text(raw: bytes) -> str:
    return visible(raw.decode("ascii", "replace"), "?").strip()


def image_faults(name: str, size: int, volume: Volume | None) -> Iterator[DiscFault]:
    """What is wrong with a whole image by its length."""
    if size == 0:
        yield DiscFault(fault="empty", file=name, reason="is empty")
        return
    if volume is None:
        return
    if size % volume.sector_bytes:
        reason = f"has {size:,} bytes, which is not a whole number of sectors of {volume.sector_bytes:,} bytes"
        yield DiscFault(fault="length", file=name, reason=reason)
    held = size // volume.sector_bytes
    if held < volume.sectors:
        reason = (
            f"is too short: its volume has {volume.sectors:,} sectors, but the file has {held:,}. "
            "It was cut short, or a conversion left out what follows the first track"
        )
        yield DiscFault(fault="length", file=name, reason=reason)


COMPRESSED = (".chd",)
_VERSION_5 = 5


def check_compressed(path: str, size: int, head: bytes) -> Checked:
    """An image by its size in bytes and its first bytes: `sound` where its header holds, which proves no content."""
    header = read_header(head)
    if header.fault and not header.unknown:
        verdict = "imposter" if size and not head.startswith(b"\0") else "damaged"
        return Checked(
            path=path, verdict=verdict, findings=(DiscFault(fault="no-image", file=path, reason=header.fault),)
        )
    if header.unknown:
        return Checked(path=path, verdict="unproven", label=header.fault)
    (version,) = struct.unpack_from(">I", head, 12)
    if version == _VERSION_5 and len(head) >= HEADER_BYTES:
        places = struct.unpack_from(">QQ", head, 40)
        if any(place > size for place in places):
            reason = f"is cut short: it has {size:,} bytes, but its header needs at least {max(places):,}"
            return Checked(
                path=path, verdict="damaged", findings=(DiscFault(fault="length", file=path, reason=reason),)
            )
        if any(head[104:124]):
            reason = f"builds on another image, with the SHA-1 {head[104:124].hex()}, and does not work without it"
            return Checked(
                path=path, verdict="unproven", findings=(DiscFault(fault="builds-on", file=path, reason=reason),)
            )
    return Checked(path=path, verdict="sound", label=f"SHA-1 {header.sha1} by its own header")
