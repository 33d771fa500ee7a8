"""The answer of `gribble check`, for the terminal and as `check/1`."""

from __future__ import annotations

from collections import Counter
from collections.abc import Iterator
from typing import NamedTuple

from rich.text import Text

from gribble.core.answers.looked import RIGHT, Since, since_when
from gribble.core.answers.next import Command, next_of
from gribble.core.answers.rows import Row, game_row, root_row, setting_row
from gribble.core.answers.why import causes_of
from gribble.core.base.amounts import count, day_words
from gribble.core.base.paths import base
from gribble.core.records.facts import Facts, SizeMistaken
from gribble.core.records.findings import (
    EmulatorAudit,
    NeedFinding,
    PlaceFinding,
    Remedy,
    RigAudit,
    SetAudit,
    State,
    Verdict,
    worst,
)
from gribble.core.sayings.facts import say, say_all
from gribble.core.sayings.remedies import archive_words, remedy_words, say_holding, way_words
from gribble.views.causes import cause_rows
from gribble.views.looks import QUIET, STATES, TALLIED, VERDICTS, shorten, with_title
from gribble.views.overview import games_words, needs_words, sets_words, show_overview
from gribble.views.screen import Screen, remedy, state, styled, verdict
from gribble.views.shell import quoted, written

SPARE_SHOWN = 5
SETS_SHOWN = 24
"""More sets that do not run are told by what is at fault."""
ALIKE_SHOWN = 6
"""So are more than these where there are half as many faults as sets."""
ROWS_SHOWN = 12
ROWS_IN_ALL = 24
"""Where more is to be told of several emulators, each is told in brief."""
PROBLEMS_SHOWN = 4
FILES_SHOWN = 4


class _Row(NamedTuple):
    """One thing that is wrong: its verdict, what it is about, and what is to be said of it."""

    word: str
    name: str
    text: Text

    @property
    def cells(self) -> tuple[str | Text, ...]:
        return verdict(self.word), self.name, self.text


def show_check(screen: Screen, audits: tuple[RigAudit, ...], *, verbose: bool, since: str = "") -> None:
    """The answer first, and what has changed `since`, in words; then each rig with what is wrong on it."""
    emulators = [emulator for found in audits for emulator in found.emulators]
    brief = not verbose and len(emulators) > 1 and sum(map(_to_tell, emulators)) > ROWS_IN_ALL
    screen.say(answer_of(audits), styled("  (gribble why NAME tells you why)" if brief else "", QUIET))
    _say_since(screen, since)
    for found in audits:
        if not brief or not (found.away or found is audits[0]):
            screen.out.print()
        where = f"  {shorten(found.root)}{'  (will be made)' if found.new else ''}"
        why = f": {found.away}" if found.away and brief else ""
        own = state(found.state) if found.emulators or found.away else styled("no emulators", QUIET)
        screen.say(styled(found.rig, "bold"), styled(where, QUIET), "  ", own, why)
        if found.away and not brief:
            screen.say(f"  away: {found.away}. Gribble cannot check it now.")
        for emulator in found.emulators:
            if brief:
                show_overview(screen, emulator)
            else:
                _show_emulator(screen, found, emulator, verbose)


def _to_tell(emulator: EmulatorAudit) -> int:
    """How much there is to be told of an emulator: needs, settings, games and sets that are not as they should be."""
    needs = sum(not (_is_quiet(one) or one.spared) for one in emulator.findings)
    settings = sum(found.verdict is not Verdict.SOUND for found in emulator.settings)
    return (
        needs + settings + len(emulator.games or ()) + min(sum(bool(one.problems) for one in emulator.sets), SETS_SHOWN)
    )


def show_only(screen: Screen, audits: tuple[RigAudit, ...], only: frozenset[str], scope: str = "") -> None:
    """The answer first, then only what has one of some verdicts, wherever it is."""
    screen.say(answer_of(audits))
    shown = 0
    for found in audits:
        for emulator in found.emulators:
            rows = [_row(root_row(one)) for one in emulator.root]
            rows += [row for finding in emulator.findings if not finding.spared for row in _rows(found, finding)]
            rows += [*map(_row, map(setting_row, emulator.settings)), *_game_rows(emulator)]
            rows = [row for row in rows if row.word in only]
            rows += [
                _Row(
                    problem.verdict,
                    one.set,
                    styled(f"{problem.subject.file}{': ' if problem.subject.file else ''}{say_all(problem.facts)}"),
                )
                for one in emulator.sets
                for problem in one.problems
                if problem.verdict in only
            ]
            if rows:
                screen.out.print()
                release = f" {emulator.release}" if emulator.release else ""
                where = styled(f"  on {found.rig}", QUIET)
                screen.say(styled(emulator.title + release, "bold"), where, "  ", state(emulator.state))
                screen.grid(row.cells for row in rows)
            shown += len(rows)
    if not shown:
        screen.say(f"Nothing is {' or '.join(sorted(only))}.")
    screen.next(f"gribble check{scope}", "shows everything")


