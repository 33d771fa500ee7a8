"""Looking into archives: what members they say they hold, and their contents as streams."""

from __future__ import annotations

import zipfile
import zlib
from collections.abc import Iterator
from pathlib import Path

from msgspec import Struct

from gribble.core.errors import reason_of
from gribble.core.survey.digests import BLOCK_BYTES

ZIP_ENDING = ".zip"


class ArchiveError(Exception):
    """An archive, or one member of it, cannot be read; the text says why."""


class Member(Struct, frozen=True):
    """One file in an archive: the size in bytes and CRC-32 that the archive claims for it.

    `fault` says why its content cannot be read, empty where it can.
    """

    name: str
    size: int
    crc32: str
    fault: str = ""


def is_archive(path: str) -> bool:
    """Whether a file is to be looked into, by its ending."""
    return path.lower().endswith(ZIP_ENDING)


def list_members(path: Path) -> list[Member]:
    """The files of a zip in the order of its directory; of two with one name only the last can be reached.

    Nothing is unpacked. Raises ArchiveError.
    """
    with _opened(path) as archive:
        members = {
            info.filename: Member(
                info.filename,
                info.file_size,
                f"{info.CRC:08x}",
                "is encrypted" if info.flag_bits & 1 else "",
            )
            for info in archive.infolist()
            if not info.is_dir()
        }
    return list(members.values())


def member_blocks(path: Path, name: str) -> Iterator[bytes]:
    """The content of one member of a zip, block by block, never longer than its directory says.

    Raises ArchiveError where the archive is damaged or the content is not what its CRC-32 says.
    """
    with _opened(path) as archive:
        try:
            with archive.open(name) as stream:
                while block := stream.read(BLOCK_BYTES):
                    yield block
        except KeyError:
            raise ArchiveError(f"{name} is no longer in it") from None
        except (zipfile.BadZipFile, zlib.error, EOFError, RuntimeError, NotImplementedError) as error:
            raise ArchiveError(f"{name} cannot be unpacked: {error}") from error


def _opened(path: Path) -> zipfile.ZipFile:
    try:
        return zipfile.ZipFile(path)
    except OSError as error:
        raise ArchiveError(f"cannot be read: {reason_of(error)}") from error
    except (zipfile.BadZipFile, ValueError, EOFError, NotImplementedError) as error:
        raise ArchiveError(f"is no sound zip: {error}") from error
