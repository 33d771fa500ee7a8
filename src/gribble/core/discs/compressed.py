"""Compressed disc images, by their header alone: what they stand for, and whether they are whole.

Layouts as in `gribble.core.arcade.discs`, which knows them by digest. Of version 5 more is read: where its map of
blocks and its first piece of metadata begin (eight bytes each, at 40 and 48), which must lie inside the file, and the
SHA-1 of an image that it builds on (at 104).
"""

from __future__ import annotations

import struct

from gribble.core.files.discheaders import HEADER_BYTES, read_header
from gribble.core.records.discs import Checked, DiscFault

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
            reason = f"is cut short: it has {size:,} bytes, and its header points at byte {max(places):,}"
            return Checked(
                path=path, verdict="damaged", findings=(DiscFault(fault="length", file=path, reason=reason),)
            )
        if any(head[104:124]):
            reason = f"builds on another image, with the SHA-1 {head[104:124].hex()}, and does not work without it"
            return Checked(
                path=path, verdict="unproven", findings=(DiscFault(fault="builds-on", file=path, reason=reason),)
            )
    return Checked(path=path, verdict="sound", label=f"SHA-1 {header.sha1} by its own header")
