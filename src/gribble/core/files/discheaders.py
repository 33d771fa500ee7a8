"""What a compressed disc image says of itself in its header.

The header begins with eight letters and, big-endian, its length and version. Where the digests stand depends on the
version; what is documented openly is read: versions 3 to 5 (versions 1 and 2 give an MD5 alone).

    version  length  SHA-1 at  stands for
    3        120     80        the whole image
    4        108     48        data and metadata
    5        124     84        data and metadata
"""

from __future__ import annotations

import struct

from gribble.core.base.digests import DiscHeader

HEADER_BYTES = 124


_MAGIC = bytes.fromhex("4d436f6d70724844")


_LAYOUTS = {3: (120, 80), 4: (108, 48), 5: (124, 84)}


_OLD = (1, 2)


def read_header(data: bytes) -> DiscHeader:
    """The header at the beginning of a disc image."""
    if len(data) < 16 or data[:8] != _MAGIC:
        return DiscHeader(fault="is no compressed disc image")
    length, version = struct.unpack_from(">II", data, 8)
    if version in _OLD:
        return DiscHeader(fault=f"has a header of version {version}, which gives no SHA-1", unknown=True)
    if version not in _LAYOUTS:
        return DiscHeader(fault=f"has a header of version {version}, which is not known", unknown=True)
    wanted, at = _LAYOUTS[version]
    if length != wanted or len(data) < wanted:
        return DiscHeader(fault=f"has a header of {length} bytes where version {version} has {wanted}")
    return DiscHeader(sha1=data[at : at + 20].hex())
