"""What a shell offers when Tab is pressed: names from gribble.toml and from rosters. Quick, and silent on faults."""

from __future__ import annotations

import json
import os
import re
from collections.abc import Iterable, Iterator
from contextlib import suppress
from pathlib import Path
from typing import Any

import typer

from gribble.core.base.regular import MOST_TEXT, open_regular, read_regular
from gribble.core.base.texts import text_of

MOST_OFFERED = 200
"""More names are no help."""
_SET = re.compile(rb'^\{"set":\s*"([^"\\]+)"(?:,\s*"title":\s*("(?:[^"\\]|\\.)*"))?')


def rigs(context: typer.Context, incomplete: str) -> list[str]:
    """The rigs of gribble.toml."""
    return _beginning(_tables(context).get("rig", {}), incomplete)


def emulators(context: typer.Context, incomplete: str) -> list[str]:
    """The emulators that are on some rig."""
    found = {name for rig in _rig_tables(context) for name in rig.get("emulators", {})}
    return _beginning(found, incomplete)


def sets(context: typer.Context, incomplete: str) -> list[str]:
    """The sets of the rosters beside the sheets by their names; where none begins so, by their titles, whose beginning
    may be typed in other letters."""
    typed, folded = len(incomplete), incomplete.casefold()
    found = {
        incomplete + name[typed:] for name in _set_names(context, incomplete) if name.casefold().startswith(folded)
    }
    return sorted(found)[:MOST_OFFERED]


def subjects(context: typer.Context, incomplete: str) -> list[str]:
    """Emulators and sets."""
    return [*emulators(context, incomplete), *sets(context, incomplete)]


def verdicts(incomplete: str) -> list[str]:
    """The verdicts of needs."""
    from gribble.core.records.findings import Verdict  # which only this answer needs, and every start would pay for

    return _beginning(map(str, Verdict), incomplete)


def _beginning(names: Any, incomplete: str) -> list[str]:
    return sorted(name for name in names if isinstance(name, str) and name.startswith(incomplete))[:MOST_OFFERED]


def _tables(context: typer.Context) -> dict[str, Any]:
    import tomllib

    from gribble.cli.finding import find_config  # only Tab has use for either

    path = find_config(context.obj)
    try:
        return tomllib.loads(text_of(read_regular(path, MOST_TEXT))) if path else {}
    except (OSError, ValueError):
        return {}


def _rig_tables(context: typer.Context) -> list[dict[str, Any]]:
    tables = _tables(context).get("rig", {})
    return [rig for rig in tables.values() if isinstance(rig, dict)] if isinstance(tables, dict) else []


def _set_names(context: typer.Context, incomplete: str) -> Iterator[str]:
    from gribble.cli.finding import find_config, memory_folder
    from gribble.core.catalogue.rosterstore import STORES_FOLDER, RosterStore

    config = find_config(context.obj)
    folders = _tables(context).get("catalogues", [])
    if config is None or not isinstance(folders, list):
        return
    memory = memory_folder(context.obj, config)
    store = RosterStore(memory / STORES_FOLDER if memory else None)
    for folder in folders:
        place = config.parent / Path(str(folder)).expanduser()
        for roster in sorted(place.glob("*.roster.jsonl")) if os.path.isdir(place) else ():
            if (ready := store.names(roster, incomplete, MOST_OFFERED)) is not None:
                yield from ready
                continue
            with suppress(OSError, ValueError), open_regular(roster) as stream:
                yield from _names_and_titles(stream, incomplete)


def _names_and_titles(lines: Iterable[bytes], incomplete: str) -> Iterator[str]:
    """The names that begin so in the lines of a roster, else the titles."""
    matches = [match for line in lines if (match := _SET.match(line))]
    names = [match[1].decode(errors="replace") for match in matches]
    yield from [name for name in names if name.startswith(incomplete)] or (
        json.loads(match[2]) for match in matches if match[2]
    )
