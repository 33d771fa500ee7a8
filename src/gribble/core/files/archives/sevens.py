"""7z archives: the container, and how its folders are packed; contents are unpacked by the standard library's decoders.

Only the container is our own code: a library that also unpacks takes longer to load than hundreds of archives take to
list. Sizes and dictionaries that an archive declares are checked before anything is decoded, and a solid block is
decoded once, in order. Source: 7zFormat.txt and Methods.txt of the public-domain LZMA SDK.
"""

from __future__ import annotations

import bz2
import itertools
import lzma
import struct
from collections.abc import Callable, Iterator
from typing import Any

from msgspec import Struct

from gribble.core.base.budget import ARCHIVE, DICTIONARY_BYTES, DIRECTORY, Budget, size_words
from gribble.core.base.threads import go_on
from gribble.core.files.archives.common import ArchiveError, Chooser, Member, Span, check_ratio, numbered
from gribble.core.files.hashing import BLOCK_BYTES
from gribble.core.files.inflating import INFLATE_ERRORS, crc32, inflated

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


MAGIC = b"7z\xbc\xaf\x27\x1c"

_END, _HEADER, _STREAMS, _FILES, _PACK, _UNPACK, _SUBSTREAMS = 0, 1, 4, 5, 6, 7, 8
_SIZE, _CRC, _FOLDER, _CODER_SIZES, _COUNTS, _EMPTY, _EMPTY_FILE, _NAMES, _ENCODED = 9, 10, 11, 12, 13, 14, 15, 17, 23


class Seven:
    """One 7z archive."""

    def __init__(self, span: Span, budget: Budget) -> None:
        self._span = span
        self._budget = budget

    def scan(self, choose: Chooser) -> Iterator[tuple[Member, Iterator[bytes] | None]]:
        """Every file, block by solid block; a block is decoded once, and only as far as the last chosen file.

        Raises ArchiveError.
        """
        try:
            names, empty, folders = self._read()
        except (IndexError, struct.error, UnicodeDecodeError, OverflowError) as error:
            raise ArchiveError("is a broken 7z file: its directory is damaged") from error
        self._budget.count(len(names))
        check_ratio(self._span.size, sum(folder.size for folder in folders), LZMA_RATIO)
        filled = iter([name for name, is_empty in zip(names, empty, strict=True) if not is_empty])
        for name, is_empty in zip(names, empty, strict=True):
            if is_empty and not name.endswith("/"):
                yield Member(name, 0, "00000000"), None
        for folder in folders:
            yield from self._scan_folder(folder, filled, choose)

    def _scan_folder(
        self, folder: PackedFolder, names: Iterator[str], choose: Chooser
    ) -> Iterator[tuple[Member, Iterator[bytes] | None]]:
        fault = folder.fault()
        sizes = folder.file_sizes or []
        crcs = folder.file_crcs or []
        members = [
            Member(name, size, "" if crc is None else f"{crc:08x}", fault)
            for size, crc, name in zip(sizes, crcs, names, strict=False)
        ]
        chosen = [not fault and choose(member) for member in members]
        last = max((place for place, wanted in enumerate(chosen) if wanted), default=-1)
        content = _Content(decoded(self._span, folder) if last >= 0 else iter(()))
        for place, member in enumerate(members):
            if place > last:
                yield member, None
                continue
            checked = crcs[place] if chosen[place] else None
            blocks = self._budget.spend(content.take(member.size or 0, checked, member.name))
            yield member, blocks if chosen[place] else None
            for _ in blocks:  # whatever was not taken is passed over
                pass

    def _read(self) -> tuple[list[str], list[bool], list[PackedFolder]]:
        start = self._span.read(0, 32)
        if len(start) < 32:
            raise ArchiveError("is a broken 7z file: it is cut short")
        offset, size, crc = struct.unpack_from("<QQL", start, 12)
        if crc32(start[12:32]) != struct.unpack_from("<L", start, 8)[0]:
            raise ArchiveError("is a broken 7z file: its start is damaged")
        if size > DIRECTORY.bytes:
            raise ArchiveError("is a broken 7z file: its directory is too large")
        data = self._span.read(32 + offset, size)
        if len(data) < size:
            raise ArchiveError("is a broken 7z file: its end is missing (cut short, or one part of several)")
        if crc32(data) != crc:
            raise ArchiveError("is a broken 7z file: its directory is damaged")
        while data and data[0] == _ENCODED:
            folders = _Reader(data, 1).streams()
            if not folders or folders[0].size > DIRECTORY.bytes:
                raise ArchiveError("is a broken 7z file: its directory is damaged")
            if fault := folders[0].fault():
                raise ArchiveError("is encrypted, names included" if "encrypted" in fault else fault)
            data = b"".join(decoded(self._span, folders[0]))
        if not data:
            return [], [], []
        return _Reader(data, 1).header()


