"""The answer of `gribble identify`, for the terminal and as `identify/1`."""

from __future__ import annotations

from collections import Counter
from collections.abc import Callable, Iterable, Mapping
from pathlib import Path
from typing import Any, NamedTuple

from rich.text import Text

from gribble.core.answers.identify import Group, HeldSet, Identified, Match, group
from gribble.core.answers.scrub import Copies
from gribble.core.base.amounts import count, size
from gribble.core.records.holding import Holding
from gribble.core.sayings.facts import mend_words, say
from gribble.core.sayings.remedies import say_holding
from gribble.views.check_json import away_json
from gribble.views.looks import DIGEST_NAMES, QUIET, VERDICTS, shorten, with_title
from gribble.views.screen import Screen, remedy, styled, verdict
from gribble.views.shell import quoted

UNKNOWN_SHOWN = 8
ROWS_SHOWN = 7
DAMAGED_IN_FULL = 3
DAMAGED_IN_BRIEF = 6
CONTENTS_IN_FULL = 6
"""Of more known contents each is told in a line."""
SETS_SHOWN = 20
FILES_SHOWN = 4
NAMES_SHOWN = 6

_Place = tuple[str, str]


class Shown(NamedTuple):
    """How much is shown: how many files were passed over, whether only what is needed, and whether all of it."""

    passed_over: int
    only_needed: bool
    verbose: bool


def show_identify(
    screen: Screen,
    files: tuple[Identified, ...],
    sets: tuple[HeldSet, ...],
    named: frozenset[Path],
    away: Mapping[str, str],
    shown: Shown,
) -> None:
    """Contents grouped by what they are, then the counts; how to look closer at one that was not `named`.

    What is in an archive that holds a set is told with the set, unless all is. `away` are sources that are not
    here, by their places.
    """
    passed_over, only_needed, verbose = shown
    groups = group(files)
    places = {(one.holding.root, one.holding.path) for one in sets}
    told = _by_count(one for one in groups if verbose or not all(_is_of_set(file, places) for file in one.files))
    sections = {
        "Needed": told["needed"],
        "Already in place": told["held"],
        "Known, but your rigs do not need them": told["elsewhere"],
        "Known not to work": told["rejected"],
    }
    brief = not verbose and sum(map(len, sections.values())) > CONTENTS_IN_FULL
    if len(groups) > 1:
        needed = sum(one.counts_as == "needed" for one in groups)
        screen.say(styled(f"{needed:,} of {count(len(groups), 'content')} needed", "bold"), " by what is on your rigs")
    for title, chosen in sections.items():
        if title == "Needed" or not only_needed:
            rows = [_short_row(one, away) if brief else _row(one, verbose, away) for one in chosen]
            _show_rows(screen, title, rows, verbose)
    if not only_needed or any(file.needed for file in files if _place_of(file) in places):
        _show_sets(screen, files, sets, only_needed, verbose)
    if not only_needed:
        _show_damaged(screen, told["damaged"], brief, verbose)
        _show_unknown(screen, told["unknown"], named, verbose)
    screen.say(_counts(groups, passed_over))


def _by_count(groups: Iterable[Group]) -> dict[str, list[Group]]:
    """The contents by what they count as."""
    words = ("needed", "held", "elsewhere", "rejected", "damaged", "unknown")
    found: dict[str, list[Group]] = {word: [] for word in words}
    for one in groups:
        found[one.counts_as].append(one)
    return found


def _show_damaged(screen: Screen, damaged: list[Group], brief: bool, verbose: bool) -> None:
    brief = brief and len(damaged) > DAMAGED_IN_FULL
    rows = [_short_damage(one.first) if brief else _damaged_row(one.first) for one in damaged]
    title = "Damaged: gribble mend FILE puts right" if brief else "Damaged"
    _show_rows(screen, title, rows, verbose, DAMAGED_IN_BRIEF if brief else ROWS_SHOWN)