def _say_since(screen: Screen, since: str) -> None:
    if since:
        screen.say(styled(since), styled("  (check --since lists it)", QUIET))


def show_since(screen: Screen, audits: tuple[RigAudit, ...], since: Since, now: float) -> None:
    """The answer first, then each thing of which another verdict is true than at an earlier check."""
    screen.say(answer_of(audits))
    if not since.when:
        screen.say("There is no earlier check to compare with: Gribble remembers those that you look at in a terminal.")
    elif not since.changes:
        screen.say(f"Nothing has changed {since_when(since.when, now)}.")
    else:
        screen.say(since.words(now))
        screen.out.print()
        worse = sorted(since.changes, key=lambda one: one.was != RIGHT)
        screen.grid(
            (_word(one.now), f"{one.emulator} on {one.rig}", styled(f"{one.name}: was {one.was}")) for one in worse
        )
    screen.next("gribble check", "shows everything")


def _word(word: str) -> Text:
    """What is true of a thing now: right, a verdict, or the state of a set."""
    known = VERDICTS.get(Verdict.SOUND if word == RIGHT else word) or STATES.get(word, ("", ""))
    return Text(f"{known[0]} {word}", style=known[1])


def answer_of(audits: tuple[RigAudit, ...]) -> Text:
    """The state of everything in one line."""
    emulators = [emulator for found in audits for emulator in found.emulators]
    overall = worst(found.state for found in audits)
    tally = Counter(emulator.state for emulator in emulators)
    parts = [f"{tally[kind]} {kind}" for kind in TALLIED if tally[kind]]
    away = sum(1 for found in audits if found.away)
    if away:
        parts.append(f"{count(away, 'rig')} away")
    if not parts:
        return styled("no emulator is entered yet, so nothing is needed", "bold")
    return Text.assemble(state(overall), styled(f"  {count(len(emulators), 'emulator')}: {', '.join(parts)}"))


def _show_head(screen: Screen, emulator: EmulatorAudit) -> None:
    screen.out.print()
    release = f" {emulator.release}" if emulator.release else ""
    apart = styled("".join(f"  {words}" for words in games_words(emulator)), QUIET)
    screen.say("  ", styled(emulator.title + release, "bold"), "  ", state(emulator.state), apart)
    if emulator.note:
        screen.say(f"    {emulator.note}")


def _show_emulator(screen: Screen, rig: RigAudit, emulator: EmulatorAudit, verbose: bool) -> None:
    _show_head(screen, emulator)
    rows = [_row(root_row(one)) for one in emulator.root if verbose or one.verdict is not Verdict.SOUND]
    for finding in emulator.findings:
        if verbose or not (_is_quiet(finding) or finding.spared):
            rows += _rows(rig, finding)
    rows += [_row(setting_row(one)) for one in emulator.settings if verbose or one.verdict is not Verdict.SOUND]
    _show_folded(screen, rows, emulator.emulator, verbose)
    _show_folded(screen, _game_rows(emulator), f"{emulator.emulator} --games", verbose)
    if emulator.sets or emulator.arcade.note:
        show_sets(screen, emulator, verbose=verbose, on=f" --rig {rig.rig}")
    foot = [] if verbose else list(_quiet_rows(emulator))
    screen.grid([*foot, *_aside_rows(emulator, verbose)], indent=4)
    lacking, others = emulator.machines_lacking
    if lacking:
        only = " ".join(f"--machine {quoted(machine)}" for machine in others)
        words = f"gribble rigs enter {emulator.emulator} --rig {rig.rig} {only}"
        screen.say(f"    You have nothing for {' and '.join(lacking)}. If you do not play it: {words}")


