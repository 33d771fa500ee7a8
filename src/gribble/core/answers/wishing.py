"""The list of wanted sets, made and changed by words, years, makers, families and what is held; pure."""

from __future__ import annotations

import re
from collections.abc import Container, Iterable, Iterator, Mapping
from enum import StrEnum
from itertools import takewhile
from typing import NamedTuple

from msgspec import Struct

from gribble.core.base.names import title_key, words_of
from gribble.core.catalogue.families import Wish, entry_of, read_wish, set_called, set_name, sets_called
from gribble.core.records.roster import ArcadeSet, Roster, SetKind, Sets


class How(StrEnum):
    """What becomes of the list that is there."""

    ADD = "add"
    INSTEAD = "instead"
    WITHOUT = "without"


class Pick(NamedTuple):
    """Which sets are meant: by `words` (names, titles, or words in titles) and by the `lines` of a list; of these, or
    of all games, those of some years and of a maker, and only what is among `held` where that counts. A `family` is
    taken as a whole."""

    words: tuple[str, ...] = ()
    lines: tuple[str, ...] = ()
    years: tuple[int, int] | None = None
    maker: str = ""
    held: Container[str] | None = None
    family: bool = False


class Picked(Struct, frozen=True, kw_only=True):
    """The sets that are meant, each with what it is worth; the lines that could mean several, and those that mean
    none."""

    sets: dict[str, float]
    unclear: tuple[Wish, ...] = ()
    unknown: tuple[str, ...] = ()


def pick(roster: Roster, asked: Pick) -> Picked:
    """The sets of a roster that somebody means."""
    sets, chosen, unclear, unknown = roster.sets, dict[str, float](), [], []
    for word in asked.words:
        if found := sets_called(sets, word) or titled_with(sets, word):
            chosen.update(dict.fromkeys(found, 1.0))
        else:
            unknown.append(word)
    for wish in (wish for line in asked.lines for wish in _wishes_in(line, sets)):
        if len(wish.sets) > 1:
            unclear.append(wish)
        elif wish.sets[0] in sets:
            chosen[wish.sets[0]] = wish.weight
        else:
            unknown.append(wish.words)
    if not (asked.words or asked.lines):
        chosen = {one.set: 1.0 for one in sets.values() if one.kind is SetKind.GAME}
    narrows = asked.years is not None or asked.maker or asked.held is not None
    kept = {name: worth for name, worth in chosen.items() if not narrows or _fits(sets[name], asked)}
    if asked.family:
        for name in list(kept):
            kept |= dict.fromkeys(_family(sets, name) - kept.keys(), 1.0)
    return Picked(sets=kept, unclear=tuple(unclear), unknown=tuple(unknown))


_TAG = re.compile(r"<[^<>]*>")
_LINK = re.compile(r"\[([^\[\]]+)\]\([^()\s]*\)")
_MARK = re.compile(r"^\s*(?:[-*+•·]|\d{1,4}[.):]|\[\d{1,4}\])?\s*(?:\[[ xX✓✔]?\])?\s*")
_CELL = re.compile(r'(?:"[^"]*"|\([^()]*\)|\[[^\[\]]*\]|[^,;])+')
_WORDLESS = re.compile(r"(?:[^\w\t;|,:]*(?:\d+[^\w\t;|,:]*)?(?:[\t;|,:]|\s[-–—]\s|\s{2}))+")
_END = re.compile(r"""\s*(?:[\t;|,(\["”»★☆]|\s\s)|\s[-–—:]\s|:\s|\sby\s|\s\d{1,3}(?:/\d|\s?%)|$""")
_ARCHIVE = re.compile(r"(?:.*[/\\])?([^/\\]+?\.(?:zip|7z))\b.*", re.IGNORECASE)
_YEAR = re.compile(r"(?<!\d)(?:19|20)\d\d(?!\d)")
_DATED = re.compile(r"(.+) ((?:19|20)\d\d)")
_QUOTES = " \t\"'“”„‚‘’«»*_`"
LONGEST_TITLE, LONGEST_PATH = 200, 4096
"""How many signs of a line are looked at for a title, or an archive's path."""