class _Content:
    """The decoded content of a block, given out file by file."""

    def __init__(self, blocks: Iterator[bytes]) -> None:
        self._blocks = blocks
        self._left = b""

    def take(self, size: int, crc: int | None, name: str) -> Iterator[bytes]:
        """The next so many bytes, checked against a CRC-32."""
        computed = 0
        while size:
            block = self._left or next(self._blocks, b"")
            if not block:
                raise ArchiveError(f"{name} cannot be unpacked: the archive is cut short")
            self._left = block[size:]
            block = block[:size]
            size -= len(block)
            if crc is not None:
                computed = crc32(block, computed)
            yield block
        if crc is not None and computed != crc:
            raise ArchiveError(f"{name} cannot be unpacked: its checksum is wrong")


class _Reader:
    """Reads the properties of a 7z header."""

    def __init__(self, data: bytes, at: int) -> None:
        self._data = data
        self._at = at

    def _byte(self) -> int:
        self._at += 1
        return self._data[self._at - 1]

    def _bytes(self, length: int) -> bytes:
        if length < 0 or self._at + length > len(self._data):
            raise IndexError
        self._at += length
        return self._data[self._at - length : self._at]

    def _number(self) -> int:
        first, value = self._byte(), 0
        for place in range(8):
            mask = 0x80 >> place
            if not first & mask:
                return value | (first & (mask - 1)) << 8 * place
            value |= self._byte() << 8 * place
        return value

    def _count(self) -> int:
        count = self._number()
        if count > ARCHIVE.items:
            raise ArchiveError(f"says that it has {count:,} files; Gribble does not believe that and stops there")
        return count

    def _bits(self, count: int, *, optional: bool = False) -> list[bool]:
        if optional and self._byte():
            return [True] * count
        data = self._bytes(-(-count // 8))
        return [bool(data[n // 8] & 0x80 >> n % 8) for n in range(count)]

    def _crcs(self, count: int) -> list[int | None]:
        return [struct.unpack("<L", self._bytes(4))[0] if there else None for there in self._bits(count, optional=True)]

    def header(self) -> tuple[list[str], list[bool], list[PackedFolder]]:
        """Names of the files, which of them are empty, and the solid blocks."""
        names: list[str] = []
        empty: list[bool] = []
        folders: list[PackedFolder] = []
        while (kind := self._byte()) != _END:
            if kind == _STREAMS:
                folders = self.streams()
            elif kind == _FILES:
                names, empty = self._files()
            else:
                raise ArchiveError("is a 7z with a directory that Gribble does not understand")
        return names, empty, folders

    def _files(self) -> tuple[list[str], list[bool]]:
        """Names of the files, which of them are empty; what is empty and not said to be a file is a folder, whose name
        gets a slash."""
        count = self._count()
        names, empty = [""] * count, [False] * count
        files: list[bool] = []
        while (kind := self._byte()) != _END:
            size = self._number()
            end = self._at + size
            if kind == _EMPTY:
                empty = self._bits(count)
            elif kind == _EMPTY_FILE:
                files = self._bits(sum(empty))
            elif kind == _NAMES and not self._byte():
                text = self._bytes(end - self._at).decode("utf-16-le", "surrogatepass")
                names = numbered(text.split("\0")[:count])
            self._at = end
        said = iter(files or [False] * sum(empty))
        names = [
            f"{name}/" if nothing and not next(said, False) else name
            for name, nothing in zip(names, empty, strict=True)
        ]
        return names, empty

    def streams(self) -> list[PackedFolder]:
        """The solid blocks with their packed bytes and the files inside."""
        folders: list[PackedFolder] = []
        offset, packed = 0, list[int]()
        while (kind := self._byte()) != _END:
            if kind == _PACK:
                offset, packed = self._pack_info()
            elif kind == _UNPACK:
                folders = self._unpack_info()
            elif kind == _SUBSTREAMS:
                self._substreams(folders)
            else:
                raise ArchiveError("is a 7z with a directory that Gribble does not understand")
        offset += 32
        sizes = iter(packed)
        for folder in folders:
            folder.offset, folder.packed_bytes = offset, sum(itertools.islice(sizes, folder.packed))
            offset += folder.packed_bytes
            if folder.file_sizes is None:
                folder.file_sizes, folder.file_crcs = [folder.size], [folder.crc]
        return folders

    def _pack_info(self) -> tuple[int, list[int]]:
        offset, count = self._number(), self._count()
        sizes: list[int] = []
        while (kind := self._byte()) != _END:
            if kind == _SIZE:
                sizes = [self._number() for _ in range(count)]
            elif kind == _CRC:
                self._crcs(count)
        return offset, sizes

    def _unpack_info(self) -> list[PackedFolder]:
        folders: list[PackedFolder] = []
        while (kind := self._byte()) != _END:
            if kind == _FOLDER:
                count = self._count()
                if self._byte():
                    raise ArchiveError("is a 7z with a directory that Gribble does not understand")
                folders = [self._folder() for _ in range(count)]
            elif kind == _CODER_SIZES:
                for folder in folders:
                    folder.sizes = [self._number() for coder in folder.coders for _ in range(coder.outputs)]
            elif kind == _CRC:
                for folder, crc in zip(folders, self._crcs(len(folders)), strict=True):
                    folder.crc = crc
        return folders

    def _folder(self) -> PackedFolder:
        coders = [self._coder() for _ in range(self._byte_count())]
        inputs, outputs = sum(coder.inputs for coder in coders), sum(coder.outputs for coder in coders)
        pairs = [(self._number(), self._number()) for _ in range(outputs - 1)]
        packed = inputs - len(pairs)
        starts = [self._number() for _ in range(packed)] if packed > 1 else []
        bound_outputs = {output for _, output in pairs}
        final = next(output for output in range(outputs) if output not in bound_outputs)
        plain = packed == 1 and all(coder.inputs == coder.outputs == 1 for coder in coders)
        if not plain:
            return PackedFolder(coders, [], False, final, packed=max(packed, len(starts)))
        feeds = {output: input_ for input_, output in pairs}
        at = next(input_ for input_ in range(inputs) if input_ not in feeds.values())
        chain = [at]
        while at in feeds and len(chain) <= len(coders):
            at = feeds[at]
            chain.append(at)
        return PackedFolder([coders[n] for n in chain], [], True, final)

    def _byte_count(self) -> int:
        count = self._number()
        if not 1 <= count <= 8:
            raise ArchiveError("is a broken 7z file: its directory is damaged")
        return count

    def _coder(self) -> Coder:
        flags = self._byte()
        method = self._bytes(flags & 15).hex()
        inputs, outputs = (self._number(), self._number()) if flags & 16 else (1, 1)
        if inputs > 8 or outputs > 8:
            raise ArchiveError("is a broken 7z file: its directory is damaged")
        return Coder(method, self._bytes(self._number()) if flags & 32 else b"", inputs, outputs)

    def _substreams(self, folders: list[PackedFolder]) -> None:
        counts = [1] * len(folders)
        kind = self._byte()
        if kind == _COUNTS:
            counts = [self._count() for _ in folders]
            kind = self._byte()
        for folder, count in zip(folders, counts, strict=True):
            sizes = [self._number() for _ in range(count - 1)] if kind == _SIZE else []
            folder.file_sizes = [*sizes, folder.size - sum(sizes)] if count else []
            folder.file_crcs = [folder.crc] if count == 1 else [None] * count
        if kind == _SIZE:
            kind = self._byte()
        while kind != _END:
            if kind == _CRC:
                missing = [f for f in folders if not (len(f.file_crcs or ()) == 1 and f.crc is not None)]
                crcs = iter(self._crcs(sum(len(folder.file_crcs or ()) for folder in missing)))
                for folder in missing:
                    folder.file_crcs = [next(crcs) for _ in folder.file_crcs or ()]
            kind = self._byte()
