"""What an import met."""

from __future__ import annotations

import re
from collections import Counter
from collections.abc import Iterable, Mapping
from enum import StrEnum
from typing import Any, NamedTuple

import msgspec
from msgspec import Struct, field, structs

from gribble.core.records.roster import ArcadeSet
from gribble.core.records.sheet import Accept


class ListFormat(StrEnum):
    """The formats of lists."""

    CSV = "csv"
    TSV = "tsv"
    JSON = "json"
    JSONL = "jsonl"
    XML = "xml"
    HTML = "html"
    MARKDOWN = "markdown"
    TEXT = "text"
    KEYS = "keys"
    WORKBOOK = "workbook"
    CHECKSUMS = "checksums"
    LIST = "list"
    YAML = "yaml"
    TOML = "toml"
    BLOCKS = "blocks"


class Field(Struct, frozen=True, kw_only=True):
    """A rule: where one value comes from and how it is converted.

    `prefix` and `suffix` fall away; `pad` puts back the zeros that a spreadsheet dropped; `unit` is what a number
    counts (B, KiB, kB, …), with `binary` a K is 1,024 in any spelling (or what `kilo` says), and `decimal` is the sign
    before its fraction; with `hex` it is written to the base of sixteen;
    `values` says what a word stands for, "*" any other; `split` are what stands between several values; `labels` says
    that words in brackets behind a value are its label; `pick` takes digests out of a longer text. `kind` takes
    only what names a set of that kind, of `variants` those come first that say yes at `first`, a path beside theirs;
    with `down` a record that says nothing is as the one before it; `part` takes a part of a text: the first folder of
    a path or what is in it, a name or the title beside it.
    """

    from_: str = field(name="from")
    prefix: str = ""
    suffix: str = ""
    pad: bool = False
    unit: str = ""
    values: dict[str, str] = {}
    binary: bool = False
    kilo: int = 1024
    hex: bool = False
    decimal: str = ""
    split: tuple[str, ...] = ()
    labels: bool = False
    pick: bool = False
    kind: str = ""
    first: str = ""
    down: bool = False
    part: str = ""
    default: str | None = None


Rules = tuple[Field, ...]
"""The rules of a field, of which the first that gives a value wins."""


class Inner(Struct, frozen=True, kw_only=True):
    """Records inside a record, such as the files or discs of a set; `records` is their path from it."""

    records: str
    fields: dict[str, Rules] = {}


class FieldMap(Struct, frozen=True, kw_only=True):
    """A field map as the user wrote it. Of a list for several emulators it takes `only` the records that say a word at
    a path; an empty one says what the one before it does."""

    map: int
    records: str = ""
    format: ListFormat | None = None
    encoding: str = ""
    delimiter: str = ""
    table: int | None = None
    only: dict[str, str] = {}
    fields: dict[str, Rules] = {}
    files: Inner | None = None
    discs: Inner | None = None
    sheet: dict[str, Any] = {}
    roster: dict[str, Any] = {}

    @property
    def target(self) -> str:
        """What a list becomes by it: a sheet or a roster where it names one; else it may say what plays."""
        says = "plays" if "plays" in self.fields else "sheet"
        return "sheet" if self.sheet else "roster" if self.roster else says

    @property
    def asks_kinds(self) -> bool:
        """Whether the kinds of all sets have to be known before: a rule takes only what names sets of one kind, or no
        kinds are said, and sets are named as what only those of one kind are."""
        named = "kind" not in self.fields and not {"bios", "devices"}.isdisjoint(self.fields)
        return named or any(rule.kind for rules in self.fields.values() for rule in rules)

    @property
    def says_above(self) -> bool:
        """Whether it takes anything from what a record is in (`^name`)."""
        paths = [*self.only, *(rule.from_ for rules in self.fields.values() for rule in rules)]
        return any(path.startswith("^") for path in paths)


MOST_MISTAKES = 20
"""How many kinds of mistakes are told."""

NAMES_TOLD = 3
"""How many records are named of each kind."""


class Alike(Struct):
    """Mistakes of one kind: the first of them, how many there are, and the records of some."""

    first: str
    count: int = 0
    places: list[str] = []
    field: str = ""
    of_map: bool = False

    @property
    def words(self) -> str:
        """All of them in one line."""
        more = self.count - 1
        named = f": {', '.join(self.places)}{' …' if len(self.places) < more else ''}" if self.places else ""
        return self.first + (f" (and {more:,} more{named})" if more else "")


class Tally(Struct):
    """What an import met: records, duplicates dropped, mistakes by kind, years that the list marks as guesses, digests
    that a spreadsheet spoiled beside better ones, what the list says is bad or nobody has, values left over."""

    records: int = 0
    duplicates: int = 0
    faulty: int = 0
    kinds: dict[tuple[str, str], Alike] = {}
    unsure: int = 0
    spoiled: int = 0
    bad: int = 0
    left_over: Counter[str] = msgspec.field(default_factory=Counter)

    def fault(self, where: str, what: str, *, field: str = "", of_map: bool = False) -> None:
        """Note one mistake, of a field or of a whole record."""
        self.faulty += 1
        key = field, re.sub(r'"[^"]*"|\d+', "…", what)
        first = f"{where}{f', {field}' if field else ''}: {what}"
        alike = self.kinds.setdefault(key, Alike(first=first, field=field, of_map=of_map))
        alike.count += 1
        if 1 < alike.count <= NAMES_TOLD + 1:
            alike.places.append(where)

    @property
    def mistakes(self) -> list[str]:
        """The kinds of mistakes in words, the first of them."""
        told = [one.words for one in list(self.kinds.values())[:MOST_MISTAKES]]
        more = len(self.kinds) - len(told)
        return [*told, *([f"and {more:,} other kinds of mistakes"] if more else [])]


