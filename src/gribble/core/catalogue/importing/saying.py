"""What a person says of the columns of a list, in place of a guess: "this one is the title", "that one is nothing"."""

from __future__ import annotations

from collections.abc import Collection, Iterable
from typing import NamedTuple

from gribble.core.base.digests import HEX_LENGTHS
from gribble.core.base.errors import GribbleError
from gribble.core.base.suggest import suggest
from gribble.core.catalogue.importing.columns import Column
from gribble.core.catalogue.importing.guessing import digest_rules
from gribble.core.catalogue.importing.rules import rules_for
from gribble.core.catalogue.importing.words import head_points
from gribble.core.records.imported import Degree, Guess

NOTHING = "nothing"
"""What a column is said to be of which nothing shall be taken."""


class Said(NamedTuple):
    """A column of a list, by its head or path, and the field that it is."""

    column: str
    field: str

    def means(self, name: str, head: str = "") -> bool:
        """Whether a column of this name, or with this head, is meant: in any letters, with or without an @."""
        return self.column.lstrip("@").casefold() in {name.lstrip("@").casefold(), head.lstrip("@").casefold()} - {""}


def read_said(text: str) -> Said:
    """What somebody says as `COLUMN=FIELD`. Raises GribbleError."""
    column, sign, field = text.rpartition("=")
    if not (column.strip() and sign and field.strip()):
        raise GribbleError(f"--field {text} is not COLUMN=FIELD", fix="For example: --field 'Notes=why'")
    return Said(column.strip(), field.strip())


def as_said(
    guesses: list[Guess], columns: Iterable[Column], said: Iterable[Said], fields: Collection[str], way: str = ""
) -> tuple[list[Guess], set[Said]]:
    """The guesses as somebody says that they are, and what of that was meant for these columns, which are at a `way`
    within their records. Raises GribbleError for a field that none can be."""
    met = set()
    for one in said:
        for column in columns:
            inside = f"{way}/{column.name.lstrip('@')}" if way else ""
            if not (one.means(column.name, column.head) or (inside and one.means(inside))):
                continue
            met.add(one)
            guesses = [each for each in guesses if each.column != column.name]
            if one.field == NOTHING:
                break
            if one.field not in fields:
                near = suggest(one.field, list(fields))
                raise GribbleError(
                    f"--field {one.column}={one.field}: there is no field {one.field} here{near}",
                    fix=f"It can be {', '.join(fields)} or {NOTHING}.",
                )
            guesses = [*(each for each in guesses if each.field != one.field), _guess(column, one.field)]
            break
    return guesses, met


def _guess(column: Column, field: str) -> Guess:
    """What somebody says, as a guess that is sure, with the rules that fit the column's values."""
    turned = field == "level" and head_points(column.head, "unneeded")
    if field in HEX_LENGTHS:
        rules, words = digest_rules(field, column), ""
    else:
        rules, words, _, _ = rules_for("unneeded" if turned else field, column)
    return Guess(
        field=field, column=column.name, rules=rules, degree=Degree.SURE, reason="as you say", words=words,
        samples=tuple(" / ".join(word.split("\n")) for word in list(column.words)[:3]),
    )  # fmt: skip


def refuse_unmet(said: Iterable[Said], met: Collection[Said], columns: Iterable[str]) -> None:
    """Raise GribbleError for what was said of a column that is not there."""
    names = [name.lstrip("@") for name in columns]
    for one in said:
        if one not in met:
            raise GribbleError(
                f"--field {one.column}={one.field}: the list has no column {one.column}{suggest(one.column, names)}",
                fix=f"It has {', '.join(names)}.",
            )
