"""Track sheets, images and playlists: what is true of them, and how they should be."""

from __future__ import annotations

from collections.abc import Mapping

from msgspec import Struct


class DiscFault(Struct, frozen=True, kw_only=True):
    """One thing that is wrong: a word for it, the file it concerns (if any), and why, with the line if there is one;
    `mends` says that the remedy is a command's, not the person's."""

    fault: str
    reason: str
    file: str = ""
    remedy: str = ""
    mends: bool = False


class Checked(Struct, frozen=True, kw_only=True):
    """One sheet or image: its path below the folder that was looked at, its verdict, and what is wrong with it.

    `sound` where everything it says holds, `unproven` where nothing could be held against it, else `damaged`, or
    `imposter` for what is not a sheet. `label` is what a disc calls itself.
    """

    path: str
    verdict: str
    findings: tuple[DiscFault, ...] = ()
    label: str = ""


class Mended(Struct, frozen=True, kw_only=True):
    """A sheet as it should be: its path, its new text, what is changed in it and why, and the path it had before.

    `before` is empty for a sheet that was not there at all.
    """

    path: str
    text: str
    changes: tuple[str, ...]
    before: str
    names: Mapping[str, str] = {}  # former name in the sheet: what it is now


class Playlist(Struct, frozen=True, kw_only=True):
    """One title: where its playlist belongs, its discs in order (paths below the same root), and numbers that lack.

    `total` is how many there should be, where a name says so, else the highest number met.
    """

    path: str
    title: str
    discs: tuple[str, ...]
    missing: tuple[int, ...] = ()
    total: int = 0


MENDS = "gribble discs mend"
"""The command that does what is beyond doubt."""
