"""Where the configuration is, and what Gribble remembers beside it."""

from __future__ import annotations

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
        return path / CONFIG_NAME if path.is_dir() else path
    here = environment.cwd
    for folder in (here, *here.parents):
        if (folder / CONFIG_NAME).is_file():
            return folder / CONFIG_NAME
    path = user_config_path("gribble") / CONFIG_NAME
    return path if path.is_file() else None


def memory_folder(environment: Environment, path: Path | None) -> Path | None:
    """Where the index and the stores of rosters live: `$GRIBBLE_HOME`, or `.gribble` beside gribble.toml."""
    home = environment.env.get("GRIBBLE_HOME")
    if home:
        return environment.path(home)
    return path.parent / MEMORY_FOLDER if path else None
