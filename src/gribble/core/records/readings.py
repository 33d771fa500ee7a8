"""What an audit knows of contents beyond their digests: key files, settings files and ids, read beforehand."""

from __future__ import annotations

from msgspec import Struct

from gribble.core.base.digests import DiscHeader
from gribble.core.records.discs import Checked
from gribble.core.records.holding import FileKey, Holding
from gribble.core.records.keyfile import KeyFile


class Unread(Struct, frozen=True):
    """Why a settings file was not read; the words follow its name. `absent` says that it is not there at all."""

    why: str
    absent: bool = False


ABSENT = Unread("is not there", absent=True)


class Readings(Struct, frozen=True, kw_only=True):
    """Contents that were read for one audit.

    `key_files` are all that could be key files, nearest first; `settings` are settings files by rig and path, or why
    they could not be read; `ids` are what files say of themselves, by file, offset and length; `discs` are the headers
    of disc images, nearest first; `sheets` are the track sheets and images of game folders that do not hold, by rig and
    folder.
    """

    key_files: tuple[tuple[Holding, KeyFile], ...] = ()
    settings: dict[tuple[str, str], bytes | Unread] = {}
    ids: dict[tuple[FileKey, int, int], str] = {}
    discs: tuple[tuple[Holding, DiscHeader], ...] = ()
    sheets: dict[tuple[str, str], tuple[Checked, ...]] = {}
