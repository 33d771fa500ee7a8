"""The words of Gribble: what each means, in a sentence, and an example."""

from __future__ import annotations

from typing import Any

from rich.text import Text

from gribble.core.records.findings import Verdict
from gribble.views.looks import QUIET, VERDICTS
from gribble.views.screen import Screen, styled

WORDS: tuple[tuple[str, str, str], ...] = (
    ("better", "a level: the emulator has a built-in stand-in for this file", "a font ROM"),
    ("displaced", "moved to the attic, because another file took its place", "gribble attic list"),
    ("extra", "a level: hardly anybody misses this file", "a clock ROM"),
    ("must", "a level: the emulator does not run without this file", "a boot ROM"),
    ("spared", "not needed, because another file of the same choice is enough", "the American ROM"),
    ("whole", "with every file that it needs", "a set whose archive has all its files"),
    ("rig", "a folder or device with emulators on it, on which you play", "the PC in the games room, a stick"),
    ("source", "a folder where you keep files; it is only read", "~/Downloads, a NAS"),
    ("sheet", "what one emulator needs, in a file", "sandpiper.sheet.toml"),
    ("roster", "the arcade sets of one release of an emulator", "turnstone 1.8"),
    ("need", "one file that an emulator needs, and where", "the Tern 8 boot ROM"),
    ("set", "the files of one arcade game, in an archive", "groyne.zip"),
    ("choice", "needs of which one is enough", "the European or the American ROM"),
    ("field map", "which column of a list is what", "for gribble catalogue import"),
    ("remedy", "what puts a need right", "rename, place, mend, connect, obtain"),
    ("run", "what one gribble place has done; it can be undone", "run 3"),
    ("attic", "the folder on the rig where a run keeps the files that it replaces", "gribble attic list"),
    ("away", "not here now: a stick, a NAS that is off", "in nas, which is away since 3 November"),
    ("spare", "a file that no sheet of the rig knows; Gribble does not touch it", "notes from Ada.txt"),
)
"""Each word, what it means, and an example."""

MEANT: dict[Verdict, str] = {
    Verdict.SOUND: "the right content, in its place, under its name",
    Verdict.UNPROVEN: "the name and the place are right; no digest proves the content",
    Verdict.MISNAMED: "the right content in its folder, under another name",
    Verdict.ASTRAY: "the right content, but in another place",
    Verdict.DAMAGED: "nearly the right content: cut short, padded, a bit flipped",
    Verdict.UNFIT: "the right content, but not for this release, or without a key that it needs",
    Verdict.IMPOSTER: "the name is right, but the content is not",
    Verdict.MISSING: "not found",
    Verdict.UNSET: "a setting has no value, or its file is not there",
    Verdict.WRONG: "a setting leads to another place, or the volume is not what the device needs",
    Verdict.UNPLAYABLE: "this release does not play the set",
}
"""The verdicts on a need, best first."""


def show_words(screen: Screen) -> None:
    """The words in a screen, then the verdicts."""
    rows = [(styled(word, "bold"), _meaning(what, example)) for word, what, example in sorted(WORDS)]
    screen.grid(rows, indent=0)
    screen.out.print()
    screen.say("A need is")
    verdicts = [(Text(f"{VERDICTS[word][0]} {word}", style=VERDICTS[word][1]), what) for word, what in MEANT.items()]
    screen.grid(verdicts)
    screen.say("and its emulator ready, limited (something optional is missing) or blocked.")
    screen.next("gribble check", "shows this for your files; gribble demo shows it for made-up ones")


def _meaning(what: str, example: str) -> Text:
    return styled(what).append_text(styled(f"  ({example})", QUIET))


def words_json() -> dict[str, Any]:
    """The same as one object."""
    return {
        "gribble": "words/1",
        "words": [{"word": word, "means": what, "example": example} for word, what, example in sorted(WORDS)],
        "verdicts": [{"verdict": word, "means": what} for word, what in MEANT.items()],
    }
