"""Which column of a list is which field: by the shape of its values, then by the words of its head, or as a person
says: "this one is the title", "that one is nothing".

Every guess has its reason, some samples and a degree. One that is only doubtful is never taken without a question.
"""

from __future__ import annotations

import re
from collections.abc import Collection, Iterable, Iterator, Sequence
from typing import NamedTuple

from msgspec import structs

from gribble.core.base.digests import HEX_LENGTHS
from gribble.core.base.errors import GribbleError
from gribble.core.base.paths import base
from gribble.core.base.suggest import suggest
from gribble.core.catalogue.importing.columns import NEVER, Column
from gribble.core.catalogue.importing.rules import rules_for
from gribble.core.catalogue.importing.values import POWER, is_number, one_digest
from gribble.core.catalogue.importing.words import EXACT, has_word, head_points
from gribble.core.records.imported import Degree, Field, Guess, Rules

SAMPLES = 3
"""So many values are shown of each guess."""


class _Points(NamedTuple):
    total: int
    head: int
    fit: int
    field: str
    column: Column


def guess_fields(columns: Sequence[Column], fields: Collection[str]) -> list[Guess]:
    """The fields that some columns have, each column taken once but by several digests."""
    free = {column.name: column for column in columns if column.values}
    found = [guess for name in HEX_LENGTHS if (guess := _digest(name, list(free.values())))]
    for one in found:
        free.pop(one.column, None)
    points = [_points(field, column) for field in fields for column in free.values()]
    points = [_only_number(one, columns) for one in points if one.total > 0 and one.fit > NEVER]
    taken: set[str] = set()
    for best in sorted(points, key=lambda one: (-one.total, -one.head)):
        key = _STAND_FOR.get(best.field, best.field)
        if key not in taken and best.column.name in free:
            rivals = [one for one in points if one.column.name in free and _is_rival(one, best)]
            taken.add(key)
            free.pop(best.column.name)
            found.append(_made(key, best, rivals))
    if "title" in fields and "title" not in taken:
        found += _called_as_names(free.values())
    return in_order(_doubting(one, free.values(), columns) if one.field == "name" else one for one in found)


def _called_as_names(free: Iterable[Column]) -> Iterator[Guess]:
    """The title by a column whose head is that of names, but which has none: "ROM" beside "File name"."""
    for column in free:
        if head_points(column.head, "name") == EXACT and column.fit("title") > 0:
            yield _made("title", _Points(EXACT, EXACT, 0, "title", column), [])
            return


_STAND_FOR = {"unneeded": "level", "works": "state", "set kind": "kind"}
"""What is told in other words than the field that it is."""


def _is_rival(one: _Points, best: _Points) -> bool:
    """Whether another guess has as much for it as the best one, of the same field or the same column."""
    if one.total != best.total or one.column.sparser_than(best.column) or (best.head == EXACT and not one.head):
        return False
    if one.field == "set" and head_points(one.column.head, "title") > head_points(best.column.head, "title"):
        return False  # "Game" beside "Set"
    return (one.field == best.field) != (one.column is best.column)


def _doubting(name: Guess, free: Iterable[Column], columns: Sequence[Column]) -> Guess:
    """The guess of the name, which is doubtful where another column has other names of files in every record."""
    own = next(column for column in columns if column.name == name.column)
    for other in free:
        said = any(head_points(other.head, field) == EXACT for field in _NO_NAMES)
        if said or other.fit("name") < EXACT or other.sparser_than(own) or other.name == own.name:
            continue
        pairs = zip(own.every, other.every, strict=False)
        if not all(base(one.replace("\\", "/")) == base(two.replace("\\", "/")) for one, two in pairs):
            reason = f"{name.reason}, but {other.head} also has names of files"
            return structs.replace(name, degree=Degree.DOUBTFUL, reason=reason, other=f"{other.name}=name")
    return name


_NO_NAMES = ("title", "note", "why", "machine", "version", "label", "region")
"""What a column with a head of its own is, whatever its values look like."""

_ORDER = ("set", "name", "aliases", "title", "kind", "level", "machine", "folder")


def in_order(guesses: Iterable[Guess]) -> list[Guess]:
    """Guesses in the order in which a person asks: which file, what it is, and last its digests."""
    places = {field: place for place, field in enumerate(_ORDER)}
    return sorted(guesses, key=lambda one: (one.field in HEX_LENGTHS, places.get(one.field, len(places))))


def _points(field: str, column: Column) -> _Points:
    head = head_points(column.head, "kind" if field == "set kind" else field)
    fit = column.fit(field)
    if not head and (field not in _BY_SHAPE or fit < _BY_SHAPE[field]):
        return _Points(NEVER, head, fit, field, column)
    return _Points(head + fit, head, fit, field, column)


