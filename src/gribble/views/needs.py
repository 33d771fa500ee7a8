"""What is needed, for the terminal and as `needs/1`; and what a friend lacks of which one has something."""

from __future__ import annotations

from collections.abc import Iterator
from typing import Any

from rich.text import Text

from gribble.core.answers.needed import Needed
from gribble.core.answers.wishes import Wish
from gribble.core.base.amounts import count, size
from gribble.core.base.paths import join
from gribble.core.placing.gaps import gap_record
from gribble.core.records.holding import Holding
from gribble.core.records.place import Fitted
from gribble.core.records.sheet import Accept, Level, Media, Need, Setting
from gribble.core.records.steps import Gap
from gribble.views.check_json import away_json
from gribble.views.looks import DIGEST_NAMES, QUIET, VERDICTS, shorten
from gribble.views.screen import Screen, styled

NEEDS_IN_FULL = 12
"""Of more needs of several emulators only the names are told."""
NAMES_SHOWN = 14
TO_GET = styled("○ to obtain", VERDICTS["missing"][1])
TAKE_ALONG = ("gribble report --obtain wanted.csv", "writes what to obtain as a table, to take along")


def show_needs(screen: Screen, wanted: list[Needed], *, verbose: bool = False) -> None:
    """How much is held, then a sheet to read before one starts: what is needed, for what, under which names."""
    held = [one.held(need) for one in wanted for need in one.fitted.needs]
    told = f": {_held_words(wanted)}" if held and None not in held else ""
    screen.say(styled(count(len(held), "need"), "bold"), told)
    if len(wanted) > 1 and len(held) > NEEDS_IN_FULL and not verbose:
        _show_brief(screen, wanted)
        return
    for one in wanted:
        _show_one(screen, one, alone=len(wanted) == 1)
    if held and None not in held and all(one.rig for one in wanted):
        names = list(dict.fromkeys(one.fitted.emulator for one in wanted))
        words = f" {names[0]}" if len(names) == 1 else ""
        if all(one.only_gaps or not one.gaps for one in wanted) and any(one.only_gaps for one in wanted):
            screen.next(*TAKE_ALONG)
        else:
            screen.next(f"gribble check{words}", "what of it is in place, and what is wrong with the rest")


def _show_one(screen: Screen, one: Needed, *, alone: bool) -> None:
    """What one emulator needs."""
    screen.out.print()
    fitted = one.fitted
    release = f" {fitted.release}" if fitted.release else ""
    where = f"  on {one.rig}" if one.rig else "  on none of your rigs" if one.findings else ""
    some = [one.held(need) for need in fitted.needs]
    tally = "" if None in some or not some or alone else f"  {_held_words([one])}"
    screen.say(styled(fitted.title + release, "bold"), styled(where + tally, QUIET))
    if fitted.note:
        screen.say(f"  {fitted.note}")
    screen.grid([(demand,) for demand in _demands(fitted)])
    screen.grid([_row(one, need) for need in fitted.needs])
    screen.grid([(_setting_words(fitted, setting),) for setting in fitted.setting])
    screen.grid([(_media_words(fitted, media),) for media in fitted.media])
    if fitted.arcade is not None:
        screen.say("  arcade sets: gribble sets check tells you which run, and what the others need")


def _show_brief(screen: Screen, wanted: list[Needed]) -> None:
    """Many needs by name: of each emulator what is held, and what somebody has to get, with what it is known by."""
    screen.out.print()
    for one in wanted:
        release = f" {one.fitted.release}" if one.fitted.release else ""
        where = f"  on {one.rig}" if one.rig else "  on none of your rigs" if one.findings else ""
        screen.say(styled(one.fitted.title + release, "bold"), styled(where, QUIET))
        kinds: dict[str, list[str]] = {}
        for need in one.fitted.needs:
            held = one.held(need)
            word = "wanted" if held is None else "held" if held else "spared" if one.spared(need) else ""
            if word:
                extra = " (extra)" if need.level is Level.EXTRA and word == "wanted" else ""
                kinds.setdefault(word, []).append(need.id + extra)
        looks = {"held": ("●", VERDICTS["sound"][1]), "spared": ("·", QUIET), "wanted": ("○", QUIET)}
        rows: list[tuple[str | Text, ...]] = []
        for word, names in kinds.items():
            more = f" and {len(names) - NAMES_SHOWN:,} more" if len(names) > NAMES_SHOWN else ""
            glyph, colour = looks[word]
            rows.append((styled(f"{glyph} {word}", colour), ", ".join(names[:NAMES_SHOWN]) + more))
        for gap in one.gaps:
            level = "" if gap.level is Level.MUST else f" ({gap.level})"
            rows.append((TO_GET, Text.assemble(styled(gap.file, "bold"), styled(level + known_by(gap)))))
        screen.grid(rows)
        if one.fitted.arcade is not None:
            screen.say(styled("  arcade sets: gribble sets check", QUIET))
    first = next((one for one in wanted if one.gaps), wanted[0]).fitted.emulator
    screen.next(f"gribble needs {first}", "the names, the places, what it is for, and every right content")


