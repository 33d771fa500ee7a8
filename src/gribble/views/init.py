"""The text of a first gribble.toml."""

from __future__ import annotations

import json

from gribble.core.answers.discover import Discovery


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
        lines.append("")
    if not found.rigs:
        lines += ["# [rig.den]", '# at = "rigs/den"', "#", "# [rig.den.emulators]", '# sandpiper = "3.1"', ""]
    return "\n".join(lines)


def _text(text: str) -> str:
    return json.dumps(text, ensure_ascii=False)


def _list(texts: tuple[str, ...]) -> str:
    return f"[{', '.join(map(_text, texts))}]"
