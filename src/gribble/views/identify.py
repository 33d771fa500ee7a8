"""The answer of `gribble identify`, for the terminal and as `identify/1`."""

from __future__ import annotations

from collections import Counter
from typing import Any

from rich.text import Text

from gribble.core.identify import Identified, Match
from gribble.views.check import say_holding
from gribble.views.looks import QUIET, size
from gribble.views.screen import Screen, styled, verdict

UNKNOWN_SHOWN = 8


def show_identify(screen: Screen, files: tuple[Identified, ...], *, only_needed: bool, verbose: bool) -> None:
    """Files grouped by what they are, then the counts."""
    groups = {"known": "Known", "rejected": "Known not to work"}
    for word, title in groups.items():
        chosen = [file for file in files if file.verdict == word and (file.needed or not only_needed)]
        if chosen:
            screen.say(styled(title, "bold"))
            screen.grid([_row(file) for file in chosen])
            screen.out.print()
    unknown = [file for file in files if file.verdict == "unknown"]
    if unknown and not only_needed:
        shown = unknown if verbose else unknown[:UNKNOWN_SHOWN]
        screen.say(styled("Unknown", "bold"))
        screen.grid([_row(file) for file in shown])
        if len(shown) < len(unknown):
            screen.say(styled(f"  and {len(unknown) - len(shown):,} more (-v shows them)", QUIET))
        screen.out.print()
    screen.say(counts(files))


def counts(files: tuple[Identified, ...]) -> str:
    """The counts that end the answer: "3 needed, 2 held already, 1 known not to work, 9 unknown"."""
    tally = Counter("needed" if file.needed else file.verdict for file in files)
    text = f"{tally['needed']:,} needed, {tally['known']:,} held already"
    if tally["rejected"]:
        text += f", {tally['rejected']:,} known not to work"
    return f"{text}, {tally['unknown']:,} unknown"


def _row(file: Identified) -> tuple[str | Text, ...]:
    text = Text.assemble(
        styled(say_holding(file.holding, None), "bold" if file.matches else ""),
        styled(f"  {size(file.holding.size)}", QUIET),
    )
    for match in file.matches:
        text.append("\n").append_text(styled(_match_words(match)))
    return verdict(file.verdict), text


def _match_words(match: Match) -> str:
    label = f" ({match.accept})" if match.accept else ""
    words = f"{match.title}{label} for {match.emulator}"
    if match.rejected:
        return f"{words}: {match.why or 'known not to work'}"
    where = f"{match.to} on {match.rig}" if match.rig else match.to
    return f"{words}: {'needed as' if match.needed else 'goes to'} {where}"


def identify_json(files: tuple[Identified, ...], *, only_needed: bool) -> dict[str, Any]:
    """`identify/1` (DESIGN.md section 6)."""
    tally = Counter("needed" if file.needed else file.verdict for file in files)
    return {
        "gribble": "identify/1",
        "files": [_file_json(file) for file in files if file.needed or not only_needed],
        "counts": {
            "needed": tally["needed"],
            "held": tally["known"],
            "rejected": tally["rejected"],
            "unknown": tally["unknown"],
        },
    }


def _file_json(file: Identified) -> dict[str, Any]:
    holding = file.holding
    return {
        "path": str(holding.place),
        "member": holding.member,
        "size": holding.size,
        **{name: holding.digests.get(name) for name in ("crc32", "md5", "sha1", "sha256")},
        "verdict": file.verdict,
        "matches": [
            {
                "emulator": match.emulator,
                "need": match.need,
                "accept": match.accept or None,
                "rig": match.rig or None,
                "to": match.to,
                "needed": match.needed,
                "rejected": match.rejected,
            }
            for match in file.matches
        ],
        "diagnosis": None,
    }