def known_by(gap: Gap) -> str:
    """The size of what is to be obtained and the strongest digest that is known of it, to go after its name."""
    strongest = gap.digests.strongest()
    known = f", {DIGEST_NAMES[strongest]} {gap.digests.get(strongest)}" if strongest else ""
    return (f", {gap.size:,} bytes" if gap.size is not None else "") + known


def _held_words(wanted: list[Needed]) -> str:
    """How many needs are held, and how many of the others somebody has to get."""
    needs = [(one, need) for one in wanted for need in one.fitted.needs]
    right = sum(bool(one.held(need)) for one, need in needs)
    far = sum(bool(one.source(need)) for one, need in needs if one.held(need))
    spared = sum(one.spared(need) for one, need in needs)
    rest = len(needs) - right - spared
    held = f"{right:,} held" + (f" ({far:,} in sources that are away)" if far else "")
    return held + (f", {rest:,} to obtain" if rest else "") + (f", {spared:,} spared" if spared else "")


def _demands(fitted: Fitted) -> list[str]:
    demands = []
    if fitted.root.volume:
        demands.append(f"the rig's volume must be {' or '.join(fitted.root.volume)}")
    if fitted.root.label is not None:
        demands.append(f'its label must be "{fitted.root.label}"')
    if fitted.root.exact_names:
        demands.append("its device compares names exactly, upper and lower case included")
    return demands


def _setting_words(fitted: Fitted, setting: Setting) -> str:
    leads = setting.need or fitted.folders[setting.folder or ""]
    return f"{setting.file}: {setting.key} must lead to {leads}"


def _media_words(fitted: Fitted, media: Media) -> str:
    packing = {"loose": ", unzipped", "zipped": ", each in a zip", "either": ""}[media.packing]
    own = f", each in a folder of its own{f' like {media.folder_name}' if media.folder_name else ''}"
    most = f", up to {size(media.max_bytes)}" if media.max_bytes is not None else ""
    folder = fitted.folders[media.folder]
    return f"games in {folder}: {', '.join(media.accepts)}{packing}{own if media.own_folder else ''}{most}"


def _row(one: Needed, need: Need) -> tuple[str | Text, ...]:
    held = one.held(need)
    mark = "" if held is None else "● held" if held else "· spared" if one.spared(need) else "○ to obtain"
    colour = QUIET if one.spared(need) else VERDICTS["sound" if held else "missing"][1]
    text = Text.assemble(styled(need.called, "bold"), styled(f"  {need.kind}, {need.level}", QUIET))
    for line in (*_place_lines(one, need), *_content_lines(one, need)):
        text.append("\n").append_text(styled(line))
    return styled(mark, colour), styled(need.id), text


def _place_lines(one: Needed, need: Need) -> Iterator[str]:
    """Where it belongs and under which names, whether another need would do, and what it is for."""
    folders = one.fitted.folders
    if need.file:
        alone = ", and nothing else there" if need.nothing_else else ""
        yield f"{count(len(need.file), 'file')} below {folders[need.folder]}, such as {need.file[0].name}{alone}"
        if need.requires_keys:
            yield f"they require {', '.join(need.requires_keys)} in the key file"
    else:
        yield f"as {join(folders[need.folder], need.name)}{' (any name will do)' if need.any_name else ''}"
        if need.by_setting:
            yield "or wherever its setting leads"
    if need.aliases and not need.any_name:
        yield f"or named {', '.join(need.aliases)}"
    for copy in need.also:
        yield f"and as {join(folders[copy.folder], copy.name)}"
    if need.choice is not None:
        others = [other.called for other in one.fitted.needs if other.choice == need.choice and other.id != need.id]
        if others:
            yield f"one of these is enough: this, {', '.join(others)}"
    if need.why:
        yield need.why
    if source := one.source(need):
        yield f"held in {source}, which is away: connect it"


