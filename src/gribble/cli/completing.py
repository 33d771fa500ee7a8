"""What a shell offers when Tab is pressed: names from gribble.toml and from rosters. Quick, and silent on faults."""

from __future__ import annotations

import json
import os
import re
from collections.abc import Iterable, Iterator
from contextlib import contextmanager, redirect_stdout, suppress
from io import StringIO
from pathlib import Path
from typing import Any, TextIO

import typer

from gribble.core.base.regular import MOST_TEXT, open_regular, read_regular, text_of

MOST_OFFERED = 200
"""More names are no help."""
STEPS = ("copy", "displace", "extract", "mend", "pack", "point", "rename", "write")
"""The kinds of steps."""
_BASH, _OTHERS = "COMP_WORDS", "_TYPER_COMPLETE_ARGS"
_HANDED = (_BASH, "COMP_CWORD", _OTHERS)
"""The variables in which a shell hands over what is typed."""
_JOINED = re.compile(r"(?<=\s)(--[a-z-]+=)(\S*)$")
_OFFERED = re.compile(r"^(?:_arguments '\*: :\(\()?\"?(?=[^\s\"_])", re.MULTILINE)
"""The beginning of each word that is offered, in the forms of all shells."""
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


def machines(context: typer.Context, incomplete: str) -> list[str]:
    """The machines that the sheets know."""
    return _beginning({name for sheet in _sheets(context) for name in sheet.get("machines", ())}, incomplete)


def wanted_words(context: typer.Context, incomplete: str) -> list[str]:
    """What `needs` takes: emulators, machines and sets."""
    return [*emulators(context, incomplete), *machines(context, incomplete), *sets(context, incomplete)]


def step_words(context: typer.Context, incomplete: str) -> list[str]:
    """The words by which steps of a plan are chosen: kinds of steps, rigs, emulators and needs."""
    needs = {need.get("id") for sheet in _sheets(context) for need in sheet.get("need", ())}
    return _beginning({*STEPS, *rigs(context, ""), *emulators(context, ""), *needs}, incomplete)


def runs(context: typer.Context, incomplete: str) -> list[str]:
    """The numbers of the runs on rigs in folders that are here."""
    config = _config(context)
    places = [str(rig["at"]) for rig in _rig_tables(context) if "at" in rig]
    folders = [config.parent / Path(one).expanduser() for one in places if "://" not in one] if config else []
    found = {int(run.stem) for folder in folders for run in folder.glob(".gribble/runs/*.jsonl") if run.stem.isdigit()}
    return [str(number) for number in sorted(found, reverse=True) if str(number).startswith(incomplete)][:MOST_OFFERED]


def schemas(incomplete: str) -> list[str]:
    """The formats of which there is a schema."""
    from gribble.core.answers.schema import SCHEMAS

    return _beginning(SCHEMAS, incomplete)


def one_of(*words: str) -> Any:
    """Some fixed words."""
    return lambda incomplete: _beginning(words, incomplete)


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
    path = _config(context)
    return _toml(path) if path else {}


def _config(context: typer.Context) -> Path | None:
    from gribble.cli.finding import find_config  # which only Tab has use for here

    return find_config(context.obj)


def _toml(path: Path) -> dict[str, Any]:
    """The tables of a file; none if it cannot be read."""
    import tomllib  # the same

    with suppress(OSError, ValueError):
        return tomllib.loads(text_of(read_regular(path, MOST_TEXT)))
    return {}


def _sheets(context: typer.Context) -> Iterator[dict[str, Any]]:
    """The tables of the sheets of all catalogues; those that cannot be read are left out."""
    for folder in _catalogue_folders(context):
        for sheet in sorted(folder.glob("*.sheet.toml")):
            yield _toml(sheet)


def _catalogue_folders(context: typer.Context) -> list[Path]:
    """Where the sheets of the catalogues are, as far as gribble.toml can be read."""
    from gribble.core.catalogue.followed import version_of

    config, listed = _config(context), _tables(context).get("catalogues", [])
    if config is None or not isinstance(listed, list):
        return []
    places = [str(one.get("at", "") if isinstance(one, dict) else one) for one in listed]
    return [version_of(config.parent / Path(place).expanduser()) for place in places]


def followed(context: typer.Context, incomplete: str) -> list[str]:
    """The names of the catalogues that are followed."""
    listed = _tables(context).get("catalogues", [])
    tables = [one for one in listed if isinstance(one, dict)] if isinstance(listed, list) else []
    return _beginning([Path(str(one.get("at", ""))).name for one in tables if one.get("from")], incomplete)


def _rig_tables(context: typer.Context) -> list[dict[str, Any]]:
    tables = _tables(context).get("rig", {})
    return [rig for rig in tables.values() if isinstance(rig, dict)] if isinstance(tables, dict) else []


def _set_names(context: typer.Context, incomplete: str) -> Iterator[str]:
    from gribble.cli.finding import memory_folder
    from gribble.core.catalogue.rosterstore import STORES_FOLDER, RosterStore

    config = _config(context)
    memory = memory_folder(context.obj, config) if config else None
    store = RosterStore(memory / STORES_FOLDER if memory else None)
    for place in _catalogue_folders(context):
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


@contextmanager
def values_apart(stdout: TextIO) -> Iterator[None]:
    """Let a shell complete `--rig=li` as it does `--rig li`, for which the parser looks up values.

    Bash hands such a word over in three parts. The other shells hand it over whole, and expect the whole word back.
    """
    before, answer, kept = "", StringIO(), {name: os.environ[name] for name in _HANDED if name in os.environ}
    if "\n=" in kept.get(_BASH, ""):
        words, at = kept[_BASH].split("\n"), int(kept["COMP_CWORD"])
        os.environ[_BASH] = "\n".join(word for word in words if word != "=")
        os.environ["COMP_CWORD"] = str(at - words[:at].count("="))
    elif match := _JOINED.search(kept.get(_OTHERS, "")):
        before = match[1]
        os.environ[_OTHERS] = f"{kept[_OTHERS][: match.start()]}{before[:-1]} {match[2]}"
    try:
        with redirect_stdout(answer):
            yield
    finally:
        os.environ.update(kept)
        stdout.write(
            _OFFERED.sub(lambda offered: offered[0] + before, answer.getvalue()) if before else answer.getvalue()
        )
