"""Where the configuration is, and what Gribble remembers beside it."""

from __future__ import annotations

import os
from pathlib import Path

from platformdirs import user_config_path

from gribble.cli.environment import Environment
from gribble.core.base.paths import MEMORY_FOLDER

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


def memory_folder(environment: Environment, path: Path | None) -> Path | None:
    """Where the index and the stores of rosters live: `$GRIBBLE_HOME`, or `.gribble` beside gribble.toml."""
    home = environment.env.get("GRIBBLE_HOME")
    if home:
        return environment.path(home)
    return path.parent / MEMORY_FOLDER if path else None
