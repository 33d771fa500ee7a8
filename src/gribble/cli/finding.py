"""Where the configuration is, and what Gribble remembers beside it."""

from __future__ import annotations

import os
from pathlib import Path

from platformdirs import user_config_path

from gribble.cli.environment import Environment
from gribble.core.base.errors import ExitCode, GribbleError
from gribble.core.base.paths import MEMORY_FOLDER, is_link

CONFIG_NAME = "gribble.toml"


def find_config(environment: Environment, given: str | None = None) -> Path | None:
    """gribble.toml by `--config`, `$GRIBBLE_CONFIG`, the working folder upwards, then the user's config folder."""
    named = given or environment.env.get("GRIBBLE_CONFIG")
    if named:
        path = environment.path(named)
        return path / CONFIG_NAME if os.path.isdir(path) else path
    here = environment.cwd
    for folder in (here, *here.parents):
        if os.path.isfile(folder / CONFIG_NAME):
            return folder / CONFIG_NAME
    path = user_config_path("gribble") / CONFIG_NAME
    return path if os.path.isfile(path) else None


def taken_out_of(environment: Environment, path: Path) -> Path | None:
    """Where it is remembered what was taken out of a gribble.toml."""
    memory = memory_folder(environment, path)
    return memory / "taken-out.json" if memory else None


def memory_folder(environment: Environment, path: Path | None) -> Path | None:
    """Where the index and the stores of rosters live: `$GRIBBLE_HOME`, or `.gribble` beside gribble.toml. Raises
    GribbleError where that one is a link."""
    home = environment.env.get("GRIBBLE_HOME")
    if home:
        return environment.path(home)
    folder = path.parent / MEMORY_FOLDER if path else None
    if folder is not None and is_link(folder):
        raise GribbleError(
            f"{folder} is a link, and Gribble does not follow links to its own files",
            fix="Nothing was changed. Remove the link, or name the folder that it leads to in $GRIBBLE_HOME.",
            code=ExitCode.FAILED,
        )
    return folder