def _quiet_rows(emulator: EmulatorAudit) -> Iterator[tuple[str | Text, ...]]:
    """What is as it should be, by name."""
    quiet = [finding.need.id for finding in emulator.findings if _is_quiet(finding)]
    spared = [finding.need.id for finding in emulator.findings if finding.spared and not _is_quiet(finding)]
    led = [found.subject.setting.key for found in emulator.settings if found.verdict is Verdict.SOUND]
    if spared:
        words = f"{', '.join(spared)}: one of these is enough"
        yield styled("· spared", QUIET), styled(words, QUIET)
    if quiet:
        yield verdict(Verdict.SOUND), styled(f"{len(quiet):,} of {len(emulator.findings):,}: {', '.join(quiet)}")
    if led:
        yield verdict(Verdict.SOUND), styled(f"{count(len(led), 'setting')}: {', '.join(led)}")


def _aside_rows(emulator: EmulatorAudit, verbose: bool) -> Iterator[tuple[str | Text, ...]]:
    """The files that are left alone."""
    if emulator.spare:
        shown = emulator.spare if verbose else emulator.spare[:SPARE_SHOWN]
        more = len(emulator.spare) - len(shown)
        text = ", ".join(shown) + (f" and {more} more (-v shows them)" if more else "")
        yield styled("· spare", QUIET), styled(f"{text}; no sheet knows it, so it stays", QUIET)
    for finding in emulator.findings:
        if finding.redundant:
            there = [
                f"{one.path} ({accept.in_full})" if accept.in_full else one.path for one, accept in finding.redundant
            ]
            words = f"{', '.join(there)}; {finding.need.called} is there already, so it stays"
            yield styled("· redundant", QUIET), styled(words, QUIET)


def _show_folded(screen: Screen, rows: list[_Row], words: str, verbose: bool) -> None:
    """Some rows; of many the first, and how many others there are of each verdict."""
    shown = rows if verbose or len(rows) <= ROWS_SHOWN + 1 else rows[:ROWS_SHOWN]
    screen.grid((row.cells for row in shown), indent=4)
    if rest := rows[len(shown) :]:
        tally = Counter(row.word for row in rest)
        parts = ", ".join(f"{number:,} {word}" for word, number in tally.most_common())
        screen.say(styled(f"    and {len(rest):,} more: {parts} (gribble check {words} -v shows them)", QUIET))


def show_sets(screen: Screen, emulator: EmulatorAudit, *, verbose: bool, on: str) -> None:
    """The sets that do not run, with what is at fault, many of them by what that is; those that do in one line.

    `on` are the words that name the rig in a command.
    """
    arcade = emulator.arcade
    if arcade.note:
        screen.say(f"    {arcade.note}")
    ready = [one for one in emulator.sets if one.state is State.READY]
    rows = _faulty_rows(emulator, on, verbose=verbose)
    if ready:
        names = ", ".join(with_title(one.set, one.title) for one in ready[:8]) + (" …" if len(ready) > 8 else "")
        rows.append((state(State.READY), f"{len(ready):,} of {len(emulator.sets):,}", names))
    screen.grid(rows, indent=4)
    screen.grid(_lying_rows(emulator, verbose), indent=4)
    if arcade.style and (packed := len(arcade.remedies.packed) + len(arcade.remedies.loose)):
        words = f"{count(packed, 'archive')} to write for the style {arcade.style} (gribble plan shows them)"
        screen.say(styled(f"    packing: {words}", QUIET))
    if verbose:
        noted = [(one.set, note) for one in ready for note in map(say, one.packing)]
        screen.grid([("· note", name, note) for name, note in noted], indent=4)


def _faulty_rows(emulator: EmulatorAudit, on: str, *, verbose: bool) -> list[tuple[str | Text, ...]]:
    """A row for each set that does not run; of many one for each thing that is at fault."""
    faulty = [one for one in emulator.sets if one.state is not State.READY]
    causes = causes_of(faulty) if len(faulty) > ALIKE_SHOWN else []
    alike = bool(causes) and 2 * len(causes) <= len(faulty)
    if not verbose and (alike or len(faulty) > SETS_SHOWN):
        return cause_rows(causes, on, emulator.release)
    return [(state(one.state), one.set, set_account(one, emulator.release, verbose)) for one in faulty]


def _lying_rows(emulator: EmulatorAudit, verbose: bool) -> Iterator[tuple[str | Text, ...]]:
    """What else is in the folders of the sets, a line for each kind."""
    aside = emulator.arcade.aside
    strays = [f"{base(path)} (has files of {whose})" if whose else base(path) for path, whose in aside.strays]
    for names, one, several in (
        (strays, "archive that belongs to no set", "archives that belong to no set"),
        (aside.unwanted, "set that you do not want", "sets that you do not want"),
        (list(map(base, aside.others)), "other file", "other files"),
    ):
        if names:
            shown = names if verbose else names[:SPARE_SHOWN]
            more = f" and {len(names) - len(shown):,} more (-v shows them)" if len(shown) < len(names) else ""
            yield (
                styled("· other", QUIET),
                styled(f"{count(len(names), one, several)}: {', '.join(shown)}{more}", QUIET),
            )