def _wishes_in(line: str, sets: Sets) -> list[Wish]:
    """What a line of somebody's list means: all of it, or several sets between commas, or a title at its beginning,
    behind bullets, numbers and quotes, with whatever stands beside it. A line that means none is told as it is."""
    if known := _meant(line, "", sets):
        return [known]
    plain = _MARK.sub("", _TAG.sub("\t", _LINK.sub("\\1\t", line)), count=1).strip()
    cells = _CELL.findall(plain)
    several = [wish for wish in takewhile(bool, (_meant(cell, "", sets) for cell in cells)) if wish]
    if 1 < len(several) == len(cells):
        return _told_once(several, sets)
    for words, beside in _readings(plain):
        if known := _meant(words, beside, sets):
            return [known._replace(words=line)]
    if dated := _YEAR.match(plain):
        for words, beside in _readings(plain[dated.end() :].lstrip()):
            if (known := _meant(words, beside, sets)) and str(sets[known.sets[0]].year) == dated[0]:
                return [known._replace(words=line)]
    return [read_wish(line, sets)] if any(map(str.isalnum, line)) else []


def _meant(words: str, beside: str, sets: Sets) -> Wish | None:
    """The sets that words mean; of several of a title the one whose name, year or maker stands beside it."""
    words = words.strip(_QUOTES)
    wish = Wish(words, tuple(sets_called(sets, words)) or (words,)) if beside else read_wish(words, sets)
    if wish.sets[0] not in sets:
        return None
    dated = _DATED.fullmatch(words) if wish.weight != 1 else None
    if dated and any(str(sets[name].year) == dated[2] for name in sets.titled(dated[1], like=True)):
        return _meant(dated[1], dated[2], sets)
    if beside and wish.sets != (set_called(sets, words),):
        wish = wish._replace(sets=next(filter(None, _told_beside(words, beside, sets)), wish.sets))
    return wish


def _told_beside(words: str, beside: str, sets: Sets) -> Iterator[tuple[str, ...]]:
    """The one set of a title whose name, words in brackets, maker and year, year, or maker is among other words; empty
    where it is not one."""
    found = [sets[name] for name in sets.titled(words, like=True)]
    names, years, said = set(re.split(r"[\s,;|]+", beside)), set(_YEAR.findall(beside)), title_key(beside)
    of_year = {one.set for one in found if str(one.year) in years}
    of_maker = {one.set for one in found if one.maker and title_key(one.maker) in said}
    behind = {one.set: set(words_of(one.title).split()) - set(words_of(words).split()) for one in found}
    of_words = {name for name, more in behind.items() if more and more <= set(words_of(beside).split())}
    for those in ({one.set for one in found} & names, of_words, of_year & of_maker, of_year, of_maker):
        yield tuple(those) if len(those) == 1 else ()


def _told_once(wishes: list[Wish], sets: Sets) -> list[Wish]:
    """The wishes of a line without titles of sets that are named beside them."""
    named = {wish.sets[0] for wish in wishes if wish.sets == (set_name(wish.words),)}
    titled = (wish for wish in wishes if set_name(wish.words) not in named)
    again = {wish.words for wish in titled if not named.isdisjoint(sets.titled(wish.words, like=True))}
    return [wish for wish in wishes if wish.words not in again]


def _readings(plain: str) -> Iterator[tuple[str, str]]:
    """The words by which a line may name a set, each with those beside it: the longest first."""
    begin = found.end() if (found := _WORDLESS.match(plain[:LONGEST_TITLE])) else 0
    for start in dict.fromkeys((0, begin)):
        text = plain[start:]
        ends = [end.start() for end in _END.finditer(text, 1, LONGEST_TITLE)]
        for end in reversed(ends):
            if text.count("(", 0, end) == text.count(")", 0, end):
                yield text[:end], f"{plain[:start]} {text[end:]}".strip()
    if archive := _ARCHIVE.fullmatch(plain[:LONGEST_PATH]):
        yield archive[1], ""


