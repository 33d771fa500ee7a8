"""How the folders of a 7z archive are packed, and their contents unpacked."""

from __future__ import annotations

import bz2
import lzma
import struct
from collections.abc import Callable, Iterator
from typing import Any

from msgspec import Struct

from gribble.core.base.budget import DICTIONARY_BYTES, size_words
from gribble.core.base.threads import go_on
from gribble.core.files.archives.common import ArchiveError, Span
from gribble.core.files.hashing import BLOCK_BYTES
from gribble.core.files.inflating import INFLATE_ERRORS, inflated

LZMA_RATIO = 50_000
LZMA, _LZMA2, _COPY, _DEFLATE, BZIP2, _AES = "030101", "21", "00", "040108", "040202", "06f10701"


FILTERS: dict[str, int] = {
    "03": lzma.FILTER_DELTA,
    "04": lzma.FILTER_X86, "03030103": lzma.FILTER_X86,
    "05": lzma.FILTER_POWERPC, "03030205": lzma.FILTER_POWERPC,
    "06": lzma.FILTER_IA64, "03030401": lzma.FILTER_IA64,
    "07": lzma.FILTER_ARM, "03030501": lzma.FILTER_ARM,
    "08": lzma.FILTER_ARMTHUMB, "03030701": lzma.FILTER_ARMTHUMB,
    "09": lzma.FILTER_SPARC, "03030805": lzma.FILTER_SPARC,
}  # fmt: skip


OTHERS = {"0303011b": "BCJ2", "030401": "PPMd", "04f71101": "zstd", "04f71104": "lz4"}


class Coder(Struct, frozen=True):
    """One method of a folder: its identifier in hexadecimal, and its properties."""

    method: str
    properties: bytes
    inputs: int = 1
    outputs: int = 1


class PackedFolder(Struct):
    """One solid block: coders in the order in which packed bytes pass them, sizes in bytes, and the files inside."""

    coders: list[Coder]
    sizes: list[int]
    plain: bool
    """Whether the coders form a simple chain."""
    final: int
    """Which of the sizes is that of the block's content."""
    packed: int = 1
    crc: int | None = None
    offset: int = 0
    packed_bytes: int = 0
    file_sizes: list[int] | None = None
    file_crcs: list[int | None] | None = None

    @property
    def size(self) -> int:
        return self.sizes[self.final]

    def fault(self) -> str:
        """Why this block cannot be decoded, or nothing."""
        methods = [coder.method for coder in self.coders]
        if _AES in methods:
            return "is encrypted"
        known = {LZMA, _LZMA2, _COPY, _DEFLATE, BZIP2, *FILTERS}
        unknown = [OTHERS.get(method, method) for method in methods if method not in known]
        if unknown or not self.plain:
            return f"is packed by a method that Gribble cannot unpack ({', '.join(unknown) or 'several streams'})"
        dictionary = max(map(dictionary_of, self.coders))
        if dictionary > DICTIONARY_BYTES:
            return f"needs {dictionary >> 20:,} MiB of memory to unpack; the limit is {size_words(DICTIONARY_BYTES)}"
        return ""


def dictionary_of(coder: Coder) -> int:
    """The memory in bytes that a coder asks for."""
    if coder.method == LZMA and len(coder.properties) >= 5:
        return int(struct.unpack_from("<L", coder.properties, 1)[0])
    if coder.method == _LZMA2 and coder.properties:
        bits = coder.properties[0]
        return 0xFFFFFFFF if bits >= 40 else (2 | bits & 1) << bits // 2 + 11
    return 0


def decoded(span: Span, folder: PackedFolder) -> Iterator[bytes]:
    """The content of a solid block, block by block."""
    blocks = span.blocks(folder.offset, folder.packed_bytes)
    for coder in folder.coders:
        blocks = _decode(blocks, coder)
    left = folder.size
    try:
        for block in blocks:
            yield block[:left]
            left -= len(block)
            if left <= 0:
                return
    except (lzma.LZMAError, *INFLATE_ERRORS, OSError, ValueError, EOFError) as error:
        raise ArchiveError(f"cannot be unpacked: {error}") from error
    if left:
        raise ArchiveError("cannot be unpacked: it is cut short")


def _decode(blocks: Iterator[bytes], coder: Coder) -> Iterator[bytes]:
    method, properties = coder.method, coder.properties
    if method == _COPY:
        return blocks
    if method == LZMA and len(properties) >= 5:
        digit = properties[0]
        chain = {"id": lzma.FILTER_LZMA1, "lc": digit % 9, "lp": digit // 9 % 5, "pb": digit // 45}
        return _through(blocks, _lzma([{**chain, "dict_size": max(dictionary_of(coder), 4096)}]))
    if method == _LZMA2 and properties:
        return _through(blocks, _lzma([{"id": lzma.FILTER_LZMA2, "dict_size": max(dictionary_of(coder), 4096)}]))
    if method == _DEFLATE:
        return inflated(blocks, BLOCK_BYTES)
    if method == BZIP2:
        unpack = bz2.BZ2Decompressor()
        return _through(blocks, lambda data: unpack.decompress(data, BLOCK_BYTES) if not unpack.eof else b"")
    if method in FILTERS:
        chain = {"id": FILTERS[method]}
        if method == "03":
            chain["dist"] = properties[0] + 1 if properties else 1
        return _through(_framed(blocks), _lzma([chain, {"id": lzma.FILTER_LZMA2, "dict_size": 1 << 16}]))
    raise ArchiveError("is a broken 7z file: its directory is damaged")


def _lzma(filters: list[dict[str, Any]]) -> Callable[[bytes], bytes]:
    decoder = lzma.LZMADecompressor(lzma.FORMAT_RAW, filters=filters)
    return lambda data: b"" if decoder.eof else decoder.decompress(data, BLOCK_BYTES)


def _through(blocks: Iterator[bytes], unpack: Callable[[bytes], bytes]) -> Iterator[bytes]:
    """Packed blocks through a decoder that gives at most a block's worth at a time."""
    for block in blocks:
        data = unpack(block)
        while data:
            go_on()
            yield data
            data = unpack(b"")
    while data := unpack(b""):
        yield data


def _framed(blocks: Iterator[bytes]) -> Iterator[bytes]:
    """Bytes framed as stored LZMA2 chunks, so that a filter alone can be run over them to their very end."""
    first = True
    for block in blocks:
        for at in range(0, len(block), 1 << 16):
            chunk = block[at : at + (1 << 16)]
            yield struct.pack(">BH", 1 if first else 2, len(chunk) - 1) + chunk
            first = False
    yield b"\0"