class Looks(NamedTuple):
    """What a list is; `guessed` says that its encoding is only likely."""

    format: ListFormat
    encoding: str = ""
    delimiter: str = ""
    guessed: bool = False


class Named(NamedTuple):
    """A name that was guessed, and what it was taken from."""

    name: str
    source: str


class Degree(StrEnum):
    """How sure a guess is; `assumed` is one that holds unless somebody says otherwise, as of units."""

    SURE = "sure"
    LIKELY = "likely"
    ASSUMED = "assumed"
    DOUBTFUL = "doubtful"


class Weight(StrEnum):
    """What makes a column matter from which nothing is taken, most first."""

    NAMES = "names other records"
    DIGESTS = "has digests"
    FILES = "names files"
    LEVELS = "says how much is needed"
    LITTLE = ""


class Guess(Struct, frozen=True, kw_only=True):
    """A field, the column that it is taken from, and by which rules; why, and what its values are like."""

    field: str
    column: str
    rules: Rules
    degree: Degree
    reason: str
    samples: tuple[str, ...] = ()
    words: str = ""
    """What is done with the values, such as "yes is must"."""
    other: str = ""
    """Another reading that has as much for it, as `COLUMN=FIELD`."""


class Understood(NamedTuple):
    """A need as it was understood: where its file belongs, what is said of it, and what it may hold."""

    place: str
    facts: tuple[str, ...]
    accepts: tuple[Accept, ...]


class Preview(NamedTuple):
    """Some needs as they were understood: the first, the last, and the one least like the others, where these are not
    among the first; how many there are in all, of which level, and without any digest."""

    first: list[Understood]
    last: Understood | None
    odd: Understood | None
    total: int
    levels: Mapping[str, int]
    bare: int


class SetsSeen(NamedTuple):
    """The sets of a list: how many there are of what, the last one, and the one least like the others (None if all
    are alike)."""

    counts: Mapping[str, int]
    last: ArcadeSet | None
    odd: ArcadeSet | None


class Drafted(Struct, frozen=True, kw_only=True):
    """A drafted map for a "sheet" or a "roster", and what led to it.

    `guesses` are of the records, `inner` of the files within; `named` says where emulator and release were taken from.
    `left` are columns that nothing is taken from, and why that may matter, what matters most first; `notes` say what
    else is left out. `others` are the emulators whose files are not taken, since another one was asked for.
    """

    to: str
    made: FieldMap
    guesses: tuple[Guess, ...]
    inner: tuple[Guess, ...] = ()
    discs: tuple[Guess, ...] = ()
    named: dict[str, Named] = {}
    left: dict[str, Weight] = {}
    notes: tuple[str, ...] = ()
    others: tuple[str, ...] = ()
    looks: Looks

    @property
    def every(self) -> tuple[Guess, ...]:
        """Every guess, wherever its field is."""
        return (*self.guesses, *self.inner, *self.discs)

    @property
    def doubtful(self) -> tuple[Guess, ...]:
        """The guesses that are not taken unasked."""
        return tuple(one for one in self.every if one.degree is Degree.DOUBTFUL)

    def settled(self, guesses: Iterable[Guess]) -> Drafted:
        """The same with some guesses that are doubtful no more, since somebody was asked."""
        agreed = list(guesses)

        def sure(group: tuple[Guess, ...]) -> tuple[Guess, ...]:
            return tuple(structs.replace(one, degree=Degree.SURE) if one in agreed else one for one in group)

        return structs.replace(self, guesses=sure(self.guesses), inner=sure(self.inner), discs=sure(self.discs))

    def with_empty(self, guess: Guess, word: str) -> Drafted:
        """The same where an empty cell of a column stands for a word; empty if it says nothing."""
        rules = tuple(structs.replace(rule, default=word or None) for rule in guess.rules)
        guesses = tuple(structs.replace(one, rules=rules) if one is guess else one for one in self.guesses)
        made = structs.replace(self.made, fields={**self.made.fields, guess.field: rules})
        return structs.replace(self, guesses=guesses, made=made)

    def without(self, guesses: Iterable[Guess]) -> Drafted:
        """The same with some fields left out."""
        gone = list(guesses)

        def kept(fields: dict[str, Any], group: tuple[Guess, ...]) -> dict[str, Any]:
            out = {one.field for one in group if one in gone}
            return {name: rules for name, rules in fields.items() if name not in out}

        made = structs.replace(
            self.made,
            fields=kept(self.made.fields, self.guesses),
            files=self.made.files and structs.replace(self.made.files, fields=kept(self.made.files.fields, self.inner)),
            discs=self.made.discs and structs.replace(self.made.discs, fields=kept(self.made.discs.fields, self.discs)),
        )
        return structs.replace(self, made=made)
