"""A sheet is tried before it takes the place of another."""

from __future__ import annotations

from pathlib import Path

from gribble.core.base.errors import Mistake, MistakesError
from gribble.core.catalogue.sheets import load_sheet


def check_sheet(target: Path, text: str) -> None:
    """Raise MistakesError where the sheet to be written would have mistakes; nothing is changed then."""
    sheet, mistakes = load_sheet(target, text)
    if sheet is None:
        raise MistakesError([Mistake(str(target), one.where, f"as it would be: {one.what}") for one in mistakes])