def _only_number(point: _Points, columns: Sequence[Column]) -> _Points:
    """The points of a size that no head names, with one more where nothing else is a number."""
    if point.field != "size" or point.head:
        return point
    others = (one for one in columns if one is not point.column and one.values and not one.digests)
    numbers = any(one.share(is_number) > 0.5 for one in others)
    return point if numbers else point._replace(total=point.total + 1)


_BY_SHAPE = {"name": 3, "size": 2, "year": 3, "kind": 3, "set kind": 3, "level": 3, "state": 3}
"""Fields that can be told by their values alone, and how well these have to fit."""


def _made(field: str, best: _Points, rivals: list[_Points]) -> Guess:
    column = best.column
    rules, words, assumed, unsure = rules_for(best.field, column)
    reasons = ["called so"] if best.head else []
    reasons += [_SHAPES[best.field]] if best.fit > 0 and best.field in _SHAPES else []
    if rivals:
        other = rivals[0]
        same = other.column is column
        reasons.append(f"it could also be {other.field}" if same else f"{other.column.head} would also fit")
    if unsure:
        reasons.append(unsure)
    if rivals or unsure or best.fit < 0 or best.total < 3:
        degree = Degree.DOUBTFUL
    else:
        degree = Degree.ASSUMED if assumed else Degree.SURE if best.total >= 5 else Degree.LIKELY
    return Guess(
        field=field, column=column.name, rules=rules, degree=degree, reason=", ".join(reasons), words=words,
        samples=_samples(column), other=f"{rivals[0].column.name}={rivals[0].field}" if rivals else "",
    )  # fmt: skip


_SHAPES = {
    "name": "names of files",
    "aliases": "names of files",
    "size": "sizes",
    "year": "years",
    "kind": "words for kinds",
    "set kind": "words for kinds",
    "level": "words for levels",
    "state": "words for states",
    "plays": "words for how it plays",
}


def _samples(column: Column) -> tuple[str, ...]:
    return tuple(" / ".join(word.split("\n")) for word in list(column.words)[:SAMPLES])


def _digest(name: str, columns: list[Column]) -> Guess | None:
    """The column that holds digests of one kind."""
    best = _with_digests(name, columns)
    if not best:
        return None
    column = best[0]
    several = len(column.digests) > 1
    share, rules = column.digests.get(name, 0), digest_rules(name, column)
    degree = Degree.SURE if share >= 0.9 or (several and share >= 0.3) else Degree.LIKELY
    reasons = [f"{HEX_LENGTHS[name]} hex digits"]
    if len(best) > 1:
        degree = Degree.DOUBTFUL
        reasons.append(f"{best[1].head} also has them")
    elif share < 0.5 and not several and not rules[0].pad:
        degree = Degree.DOUBTFUL
        reasons.append(f"in {share:.0%} of them only")
    other = f"{best[1].name}={name}" if len(best) > 1 else ""
    reasons += ["leading zeros that a spreadsheet dropped put back"] if rules[0].pad else []
    return Guess(
        field=name, column=column.name, rules=rules, degree=degree, reason=", ".join(reasons),
        samples=_samples(column), other=other,
    )  # fmt: skip


def _with_digests(name: str, columns: list[Column]) -> list[Column]:
    """The columns that hold digests of one kind, or what looks like some under their name. Of these those with the
    name, if there are any."""
    columns = [column for column in columns if not has_word(column.head, "other digest")]
    holds = [column for column in columns if column.digests.get(name, 0) >= 0.3]
    headed = [column for column in columns if head_points(column.head, name)]
    holds = holds or [column for column in headed if column.share(lambda text: not set(text) - _HEXISH) > 0.5]
    return [column for column in holds if column in headed] or holds


def digest_rules(name: str, column: Column) -> Rules:
    """How a digest is taken from a column: as it is there, out of a longer text, or with the leading zeros of those
    that a spreadsheet took for numbers."""
    words = [one_digest(word, HEX_LENGTHS[name]) for word in column.words]
    plain = all(len(word.split()) == 1 and not set(word) - _HEXISH for word in words)
    alone = plain and len(column.digests) < 2
    short = [word for word in words if len(word) < HEX_LENGTHS[name]]
    numbers = list(filter(_IS_NUMBER, short))
    dropped = bool(numbers and head_points(column.head, name)) and all(
        word in numbers or word == "0" or POWER.match(word) for word in short
    )
    return (Field(from_=column.name, pad=dropped),) if alone else (Field(from_=column.name, pick=True),)


_IS_NUMBER = re.compile(r"[1-9][0-9]*").fullmatch
_HEXISH = frozenset("0123456789abcdefABCDEFxX:-.,+")


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
