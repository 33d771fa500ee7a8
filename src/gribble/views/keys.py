"""The answer of `gribble keys check`, for the terminal and as `keys/1`. No key's value ever comes here."""

from __future__ import annotations

from collections import Counter
from typing import Any

from msgspec import Struct
from rich.text import Text

from gribble.core.base.amounts import count
from gribble.core.records.findings import Verdict
from gribble.core.records.keyfile import KeysJudgement
from gribble.core.records.sheet import Level
from gribble.core.sayings.facts import key_words, keys_words
from gribble.views.looks import QUIET, VERDICTS
from gribble.views.screen import Screen, styled, verdict

_AS = {"malformed": Verdict.DAMAGED, "conflicting": Verdict.DAMAGED}
"""The verdicts of keys that look like one of files."""


class CheckedKeys(Struct, frozen=True):
    """One key file and what it is to a need; `fault` says why it could not be judged."""

    path: str
    emulator: str
    title: str
    judged: KeysJudgement | None
    fault: str = ""
    odd_lines: tuple[int, ...] = ()
    absent: str = ""

    @property
    def verdict(self) -> str:
        """The verdict of the whole file."""
        return self.absent or (self.judged.verdict if self.judged else Verdict.IMPOSTER)

    @property
    def met(self) -> bool:
        """Whether the file will do."""
        return self.verdict in (Verdict.SOUND, Verdict.UNPROVEN)


def show_keys(screen: Screen, checked: list[CheckedKeys], *, verbose: bool) -> None:
    """The answer, then each file with its keys by name; those that are right are folded into one line."""
    if not checked:
        screen.say("No key files are needed on these rigs.")
        return
    tally = Counter(one.verdict for one in checked)
    words = ", ".join(f"{tally[word]} {word}" for word in Verdict if tally[word])
    screen.say(styled(count(len(checked), "key file"), "bold"), f": {words}")
    for one in checked:
        screen.out.print()
        whose = f"  {one.emulator}'s {one.title}" if one.title else ""
        screen.say(verdict(one.verdict), "  ", styled(one.path, "bold"), styled(whose, QUIET))
        screen.say(f"  {keys_words(one.judged) if one.judged else one.fault}")
        if one.odd_lines:
            lines = ", ".join(map(str, one.odd_lines[:5])) + (", …" if len(one.odd_lines) > 5 else "")
            screen.say(f"  not `name = hex`: line {lines}; left out")
        if one.judged:
            _show_names(screen, one.judged, verbose)


def _show_names(screen: Screen, judged: KeysJudgement, verbose: bool) -> None:
    rows: list[tuple[str | Text, ...]] = []
    for found in judged.keys:
        if verbose or found.verdict != "sound":
            like = _AS.get(found.verdict, found.verdict)
            glyph, colour = VERDICTS[like]
            level = "" if found.key.level is Level.MUST else f" ({found.key.level})"
            rows.append((Text(f"{glyph} {found.verdict}", style=colour), found.key.name, key_words(found) + level))
    screen.grid(rows)
    right = [found.key.name for found in judged.keys if found.verdict == "sound"]
    if right and not verbose:
        screen.grid([(verdict(Verdict.SOUND), styled(", ".join(right)))])


def keys_json(checked: list[CheckedKeys]) -> dict[str, Any]:
    """`keys/1`."""
    return {
        "gribble": "keys/1",
        "files": [
            {
                "path": one.path,
                "emulator": one.emulator or None,
                "verdict": one.verdict,
                "reason": keys_words(one.judged) if one.judged else one.fault,
                "odd_lines": list(one.odd_lines),
                "unknown": one.judged.unknown if one.judged else 0,
                "keys": [
                    {
                        "name": found.key.name,
                        "verdict": found.verdict,
                        "level": found.key.level,
                        "reason": key_words(found),
                    }
                    for found in (one.judged.keys if one.judged else ())
                ],
            }
            for one in checked
        ],
    }