def _show_unknown(screen: Screen, unknown: list[Group], named: frozenset[Path], verbose: bool) -> None:
    """What nobody knows, and how to look closer at one."""
    if not unknown:
        return
    shown = unknown if verbose else unknown[:UNKNOWN_SHOWN]
    screen.say(styled("Unknown", "bold"))
    screen.grid([_unknown_row(one.first, named) for one in shown])
    if len(shown) < len(unknown):
        screen.say(styled(f"  and {len(unknown) - len(shown):,} more (-v shows them)", QUIET))
    closer = (one.first.holding for one in unknown if not one.first.no_dump)
    if other := next((one for one in closer if one.member is None and one.place not in named), None):
        path = quoted(shorten(other.where))
        screen.say(styled(f"  to look closer at one, name it: gribble identify {path}", QUIET))
    screen.out.print()


def _show_rows(
    screen: Screen, title: str, rows: list[tuple[str | Text, ...]], verbose: bool, most: int = ROWS_SHOWN
) -> None:
    """A section, if there is anything in it, of which many rows are folded."""
    if not rows:
        return
    screen.say(styled(title, "bold"))
    shown = rows if verbose or len(rows) <= most + 1 else rows[:most]
    screen.grid(shown)
    if len(shown) < len(rows):
        screen.say(styled(f"  and {len(rows) - len(shown):,} more (-v shows them)", QUIET))
    screen.out.print()


def _place_of(file: Identified) -> _Place:
    return file.holding.root, file.holding.path


def _is_of_set(file: Identified, places: set[_Place]) -> bool:
    """Whether a file is told with the set in whose archive it lies."""
    if file.holding.member is None or _place_of(file) not in places:
        return False
    return file.verdict == "unknown" or (bool(file.matches) and all(match.set for match in file.matches))


def _show_sets(
    screen: Screen, files: tuple[Identified, ...], sets: tuple[HeldSet, ...], only_needed: bool, verbose: bool
) -> None:
    """The sets that archives hold, those in part first, an archive in a line; with what else there is to say of it."""
    by_place: dict[tuple[_Place, str, str], list[HeldSet]] = {}
    for one in sets:
        by_place.setdefault(((one.holding.root, one.holding.path), one.emulator, one.release), []).append(one)
    inside = [file for file in files if file.holding.member is not None]
    needed = Counter(_place_of(file) for file in inside if file.needed)
    unknown = Counter(_place_of(file) for file in inside if file.verdict == "unknown")
    held = [(key[0], some) for key, some in by_place.items() if not only_needed or needed[key[0]]]
    held.sort(key=lambda pair: not pair[1][0].lacks)
    if not held:
        return
    whole = sum(len(some) for _, some in held if not some[0].lacks)
    part = sum(bool(some[0].lacks) for _, some in held)
    parts = [f"{whole:,} whole"] * bool(whole) + [f"{part:,} in part"] * bool(part)
    screen.say(styled("Sets", "bold"), styled(f"  {', '.join(parts)}", QUIET))
    shown = held if verbose else held[:SETS_SHOWN]
    screen.grid([(_set_mark(some[0]), _set_words(some, needed[place], unknown[place])) for place, some in shown])
    if len(shown) < len(held):
        screen.say(styled(f"  and {len(held) - len(shown):,} more archives (-v shows them)", QUIET))
    screen.out.print()


def _set_mark(one: HeldSet) -> Text:
    return Text("◐ part", style=VERDICTS["unproven"][1]) if one.lacks else Text("● whole", style=VERDICTS["known"][1])


