"""An integer linear program, by which the best selection of sets for a card is found, and what a solver finds of it."""

from __future__ import annotations

import math
from collections.abc import Mapping, Sequence

from msgspec import Struct


class Row(Struct, frozen=True):
    """One demand on a program: what some columns, by number, times a factor each, come to together."""

    factors: Mapping[int, float]
    least: float = -math.inf
    most: float = math.inf


class Program(Struct, frozen=True, kw_only=True):
    """What is to be as great as possible: the sum of the columns, each times its worth, under all rows.

    Each column lies between its two bounds; the first `whole` ones are whole numbers.
    """

    worths: Sequence[float]
    bounds: Sequence[tuple[float, float]]
    rows: Sequence[Row]
    whole: int


class Solved(Struct, frozen=True):
    """The columns that were found (none if there was no time for any), and the worth that no others exceed."""

    columns: tuple[float, ...]
    bound: float
