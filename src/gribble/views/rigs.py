"""Where the rigs are, and where each emulator looks."""

from __future__ import annotations

import os
from collections.abc import Mapping, Sequence
from typing import Any

from rich.text import Text

from gribble.core.answers.entering import OnRig
from gribble.core.base.amounts import count
from gribble.core.records.config import Rig, Source
from gribble.views.looks import QUIET, shorten
from gribble.views.screen import Screen, styled


def show_rigs(
    screen: Screen,
    rigs: Mapping[str, Rig],
    found: Mapping[str, Sequence[OnRig]],
    away: Mapping[str, str],
    *,
    in_full: bool,
) -> None:
    """Each rig with its place, and its emulators with the folder where each looks; `in_full` with every folder."""
    if not rigs:
        screen.say("There is not a rig in gribble.toml yet.")
        return
    there = [one for name in rigs for one in found[name]]
    absent = sum(one.there is False for one in there)
    told = f"; {count(absent, 'folder')} not there" if absent else ""
    screen.say(styled(count(len(rigs), "rig"), "bold"), f", {count(len(there), 'emulator')}{told}")
    for name, rig in rigs.items():
        more = [f"like {rig.like}"] if rig.like else []
        more += [away[name]] if name in away else []
        aside = styled("".join(f"  {one}" for one in more), QUIET)
        screen.say(styled(f"\n{name}", "bold"), f"  {shorten(rig.at)}", aside)
        rows: list[tuple[str | Text, ...]] = []
        for one in found[name]:
            rows.append((one.called, f"in {one.folder or 'the root'}", styled(_remark(one), QUIET)))
            if in_full:
                rows += [("", f"  {key}  {folder}", styled(_there(there), QUIET)) for key, folder, there in one.folders]
                rows += [("", f"  {key}: {words}", "") for key, words in one.said.items()]
        screen.grid(rows)
        if not rows:
            screen.say("  no emulator yet")


def _remark(one: OnRig) -> str:
    return "has no sheet that can be used" if one.there is None and one.no_sheet else _there(one.there)


def _there(there: bool | None) -> str:
    return "not there" if there is False else ""


def rigs_json(rigs: Mapping[str, Rig], found: Mapping[str, Sequence[OnRig]], away: Mapping[str, str]) -> dict[str, Any]:
    """The same as JSON: `gribble: rigs/1`."""
    return {
        "gribble": "rigs/1",
        "rigs": [
            {
                "rig": name,
                "at": rig.at,
                "like": rig.like,
                "away": away.get(name),
                "emulators": [
                    {
                        "emulator": one.emulator,
                        "release": one.release,
                        "in": one.folder,
                        "there": one.there,
                        "folders": [{"key": key, "path": folder, "there": there} for key, folder, there in one.folders],
                    }
                    for one in found[name]
                ],
            }
            for name, rig in rigs.items()
        ],
    }


def show_sources(screen: Screen, sources: Sequence[Source]) -> None:
    """Each source, and whether it is there."""
    if not sources:
        screen.say("There is no source in gribble.toml yet.")
    there = {one.at: "" if os.path.isdir(one.at) else "not there now" for one in sources}
    screen.grid(
        [(styled(shorten(one.at), "bold"), one.name, styled(there[one.at], QUIET)) for one in sources], indent=0
    )


def sources_json(sources: Sequence[Source]) -> dict[str, Any]:
    """The same as JSON: `gribble: sources/1`."""
    return {
        "gribble": "sources/1",
        "sources": [{"at": one.at, "name": one.name or None, "there": os.path.isdir(one.at)} for one in sources],
    }