def _set_words(some: list[HeldSet], needed: int, unknown: int) -> Text:
    """An archive by its sets: "set wade00, whole", or what a set in part lacks."""
    one = some[0]
    told = [with_title(each.set, each.title) for each in some[:NAMES_SHOWN]]
    names = ", ".join(told) + (" …" if len(some) > NAMES_SHOWN else "")
    what = f"{'set' if len(some) == 1 else 'sets'} {names}, {'in part' if one.lacks else 'whole'}"
    text = Text.assemble(styled(what, "bold"))
    text.append_text(styled(f"  {say_holding(one.holding, None, shorten)}"))
    said = [f"{one.emulator} {one.release}"]
    if one.lacks:
        more = f" and {len(one.lacks) - FILES_SHOWN:,} more" if len(one.lacks) > FILES_SHOWN else ""
        said = [f"lacks {', '.join(one.lacks[:FILES_SHOWN])}{more}", *said]
    elif not all(each.full for each in some):
        said.append("the files that it shares are in other sets' archives")
    if needed:
        said.append(f"{count(needed, 'file')} that your rigs need")
    if unknown:
        said.append(f"{count(unknown, 'file')} that is in no roster")
    return text.append_text(styled(f"\n{'; '.join(said)}" if one.lacks or len(said) > 1 else f"  {said[0]}", QUIET))


def _counts(groups: tuple[Group, ...], passed_over: int) -> str:
    """The counts that end the answer: "3 needed, 1 held already, 1 known not to work, 9 unknown"."""
    tally = Counter(one.counts_as for one in groups)
    text = f"{tally['needed']:,} needed, {tally['held']:,} held already"
    if tally["elsewhere"]:
        text += f", {tally['elsewhere']:,} known but not needed"
    if tally["damaged"]:
        text += f", {tally['damaged']:,} damaged"
    if tally["rejected"]:
        text += f", {tally['rejected']:,} known not to work"
    text += f", {tally['unknown']:,} unknown"
    return f"{text}; {passed_over:,} passed over" if passed_over else text


def _row(one: Group, verbose: bool, away: Mapping[str, str]) -> tuple[str | Text, ...]:
    file = one.first
    first = file.matches[0]
    label = f" ({first.accept})" if first.accept else ""
    text = Text.assemble(styled(first.title + label, "bold"), styled(f"  {size(file.holding.size)}", QUIET))
    for match in file.matches:
        text.append("\n").append_text(styled(_match_words(match)))
    paths = [say_holding(copy.holding, None, shorten) + _away_words(copy, away) for copy in one.files]
    shown = paths if verbose else paths[:1]
    more = f" and {count(len(paths) - 1, 'more copy', 'more copies')}" if len(paths) > len(shown) else ""
    for number, path in enumerate(shown):
        text.append("\n").append_text(styled(f"{'is' if not number else 'and'} {path}{more}", QUIET))
    return verdict(file.verdict), text


def _short_row(one: Group, away: Mapping[str, str]) -> tuple[str | Text, ...]:
    """A content among many: what it is, who wants or has it, and where its nearest copy lies."""
    file = one.first
    first = file.matches[0]
    label = f" ({first.accept})" if first.accept else ""
    wants = dict.fromkeys(match.emulator for match in file.matches if match.needed)
    whose = f": {', '.join(wants)} {'needs' if len(wants) == 1 else 'need'} it" if wants else ""
    path = say_holding(file.holding, None, shorten) + _away_words(file, away)
    text = Text.assemble(styled(first.title + label, "bold"), styled(whose), styled(f"  {path}", QUIET))
    return verdict(file.verdict), text


def _away_words(file: Identified, away: Mapping[str, str]) -> str:
    """That a file is in a source that is away, if it does."""
    source = away.get(file.holding.root)
    return f", in {source}, which is away" if source else ""


def _short_damage(file: Identified) -> tuple[str | Text, ...]:
    """A damaged file among many: where it lies, and what it should be."""
    assert file.near is not None
    text = Text.assemble(styled(say_holding(file.holding, None, shorten), "bold"))
    text.append_text(styled(f": {file.near.emulator}'s {file.near.need.title or file.near.need.id}"))
    if file.mend and not file.mend.mendable:
        text.append_text(styled("; you have a right copy", QUIET))
    return verdict(file.verdict), text