def titled_with(sets: Sets, word: str) -> list[str]:
    """The games in whose titles some words stand together, but clones of one that is among them."""
    key = f" {words_of(word)} "
    found = {
        one.set: one.parent
        for one in sets.values()
        if key.strip() and one.kind is SetKind.GAME and key in f" {words_of(one.title)} "
    }
    return [name for name, parent in found.items() if parent not in found]


def _fits(one: ArcadeSet, asked: Pick) -> bool:
    first, last = asked.years or (0, 9999)
    in_years = asked.years is None or (one.year is not None and first <= one.year <= last)
    of_maker = not asked.maker or title_key(asked.maker) in title_key(one.maker)
    return in_years and of_maker and (asked.held is None or one.set in asked.held)


def _family(sets: Sets, name: str) -> set[str]:
    """A set with its parent and all clones of that."""
    top = sets[name].parent or name
    return {one for one in (name, top, *sets.clones(top)) if one in sets}


def changed_list(entries: Iterable[str], picked: Mapping[str, float], how: How, sets: Sets) -> list[str]:
    """The entries of a list of wanted sets after a change: those that stay are as they were written."""
    there = [(entry, read_wish(entry, sets).sets) for entry in entries]
    if how is How.WITHOUT:
        return [entry for entry, names in there if not set(names) <= picked.keys()]
    stays = [] if how is How.INSTEAD else there
    known = {name for _, names in stays for name in names}
    new = [f"{name} {worth:g}" if worth != 1 else name for name, worth in picked.items() if name not in known]
    return [*(entry for entry, _ in stays), *new]


class Look(NamedTuple):
    """A list of wanted sets before anything is written: whose it is, the sets that are wanted `now`, the `entries` that
    it would have, what was `picked` for that, and the sets that are held `whole`."""

    rig: str
    emulator: str
    sets: Sets
    now: list[str]
    entries: list[str]
    picked: Picked
    whole: Container[str]

    @property
    def after(self) -> list[str]:
        """The sets that would be wanted; where nothing was picked, no list is written, and all stays as it is."""
        if not self.picked.sets:
            return self.now
        return list(dict.fromkeys(name for entry in self.entries for name in read_wish(entry, self.sets).sets))

    @property
    def added(self) -> list[str]:
        """Those that are not wanted now."""
        return [name for name in self.after if name not in set(self.now)]

    @property
    def removed(self) -> list[str]:
        """Those that would not be wanted any more."""
        return [name for name in self.now if name not in set(self.after)]

    @property
    def is_same(self) -> bool:
        """Whether the same sets would be wanted as now."""
        return not (self.added or self.removed)

    def title(self, name: str) -> str:
        """The title of a set; empty for one that the roster does not know."""
        return self.sets[name].title if name in self.sets else ""


def changed_text(former: str | None, listed: Iterable[str], picked: Mapping[str, float], how: How, sets: Sets) -> str:
    """A list of wanted sets as a file after a change to what the file says now, or where there is none to what is
    `listed`: the lines that stay as they are, and the new ones with their titles behind them."""
    there = listed if former is None else filter(None, map(entry_of, former.splitlines()))
    return _list_text(changed_list(there, picked, how, sets), sets, "" if how is How.INSTEAD else former or "")


def _list_text(entries: Iterable[str], sets: Sets, former: str) -> str:
    left = list(entries)
    lines = []
    for line in former.splitlines(keepends=True):
        entry = entry_of(line)
        if entry and entry not in left:
            continue
        if entry:
            left.remove(entry)
        lines.append(line)
    if lines and not lines[-1].endswith(("\n", "\r")):
        lines[-1] += "\n"
    for entry in left:
        name = read_wish(entry, sets).sets[0]
        title = sets[name].title if name in sets else ""
        told = bool(title) and words_of(title) != words_of(entry)
        lines.append(f"{entry}  # {title}\n" if told else f"{entry}\n")
    return "".join(lines)
