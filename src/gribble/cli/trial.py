"""A sheet is tried before it takes the place of another."""

from __future__ import annotations

from pathlib import Path

from gribble.core.base.changing import remove
from gribble.core.base.errors import Mistake, MistakesError
from gribble.core.catalogue.sheets import load_sheet
from gribble.stores.local import write_new


def check_sheet(target: Path, text: str) -> None:
    """Raise MistakesError where the sheet to be written would have mistakes; nothing is changed then."""
    trial = target.with_name(f".trial-of-{target.name}")
    remove(trial, missing_ok=True)
    write_new(trial, text.encode())
    try:
        sheet, mistakes = load_sheet(trial)
    finally:
        remove(trial)
    if sheet is None:
        raise MistakesError([Mistake(str(target), one.where, f"as it would be: {one.what}") for one in mistakes])
