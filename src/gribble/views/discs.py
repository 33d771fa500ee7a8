"""The answers of `gribble discs`, for the terminal and as `discs/1`."""

from __future__ import annotations

from collections import Counter
from typing import Any

from rich.text import Text

from gribble.core.base.amounts import count
from gribble.core.base.paths import base
from gribble.core.records.discs import MENDS, Checked, Mended, Playlist
from gribble.views.looks import NEXT, QUIET
from gribble.views.screen import Screen, remedy, styled, verdict


def show_discs(screen: Screen, found: list[Checked], words: str, *, verbose: bool) -> None:
    """How many are right, then each that is not with what is wrong; those that are right with `verbose`.

    `words` is what was looked at, as it is typed.
    """
    tally = Counter(one.verdict for one in found)
    parts = [f"{tally[word]} {word}" for word in ("sound", "unproven", "damaged", "imposter") if tally[word]]
    if not found:
        screen.say("No track sheets, playlists or disc images there.")
        return
    screen.say(
        styled(count(len(found), "track sheet or image", "track sheets and images"), "bold"), f": {', '.join(parts)}"
    )
    rows: list[tuple[str | Text, ...]] = [
        (verdict(one.verdict), _account(one)) for one in found if verbose or one.findings
    ]
    screen.grid(rows)
    hidden = sum(1 for one in found if not one.findings)
    if hidden and not verbose:
        screen.say(styled(f"  nothing is wrong with {hidden:,} more (-v shows them)", QUIET))
    if any(fault.mends for one in found for fault in one.findings):
        screen.next(f"{MENDS} {words}".rstrip(), "puts right what is certain; it shows you first, and asks")


def _account(one: Checked) -> Text:
    text = Text.assemble(styled(one.path, "bold"))
    if one.label:
        text.append_text(styled(f"  {one.label}", QUIET))
    for fault in one.findings:
        name = f"{fault.file}: " if fault.file and base(fault.file) != base(one.path) else ""
        text.append_text(styled(f"\n{name}{fault.reason}"))
        if fault.remedy:
            text.append("\n").append_text(remedy(fault.remedy))
    return text


def show_mended(screen: Screen, found: list[tuple[str, Mended]]) -> None:
    """Each sheet that can be put right, with what is changed in it and what that rests on."""
    if not found:
        screen.say("Nothing to mend: every track sheet is right, or Gribble is not certain what it should be.")
        screen.next("gribble discs check", "tells you what is wrong")
        return
    screen.say(styled(count(len(found), "track sheet can be corrected", "track sheets can be corrected"), "bold"))
    rows: list[tuple[str | Text, ...]] = []
    for path, one in found:
        lines = (styled(f"\n{change}") for change in one.changes)
        rows.append((styled("mend", NEXT), Text.assemble(styled(path, "bold"), *lines)))
    screen.grid(rows)


def discs_json(found: list[Checked]) -> dict[str, Any]:
    """`discs/1`."""
    return {
        "gribble": "discs/1",
        "files": [
            {
                "path": one.path,
                "verdict": one.verdict,
                "label": one.label,
                "findings": [
                    {
                        "fault": fault.fault,
                        "file": fault.file,
                        "reason": fault.reason,
                        "remedy": fault.remedy or None,
                    }
                    for fault in one.findings
                ],
            }
            for one in found
        ],
    }


def show_playlists(screen: Screen, found: list[Playlist]) -> None:
    """Each title with its discs in order, and which of them lack."""
    if not found:
        screen.say("No discs that belong together. Gribble knows them by a name like 'Title (Disc 1)'.")
        return
    screen.say(
        styled(count(len(found), "playlist"), "bold"), f", {count(sum(len(one.discs) for one in found), 'disc')}"
    )
    rows: list[tuple[str | Text, ...]] = []
    for one in found:
        text = Text.assemble(styled(one.title, "bold"), *(styled(f"\n{disc}") for disc in one.discs))
        for number in one.missing:
            text.append("\n").append_text(verdict("missing")).append_text(
                styled(f"  {number} of {one.total} is missing")
            )
        rows.append((styled(f"{len(one.discs)}"), text))
    screen.grid(rows)


def playlists_json(found: list[Playlist]) -> dict[str, Any]:
    """`playlists/1`."""
    return {
        "gribble": "playlists/1",
        "playlists": [
            {"path": one.path, "title": one.title, "discs": list(one.discs), "missing": list(one.missing)}
            for one in found
        ],
    }
