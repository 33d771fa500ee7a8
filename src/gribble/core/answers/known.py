"""What the catalogues know: sheets, rosters, and how well their contents are proven."""

from __future__ import annotations

import os
from collections import Counter
from pathlib import Path

import msgspec
from msgspec import Struct

from gribble.core.base.errors import Mistake
from gribble.core.base.regular import open_regular
from gribble.core.catalogue.rosters import ROSTER_ENDING, read_head
from gribble.core.catalogue.sheets import Catalogue
from gribble.core.records.roster import RosterHead
from gribble.core.records.sheet import Sheet


class KnownEmulator(Struct, frozen=True):
    """What the catalogues hold: sheets, heads of rosters with the number of sets, and what could not be used."""

    sheets: list[Sheet]
    rosters: list[tuple[RosterHead, int, str]]
    mistakes: tuple[Mistake, ...]


def read_known(catalogue: Catalogue, folders: list[Path]) -> KnownEmulator:
    """What some folders hold, whose sheets are loaded already; of rosters the head is read, the lines are counted."""
    rosters, mistakes = [], list(catalogue.mistakes)
    for folder in folders:
        for path in sorted(folder.glob(f"[!.]*{ROSTER_ENDING}")) if os.path.isdir(folder) else ():
            try:
                with open_regular(path) as stream:
                    lines = sum(block.count(b"\n") for block in iter(lambda: stream.read(1 << 20), b""))
                rosters.append((read_head(path), lines - 1, str(path)))
            except (OSError, msgspec.MsgspecError) as error:
                mistakes.append(Mistake(str(path), "", f"cannot be used: {error}"))
    return KnownEmulator([sheet for _, sheet in sorted(catalogue.sheets.items())], rosters, tuple(mistakes))


def proofs_of(sheet: Sheet) -> Counter[str]:
    """How many contents are known by which strongest digest."""
    accepts = [accept for need in sheet.need for part in need.parts() for accept in part.accept]
    keys = [key for need in sheet.need for key in need.key]
    proofs = Counter(accept.strongest() or "no digest" for accept in accepts)
    proofs.update("fingerprint" if key.sha256 else "no fingerprint" for key in keys)
    return proofs