def _damaged_row(file: Identified) -> tuple[str | Text, ...]:
    mend, near = file.mend, file.near
    assert mend is not None
    assert near is not None
    path = say_holding(file.holding, None, shorten)
    label = f" ({mend.accept.label})" if mend.accept.label else ""
    text = Text.assemble(styled(path, "bold"), styled(f"  {size(file.holding.size)}", QUIET))
    text.append("\n").append_text(styled(mend_words(mend)))
    text.append("\n").append_text(styled(f"it should be {near.emulator}'s {near.need.title or near.need.id}{label}"))
    proof = f"proven by {DIGEST_NAMES[mend.accept.strongest() or 'crc32']}"
    if mend.partner:
        proof += f", with {say_holding(mend.partner, None, shorten)}"
    text.append("\n").append_text(styled(proof if mend.mendable else "proven by the right copy that you have", QUIET))
    if mend.mendable and file.holding.member is None:
        text.append("\n").append_text(remedy(f"gribble mend {quoted(path)}"))
    elif mend.mendable:
        text.append("\n").append_text(remedy("gribble place mends it on the way"))
    return verdict(file.verdict), text


def _unknown_row(file: Identified, named: frozenset[Path]) -> tuple[str | Text, ...]:
    text = Text.assemble(
        styled(say_holding(file.holding, None, shorten)), styled(f"  {size(file.holding.size)}", QUIET)
    )
    if file.no_dump:
        text.append("\n").append_text(styled(say(file.no_dump)))
    elif file.holding.place in named and (strongest := file.holding.digests.strongest()):
        known = f"{DIGEST_NAMES[strongest]} {file.holding.digests.get(strongest)}"
        text.append(f"\nread to its end; no sheet and no roster knows it or anything like it; {known}")
    return verdict(file.verdict), text


def _match_words(match: Match) -> str:
    if match.rejected:
        return f"for {match.emulator}: {match.why or 'known not to work'}"
    where = f"{match.to} on {match.rig}" if match.rig else match.to
    if match.release:
        return f"known to {match.emulator} {match.release}, which is not installed, in {where}"
    if match.set:
        return f"{match.emulator} {'needs it in' if match.needed else 'has it (or does not need it) in'} {where}"
    if match.needed:
        return f"{match.emulator} needs it as {where}"
    if match.there or not match.rig:
        return f"{match.emulator} {'has' if match.there else 'needs'} it as {where}"
    return f"{match.emulator} can use it as {where}, but has what it needs"


def identify_json(
    files: tuple[Identified, ...],
    sets: tuple[HeldSet, ...],
    away: Mapping[str, str],
    *,
    passed_over: int,
    only_needed: bool,
) -> dict[str, Any]:
    """`identify/1`; `away` are sources that are not here, by their places."""
    tally = Counter(one.counts_as for one in group(files))
    return {
        "gribble": "identify/1",
        "files": [_file_json(file, away) for file in files if file.needed or not only_needed],
        "sets": [
            {
                "path": one.holding.where,
                "emulator": one.emulator,
                "release": one.release,
                "set": one.set,
                "title": one.title,
                "full": one.full,
            }
            for one in sets
            if not one.lacks
        ],
        "part_sets": [
            {
                "path": one.holding.where,
                "emulator": one.emulator,
                "release": one.release,
                "set": one.set,
                "title": one.title,
                "lacks": list(one.lacks),
            }
            for one in sets
            if one.lacks
        ],
        "counts": {
            "needed": tally["needed"],
            "held": tally["held"],
            "elsewhere": tally["elsewhere"],
            "rejected": tally["rejected"],
            "damaged": tally["damaged"],
            "unknown": tally["unknown"],
            "passed_over": passed_over,
        },
    }


