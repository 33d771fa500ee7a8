"""7z archives: the container is read here, contents are unpacked by the standard library's decoders.

Only the container is our own code: a library that also unpacks takes longer to load than hundreds of archives take to
list. Sizes and dictionaries that an archive declares are checked before anything is decoded, and a solid block is
decoded once, in order. Source: 7zFormat.txt and Methods.txt of the public-domain LZMA SDK.
"""

from __future__ import annotations

import itertools
import struct
from collections.abc import Iterator

from gribble.core.base.budget import ARCHIVE, DIRECTORY, Budget
from gribble.core.files.archives.coders import LZMA_RATIO, Coder, PackedFolder, decoded
from gribble.core.files.archives.common import ArchiveError, Chooser, Member, Span, check_ratio, numbered
from gribble.core.files.inflating import crc32

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
