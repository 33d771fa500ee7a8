"""The text of a first gribble.toml."""

from __future__ import annotations

import json

from gribble.core.answers.discover import Discovery
from gribble.views.looks import QUIET
from gribble.views.screen import Screen, styled


def show_written(screen: Screen, name: str, found: Discovery, *, doubted: bool) -> None:
    """What a first gribble.toml says, a line each; rigs told by a sign are `doubted` where nobody was asked."""
    screen.say(styled(f"{name} is written.", "bold"), " It says:")
    rows = [("source", path, "only read") for path in found.sources]
    rows += [("catalogue", path, "sheets, which say what emulators need") for path in found.catalogues]
    for rig, (path, emulators) in found.rigs.items():
        what = ", ".join(emulators) or (f"{found.signs[rig]} lies there" if rig in found.signs else "")
        rows.append(("rig", path, what))
    screen.grid([(kind, styled(path, "bold"), styled(what, QUIET)) for kind, path, what in rows])
    if found.signs and doubted:
        screen.say("A rig is where emulators lie; if it is a folder of your files instead, name it in sources.")


def config_text(found: Discovery) -> str:
    """A commented gribble.toml that says what was found, with examples for what was not."""
    lines = [
        "# Gribble's configuration. Paths are relative to this file; ~ is your home folder.",
        "",
        "# Folders where you keep files. They are only ever read.",
        f"sources = {_list(found.sources)}",
        "",
        "# Folders with sheets: what each emulator needs.",
        f"catalogues = {_list(found.catalogues)}",
        "",
        "# Regions you prefer, best first, where several contents will do.",
        '# regions = ["EU", "US"]',
        "",
        "# A rig is one playing setup: a folder with emulators on it.",
    ]
    for name, (path, emulators) in found.rigs.items():
        lines += [f"[rig.{name}]", f"at = {_text(path)}", '# volume = "fat32"       # rules for names; default: auto']
        lines += ["", f"[rig.{name}.emulators]"]
        lines += [f'{emulator} = {{}}           # better: {emulator} = "3.1", its release' for emulator in emulators]
        lines += [] if emulators else ['# sandpiper = "3.1"     # an emulator that has a sheet, and its release']
        lines.append("")
    if not found.rigs:
        lines += ["# [rig.den]", '# at = "rigs/den"', "#", "# [rig.den.emulators]", '# sandpiper = "3.1"', ""]
    return "\n".join(lines)


def _text(text: str) -> str:
    return json.dumps(text, ensure_ascii=False)


def _list(texts: tuple[str, ...]) -> str:
    return f"[{', '.join(map(_text, texts))}]"