def set_account(one: SetAudit, release: str | None, verbose: bool) -> Text:
    """A set's title and its problems, first things first: the archives that have to be got, with their files only where
    everything is told."""
    text = Text.assemble(styled(one.title or one.set, "bold"))
    groups: dict[tuple[Verdict, Facts], list[str]] = {}
    for home, problems in one.to_get.items():
        words = archive_words(home, problems, release)
        text.append("\n").append_text(verdict(problems[0].verdict)).append_text(styled(f"  {words}"))
    for problem in one.problems:  # one broken archive is one reason, however many files are in it
        if verbose or problem.subject.home not in one.to_get or problem.remedy is not Remedy.OBTAIN:
            groups.setdefault((problem.verdict, problem.facts), []).append(problem.subject.file)
    shown = list(groups.items()) if verbose else list(groups.items())[:PROBLEMS_SHOWN]
    for (kind, facts), files in shown:
        names = ", ".join(files[:FILES_SHOWN]) + (", …" if len(files) > FILES_SHOWN else "")
        text.append("\n").append_text(verdict(kind)).append_text(
            styled(f"  {names}{': ' if names else ''}{say_all(facts)}")
        )
    if len(shown) < len(groups):
        text.append_text(styled(f"\nand {len(groups) - len(shown)} more (-v shows them)", QUIET))
    if verbose:
        for note in map(say, one.packing):
            text.append_text(styled(f"\nnote: {note}", QUIET))
    return text


def _is_quiet(finding: NeedFinding) -> bool:
    return not finding.lacks and all(
        place.verdict is Verdict.SOUND and place.remedy is Remedy.NONE and not place.tells(SizeMistaken)
        for place in finding.places
    )


def _row(one: Row) -> _Row:
    """A setting, a game, or what is demanded of the rig's root: what it is about, the reason, and the remedy."""
    if one.kind == "rig":
        return _Row(one.verdict, f"root {one.name}", styled(one.reason))
    text = Text.assemble(styled(one.name, "bold"), "\n", styled(one.reason))
    if one.do:
        text.append("\n").append_text(remedy(one.do))
    return _Row(one.verdict, one.kind, text)


def _game_rows(emulator: EmulatorAudit) -> list[_Row]:
    return [_row(game_row(found, shorten)) for found in emulator.games or ()]


def _rows(rig: RigAudit, finding: NeedFinding) -> list[_Row]:
    """One row for each place, quiet places of an otherwise faulty need left out; many files in one row."""
    if finding.need.file:
        return [_Row(finding.verdict_at(finding.chief), finding.need.id, _manifest_account(rig, finding))]
    faulty = [place for place in finding.places if place.verdict is not Verdict.SOUND] or finding.places[:1]
    return [_Row(finding.verdict_at(place), finding.need.id, _account(rig, finding, place)) for place in faulty]


def _manifest_account(rig: RigAudit, finding: NeedFinding) -> Text:
    """Many files in a few lines: how many are right, what is lost without them, what the remedies come to."""
    text = Text.assemble(styled(finding.need.called, "bold"), "\n", styled(say_all(finding.facts)))
    text.append_text(_why_lines(finding, finding.met))
    fixable = [place for place in finding.places if place.fixable]
    gaps = [place for place in finding.places if place.remedy is Remedy.OBTAIN]
    if fixable and not finding.spared:
        text.append("\n").append_text(remedy(_fix_words(rig, fixable)))
    if named := [place for place in finding.places if place.by_name]:
        words = f"{count(len(named), 'file')} with the right name only (gribble place --by-name)"
        text.append("\n").append_text(remedy(words))
    if surplus := [place for place in finding.places if place.surplus]:
        words = f"put {count(len(surplus), 'file')} in the attic (gribble place --only {finding.need.id})"
        text.append("\n").append_text(remedy(words))
    for source in dict.fromkeys(place.source for place in finding.places if place.source):
        held = sum(place.source == source for place in finding.places)
        text.append("\n").append_text(remedy(f"connect {source}: {count(held, 'file')} held there"))
    if gaps:
        text.append("\n").append_text(remedy(f"obtain {count(len(gaps), 'file')}: no file of yours is right"))
    return text