def _content_lines(one: Needed, need: Need) -> Iterator[str]:
    """What will do, each content with what tells it."""
    for accept in need.accept:
        yield _accept_words(accept)
    if need.file:
        yield from (f"○ {gap.file}{known_by(gap)}" for gap in one.gaps if gap.subject == need.id)
    for accept in one.fitted.other_releases.get(need.id, ()):
        yield f"· {accept.called or 'another content'}: only with release {accept.releases}"
    for key in need.key:
        level = "" if key.level is Level.MUST else f", {key.level}"
        length = f", {count(key.bytes, 'byte')}" if key.bytes is not None else ""
        yield f"· key {key.name}{length}{level}{', with a fingerprint' if key.sha256 else ''}"


def _accept_words(accept: Accept) -> str:
    parts = list(dict.fromkeys([accept.called or "accepted", accept.region or ""]))
    if accept.size is not None:
        parts.append(f"{size(accept.size)} ({accept.size:,} bytes)")
    strongest = accept.strongest()
    if strongest:
        parts.append(f"{DIGEST_NAMES[strongest]} {accept.get(strongest)}")
    if accept.requires_keys:
        parts.append(f"requires {', '.join(accept.requires_keys)} in the key file")
    if accept.requires:
        parts.append(f"works only beside {', '.join(accept.requires)}")
    return "· " + ", ".join(part for part in parts if part)


def needs_json(wanted: list[Needed]) -> dict[str, Any]:
    """`needs/1`."""
    return {
        "gribble": "needs/1",
        "emulators": [
            {
                "emulator": one.fitted.emulator,
                "release": one.fitted.release,
                "rig": one.rig or None,
                "needs": [_need_json(one, need) for need in one.fitted.needs],
            }
            for one in wanted
        ],
        "obtain": [gap_record(gap) for one in wanted for gap in one.gaps],
    }


def _need_json(one: Needed, need: Need) -> dict[str, Any]:
    return {
        "need": need.id,
        "title": need.called,
        "choice": need.choice,
        "level": need.level,
        "kind": need.kind,
        "names": list(need.names) if need.name else [],
        "any_name": need.any_name,
        "by_setting": need.by_setting,
        "changes": need.changes,
        "nothing_else": need.nothing_else,
        "folder": one.fitted.folders[need.folder],
        "also": [join(one.fitted.folders[copy.folder], copy.name) for copy in need.also],
        "why": need.why,
        "accepts": [
            {
                "label": accept.label or None,
                "region": accept.region,
                "version": accept.version,
                "size": accept.size,
                "requires_keys": list(accept.requires_keys),
                "requires": list(accept.requires),
                **accept.known(),
            }
            for accept in need.accept
        ],
        "keys": [{"name": key.name, "bytes": key.bytes, "level": key.level, "sha256": key.sha256} for key in need.key],
        "files": [{"name": file.name, "size": file.size, **file.known()} for file in need.file],
        "held": one.held(need),
        **({"spared": True} if one.spared(need) else {}),
        **away_json(one.source(need)),
    }


WISHES_SHOWN = 20


def show_wishes(screen: Screen, wishes: list[Wish], *, verbose: bool) -> None:
    """How many one can give, then each of them with its place."""
    have = [one for one in wishes if one.held]
    screen.say(styled(f"You can give {len(have):,} of {count(len(wishes), 'file')}.", "bold"))
    shown = have if verbose else have[:WISHES_SHOWN]
    rows: list[tuple[str | Text, ...]] = []
    for one in shown:
        whose = styled(f"for {one.what} ({one.emulator})" if one.what else f"for {one.emulator}", QUIET)
        rows.append((styled(one.need.name, "bold"), Text.assemble(styled(_where(one.held[0])), "\n", whose)))
    screen.grid(rows)
    if len(shown) < len(have):
        screen.say(styled(f"… {count(len(have) - len(shown), 'file')} more: -v shows them", QUIET))


def _where(one: Holding) -> str:
    return f"{one.member} in {shorten(one.where)}" if one.member else shorten(one.where)


def wishes_json(wishes: list[Wish]) -> dict[str, Any]:
    """`against/1`."""
    return {
        "gribble": "against/1",
        "files": [
            {
                "emulator": one.emulator,
                "what": one.what,
                "file": one.need.name,
                "have": [f"{held.where}: {held.member}" if held.member else held.where for held in one.held],
            }
            for one in wishes
        ],
    }