def _file_json(file: Identified, away: Mapping[str, str]) -> dict[str, Any]:
    holding = file.holding
    return {
        "path": holding.where,
        "member": holding.member,
        "size": holding.size,
        **{name: holding.digests.get(name) for name in ("crc32", "md5", "sha1", "sha256")},
        "verdict": file.verdict,
        "matches": [
            {
                "emulator": match.emulator,
                **({"set": match.set, "file": match.need} if match.set else {"need": match.need}),
                "accept": match.accept or None,
                "rig": match.rig or None,
                "to": match.to,
                "needed": match.needed,
                "rejected": match.rejected,
                **({"why": match.why} if match.rejected else {}),
                **({"release": match.release} if match.release else {}),
            }
            for match in file.matches
        ],
        "diagnosis": _diagnosis_json(file),
        **away_json(away.get(holding.root, "")),
    }


def _diagnosis_json(file: Identified) -> dict[str, Any] | None:
    if file.no_dump:
        return {"damage": None, "words": say(file.no_dump), "mendable": False}
    mend, near = file.mend, file.near
    if mend is None or near is None:
        return None
    return {
        "damage": mend.recipe.damage,
        "words": mend_words(mend),
        "mendable": mend.mendable,
        "proof": mend.accept.strongest() if mend.mendable else "a right copy that you have",
        "emulator": near.emulator,
        "need": near.need.id,
        "accept": mend.accept.label or None,
        "partner": mend.partner.where if mend.partner else None,
    }


CONTENTS_SHOWN = 20
COPIES_SHOWN = 6


def show_copies(screen: Screen, found: list[Copies], called: Callable[[Copies], str], *, verbose: bool) -> None:
    """The counts first, then each content with its files; `called` is what a content is known as."""
    if not found:
        screen.say("You have no file twice.")
        return
    files, room = sum(len(one.files) for one in found), sum(one.room for one in found)
    screen.say(
        styled(f"{count(len(found), 'content')} that you have more than once", "bold"),
        f": {count(files, 'file')}; all but one of each take {size(room)}.",
    )
    for one in found if verbose else found[:CONTENTS_SHOWN]:
        name = called(one)
        screen.say(
            styled(f"\n  {count(len(one.files), 'time')}  {size(one.bytes)}", "bold"),
            f"  {name}" if name else "",
            styled("" if one.room else "  one file under several names", QUIET),
        )
        shown = one.files if verbose or len(one.files) <= COPIES_SHOWN + 1 else one.files[:COPIES_SHOWN]
        screen.grid([(styled(_whose(file), QUIET), shorten(file.where)) for file in shown], indent=4)
        if len(shown) < len(one.files):
            screen.say(styled(f"    … {count(len(one.files) - len(shown), 'file')} more: -v", QUIET))
    if not verbose and len(found) > CONTENTS_SHOWN:
        rest = found[CONTENTS_SHOWN:]
        screen.say(f"\n… {count(len(rest), 'content')} more, {size(sum(one.room for one in rest))}: -v shows them")
    screen.say(styled("\nGribble deletes none of them. You decide which ones go.", QUIET))


def _whose(file: Holding) -> str:
    return f"on {file.rig}" if file.rig else "held"


def mended_json(holding: Holding, written: Path | None, reason: str) -> dict[str, Any]:
    """One file of `mend/1`: what was wrong with it, and where the mended one is; None if there is none."""
    return {
        "path": holding.where,
        "member": holding.member,
        "written": str(written) if written else None,
        "reason": reason,
    }


def copies_json(found: list[Copies], called: Callable[[Copies], str]) -> dict[str, Any]:
    """The answer as `copies/1`."""
    return {
        "gribble": "copies/1",
        "copies": [
            {
                "sha1": one.sha1,
                "size": one.bytes,
                "room": one.room,
                "known_as": called(one) or None,
                "files": [{"path": file.where, "rig": file.rig or None} for file in one.files],
            }
            for one in found
        ],
        "room": sum(one.room for one in found),
    }