def _fix_words(rig: RigAudit, places: list[PlaceFinding]) -> str:
    if len(places) == 1:
        return f"{base(places[0].expected)}: {remedy_words(rig, places[0], shorten)}"
    return f"{len(places):,} of them can be put right with files that you have"


def _account(rig: RigAudit, finding: NeedFinding, place: PlaceFinding) -> Text:
    """The place, the reason, what is lost without it, and the remedy, a line each."""
    told = place.accept.in_full if place.accept and (place.met or place.found is place.use) else ""
    label = f" ({told})" if told else ""
    lack = f"; but it needs {', '.join(finding.lacks)}, which the key file does not have" if finding.lacks else ""
    by = f"; {finding.required_by} needs it" if finding.required_by and not finding.met else ""
    text = Text.assemble(styled(place.told, "bold"), "\n", styled(say_all(place.facts) + lack + label + by))
    if place.proven and place.met:
        text.append_text(styled(f"; read whole on {day_words(place.proven / 10**9)}", QUIET))
    if finding.ignored:
        return text.append("; you chose to do without it")
    if finding.spared:
        return text.append_text(styled(f"; {say(finding.spared)}"))
    text.append_text(_why_lines(finding, place.met and not finding.lacks))
    if words := remedy_words(rig, place, shorten):
        text.append("\n").append_text(remedy(words))
    if finding.instead:
        text.append_text(styled(f"\nor one of these: {', '.join(finding.instead)}"))
    if finding.ways and place is finding.chief:
        text.append_text(styled("\nto make it work, change one of these:"))
        for way in finding.ways:
            text.append_text(styled(f"\n· {way_words(rig, way, shorten)}"))
    if finding.merge:
        names = " and ".join(say_holding(holding, None, shorten) for holding in finding.merge)
        text.append("\n").append_text(remedy(f"{names} have every key together: gribble keys merge"))
    return text


def _why_lines(finding: NeedFinding, met: bool) -> Text:
    if met or not finding.need.why:
        return Text()
    level = "" if finding.need.level == "must" else f"{finding.need.level}: "
    return styled(f"\n{level}{finding.need.why}", QUIET)


def show_next(screen: Screen, command: Command | None) -> None:
    """The command that leads on, if one does."""
    if command is None:
        return
    screen.next(written(command.words), command.why)
    if command.words[1:3] == ("catalogue", "import"):
        screen.say(
            "Or take over a friend's sheets: gribble catalogue add; or write down a setup that works: "
            "gribble catalogue capture."
        )


def show_start(screen: Screen) -> None:
    """What to do without a configuration."""
    screen.say(styled("No gribble.toml here or in any folder above.", "bold"))
    screen.out.print()
    screen.grid(
        [
            ("gribble init", "looks at this folder, asks, and writes one"),
            ("gribble demo", "shows everything on made-up files"),
            ("gribble --help", "all commands"),
        ]
    )


def show_state(screen: Screen, audits: tuple[RigAudit, ...], since: str = "") -> None:
    """Each rig and emulator in a line, then the next command."""
    screen.say(answer_of(audits))
    _say_since(screen, since)
    for found in audits:
        screen.out.print()
        own = state(found.state) if found.emulators or found.away else styled("no emulators", QUIET)
        screen.say(styled(found.rig, "bold"), styled(f"  {shorten(found.root)}", QUIET), "  ", own)
        rows: list[tuple[str | Text, ...]] = [
            (
                state(emulator.state),
                styled(f"{emulator.title} {emulator.release or ''}".rstrip()),
                styled(_in_short(emulator)),
            )
            for emulator in found.emulators
        ]
        screen.grid(rows)
        if found.away:
            screen.say(f"  away: {found.away}")
    if all(found.state == State.READY and found.emulators for found in audits) and audits:
        screen.next("gribble check", "shows each need with its proof")
    else:
        show_next(screen, next_of(audits, detail=("gribble", "check")))


def _in_short(emulator: EmulatorAudit) -> str:
    """How many of its needs are right, how many settings are not, how many sets are ready."""
    if emulator.unknown:
        return emulator.note
    parts = needs_words(emulator)
    wrong = [one for one in emulator.settings if not one.met]
    if wrong:
        parts.append(f"{count(len(wrong), 'setting')} wrong")
    if not all(one.met for one in emulator.root):
        parts.append("wrong volume or label")
    parts += sets_words(emulator)
    if emulator.arcade.idle:
        parts.append("no set is wanted")
    return ", ".join(parts) or "needs nothing"
