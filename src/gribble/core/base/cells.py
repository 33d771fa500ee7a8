"""Cells of tables that spreadsheets open: what could be taken for a formula is kept from being one, and read again."""

from __future__ import annotations

from gribble.core.base.paths import visible

_FORMULAS = ("=", "+", "-", "@", "＝", "＋", "－", "＠")
"""What a cell begins with that a spreadsheet could take for a formula; the wide forms count in some."""


def guarded_cell(text: str) -> str:
    """A cell that no spreadsheet takes for a formula, with nothing invisible in it."""
    plain = visible(text, " ")
    return f"'{plain}" if plain.lstrip().startswith(_FORMULAS) or text != text.lstrip("\t\r") else plain


def unguarded_cell(cell: str) -> str:
    """A cell without the sign that kept it from being a formula."""
    return cell[1:] if cell.startswith("'") and cell[1:].lstrip().startswith(_FORMULAS) else cell
