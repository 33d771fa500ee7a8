"""Which rigs were seen where, and by what a rig is known again when another volume lies under the same path."""

from __future__ import annotations

import contextlib
import os
import re
import secrets
from collections.abc import Iterable
from pathlib import Path
from typing import Any

from gribble.core.base.changing import flush_folder
from gribble.core.base.filewriter import note_record, put_own, read_record
from gribble.core.base.paths import MEMORY_FOLDER
from gribble.core.base.regular import read_regular

_ID = "id"
_ID_BYTES = 64
_RIGHT_ID = re.compile(r"[0-9a-f]{32}")


class SeenRigs:
    """The roots at which rigs have been seen, so that an absent one is known to be away, each with the id of the rig
    that was there. Kept in a small file beside the configuration."""

    def __init__(self, path: Path | None, roots: Iterable[str] = ()) -> None:
        """Of some `roots` those that are there now have been seen, too, should they go while the command is at work."""
        self._path = path
        self._here = frozenset(root for root in roots if os.path.lexists(root))
        self._ids = self._read()

    def _read(self) -> dict[str, str]:
        return _ids_of(read_record(self._path)) if self._path else {}

    def __contains__(self, root: str) -> bool:
        return root in self._ids or root in self._here

    def known(self, root: Path) -> str:
        """The id of the rig that was at a root; empty where none is known."""
        return self._ids.get(str(root), "")

    def why_other(self, name: str, root: Path) -> str:
        """Why what lies at a rig's root now is not the rig that was there before; empty where it may be."""
        known, now = self.known(root), id_at(root)
        if not known or now is None or now == known:
            return ""
        other = "another" if now else "no"
        return (
            f"what is at {root} now is not the rig that was there before (it has {other} id); "
            f"gribble doctor --accept {name} takes it for the rig"
        )

    def note(self, root: Path) -> None:
        """Remember a root that is there now; where that cannot be written, nothing is lost but this memory."""
        now = id_at(root)
        if self._path is None or now is None or self._ids.get(str(root)) == now:
            return
        self._ids = {**self._ids, str(root): now}
        note_record(self._path, lambda found: {**_ids_of(found), str(root): now})


def _ids_of(found: Any) -> dict[str, str]:
    """What a record of seen rigs says: ids by root."""
    if isinstance(found, list):  # as versions before this one had it
        found = dict.fromkeys(map(str, found), "")
    return {root: str(id_) for root, id_ in found.items()} if isinstance(found, dict) else {}


def id_at(root: Path) -> str | None:
    """The id of the rig at a root; empty where it has none, None where that cannot be known.

    A file that a power cut has emptied tells nothing.
    """
    try:
        text = read_regular(root / MEMORY_FOLDER / _ID, _ID_BYTES, through_links=False).decode("ascii", "replace")
    except (FileNotFoundError, NotADirectoryError):
        return ""
    except OSError:
        return None
    if not text.strip("\0"):
        return None
    return text.strip() if _RIGHT_ID.fullmatch(text.strip()) else ""


def give_id(root: Path, known: str = "") -> None:
    """Give the rig at a root an id, if it has none, and flush it: the one that is `known` of it, or a new one. Where
    that cannot be written, it stays without one."""
    if id_at(root):
        return
    with contextlib.suppress(OSError):
        put_own(root / MEMORY_FOLDER / _ID, f"{known or secrets.token_hex(16)}\n".encode())
        flush_folder(root)
