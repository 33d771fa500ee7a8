"""The world of a command, surveyed, with what that has cost and what was passed over noted beside the answer."""

from __future__ import annotations

import os
import sqlite3
from collections.abc import Iterable
from pathlib import Path

from msgspec import structs

from gribble.cli.session import Session
from gribble.core.answers.identify import (
    HeldSet,
    Identified,
    Reading,
    contents_in,
    explain,
    held_sets,
    identify_keys,
    identify_sets,
    other_rosters,
    rosters_in_use,
)
from gribble.core.answers.identify import identify as identify_holdings
from gribble.core.answers.scrub import doubtful_sizes, with_ages
from gribble.core.audit.asked import check_scope, sets_meant
from gribble.core.audit.looking import Reach, in_place, look, refitted, rosters_on, wishes_on
from gribble.core.audit.world import World
from gribble.core.base.amounts import count, size
from gribble.core.base.errors import no_such
from gribble.core.base.names import ANY_NAME
from gribble.core.base.paths import lies_below
from gribble.core.catalogue.families import set_called
from gribble.core.catalogue.sheets import Catalogue
from gribble.core.files.discheaders import HEADER_BYTES, read_header
from gribble.core.records.config import Ask, MovedSource, Scope, Source
from gribble.core.records.findings import RigAudit
from gribble.core.records.holding import FileKey, Holding, key_of
from gribble.core.records.sheet import Sheet
from gribble.core.survey.attempts import Attempts
from gribble.core.survey.facts import Survey
from gribble.core.survey.holdings import HeldHere, Stock
from gribble.core.survey.index import Index, holds_files_of
from gribble.core.survey.matching import KnownContents
from gribble.core.survey.sources import why_away
from gribble.core.survey.survey import Surveyor
from gribble.views.looks import shorten
from gribble.views.screen import Bar
from gribble.views.shell import quoted

ROSTER_FAULTS_SHOWN = 5
MOST_PASSED_OVER = 5
"""How many files that cannot be looked into are named where one of them may be why something lacks."""


def sets_named(session: Session, scope: Scope, words: Iterable[str], also: Iterable[str] = ()) -> tuple[str, ...]:
    """The sets that words mean, before anything is looked at. Raises GribbleError for one that means none or several,
    with what else it could have been, `also`."""
    session.arcade_only = True
    words = tuple(words)
    if not words:
        return ()
    config = session.loaded.config
    check_scope(config, scope, session.loaded.catalogue.sheets)
    rosters = rosters_on(config, session.loaded.catalogue, scope, session.roster)
    emulators = {name for rig in config.rig.values() for name in rig.emulators}
    arcades = [one for group in rosters.values() for one in group.values()]
    known = {name for one in arcades if one.roster for name in words if set_called(one.roster.sets, name)}
    wanted = wishes_on(config, rosters) if known != set(words) else set()  # which are judged, known or not
    also, found = tuple(also), []
    for word in words:
        unknown = word not in known and word in wanted
        found += [word] if unknown else sets_meant(arcades, word, emulators, also, session.roster)
    return tuple(dict.fromkeys(found))


def survey(
    session: Session,
    scope: Scope,
    *,
    reread: bool = False,
    told: int = 0,
    catalogue: Catalogue | None = None,
) -> World:
    """Survey the world, with another catalogue if need be. Raises GribbleError.

    What was passed over is told on standard error: all of it with --verbose, else as many as `told`, and how many
    others there are.
    """
    verbose = session.call.wordy
    session.about = scope
    for source in scope.sources:
        if not os.path.lexists(source) and not holds_files_of(_index_file(session), source):
            raise no_such(shorten(source))
    catalogue = catalogue or session.loaded.catalogue
    check_scope(session.loaded.config, scope, catalogue.sheets)
    session.tell_open_runs(scope)
    session.rigs.mark_all(scope)
    index = open_index(session)
    try:
        with session.screen.bar("Surveying") as bar:
            more = catalogue.sheets.values() if catalogue is not session.loaded.catalogue else ()
            surveyor = _surveyor(session, index, bar, reread=reread, more=more)
            world = _survey(session, catalogue, scope, surveyor)
    finally:
        index.close()
    session.screen.activity.begin("Judging")
    session.notes.passed_over(world.passed_over, None if verbose else told)
    _note_away(session, world)
    if verbose:
        for found in world.rigs:
            for path, where in found.read_through.items():
                session.notes.aside(f"{found.name}: {path} is a link, read through: {where}")
    faults = [str(one) for rig in world.rigs for arcade in rig.arcade.values() for one in arcade.mistakes]
    session.notes.aside(*dict.fromkeys(faults[:ROSTER_FAULTS_SHOWN]))
    _note_cost(session, index, surveyor, verbose)
    return world


def survey_with(
    session: Session, paths: list[str], *, verbose: bool = False, told: int | None = None
) -> tuple[World, list[Survey]]:
    """The world, and surveys of some files, archives or folders; a named file is read whole. What was passed over there
    is told, or as much as `told` of it."""
    rosters_on(session.loaded.config, session.loaded.catalogue, Scope(), session.roster)  # read before there is a bar
    index = open_index(session)
    try:
        with session.screen.bar("Surveying") as bar:
            surveyor = _surveyor(session, index, bar)
            world = _survey(session, session.loaded.catalogue, Scope(), surveyor)
            if paths:  # what is named may be what only a release knows that is not installed
                others = other_rosters(world.rigs, session.loaded.catalogue, session.roster)
                surveyor.want_sets(size for one in others for size in one.roster.sets.sizes())
            surveys = [_survey_path(session.call.environment.path(path), surveyor, world) for path in paths]
    finally:
        index.close()
    for met in surveys:
        session.notes.passed_over(in_place(met), told)
    _note_away(session, world)
    _note_cost(session, index, surveyor, verbose)
    return world, surveys


def identified(
    session: Session, world: World, surveys: list[Survey], named: frozenset[Path]
) -> tuple[tuple[Identified, ...], tuple[HeldSet, ...]]:
    """What the files of some surveys are, and the sets that they hold; those `named` are looked at for what happened to
    them."""
    session.screen.activity.begin("Judging")
    found = [holding for survey in surveys for holding in survey.holdings]
    sheets = session.loaded.catalogue.sheets
    discs = _discs_in(found, sheets.values(), world)
    audits = world.audit(Ask(contents=contents_in(found, discs)))
    files = identify_holdings(found, session.loaded.known, sheets, audits)
    known = rosters_in_use(world.rigs)
    files = identify_sets(files, known, audits, discs)
    if any(not file.matches for file in files):
        others = other_rosters(world.rigs, session.loaded.catalogue, session.roster)
        files, known = identify_sets(files, others, audits, discs), [*known, *others]
    files = identify_keys(files, sheets, audits, world.read_whole)
    sets = held_sets(files, known)
    searcher = world.searcher(one.holdings for one in surveys)
    with session.screen.bar("Diagnosing") as bar:
        return explain(files, searcher, sheets, named, Reading(world.head_of, world.why_unread), bar), sets


def _discs_in(found: Iterable[Holding], sheets: Iterable[Sheet], world: World) -> dict[FileKey, str]:
    """The SHA-1s that the headers of disc images among some files give."""
    endings = tuple({sheet.arcade.disc_ending for sheet in sheets if sheet.arcade})
    images = (one for one in found if one.member is None and one.path.endswith(endings)) if endings else ()
    headers = ((one, read_header((world.head_of(one) or b"")[:HEADER_BYTES])) for one in images)
    return {key_of(one): header.sha1 for one, header in headers if header.sha1}


def survey_whole(session: Session, paths: list[str]) -> list[Holding]:
    """Everything that is held, and what is at some places: every file that could be a copy of another proven."""
    index = open_index(session)
    try:
        with session.screen.bar("Surveying") as bar:
            surveyor = _surveyor(session, index, bar)

            def look_at_all() -> tuple[World, list[Holding]]:
                world = _survey(session, session.loaded.catalogue, Scope(), surveyor)
                places = map(session.call.environment.path, paths)
                surveys = [_survey_path(place, surveyor, world).holdings for place in places]
                held = [one for each in (*world.everything, *surveys) for one in each.opened]
                return world, held

            surveyor.want_whole(doubtful_sizes(look_at_all()[1]))
            world, held = look_at_all()
    finally:
        index.close()
    session.notes.passed_over(world.passed_over, 0)
    _note_cost(session, index, surveyor, False)
    return held


def survey_for(session: Session, sheet: Sheet) -> Stock:
    """Everything that is held and could be what a sheet wants."""
    index = open_index(session)
    try:
        with session.screen.bar("Surveying") as bar:
            world = _survey(session, session.loaded.catalogue, Scope(), _surveyor(session, index, bar, more=[sheet]))
    finally:
        index.close()
    session.notes.passed_over(world.passed_over, 0)
    _note_away(session, world)
    return Stock(world.everything)


def as_installed(session: Session, world: World, scope: Scope) -> World:
    """The same world with the releases that are really installed."""
    return refitted(world, session.loaded.config, session.loaded.catalogue, structs.replace(scope, releases={}))


def _survey(session: Session, catalogue: Catalogue, scope: Scope, surveyor: Surveyor) -> World:
    seen = session.rigs.seen
    env = session.call.environment.env
    sources = session.loaded.sources
    reach = Reach(seen, sources, session.rigs.grounds(scope), session.rigs.attics(scope), env, session.roster)
    world = look(session.loaded.config, catalogue, scope, surveyor, reach)
    attempts = Attempts(lambda: open_index(session), blank=surveyor.rereads)
    session.at_end += [world.members.close, attempts.close]
    return structs.replace(world, attempts=attempts)


def _surveyor(
    session: Session, index: Index, bar: Bar, *, reread: bool = False, more: Iterable[Sheet] = ()
) -> Surveyor:
    """A surveyor that looks for what this session's sheets know, and `more` sheets."""
    sheets = session.loaded.catalogue.sheets.values()
    known = KnownContents([*sheets, *more]) if more else session.loaded.known
    return Surveyor(known, index, listener=bar, reread=reread)


def _note_away(session: Session, world: World) -> None:
    """Note which sources are away and what counts as yours, and which are elsewhere today."""
    for one in world.away:
        name = one.source if one.source == one.at else f"{one.source} ({shorten(one.at)})"
        since = f" {one.since}" if one.since else ""
        counts = f"what the index knows of it ({count(one.files, 'file')}) counts as yours"
        nothing = f"{one.why}, and Gribble does not know what is on it: switch it on, or correct the path"
        said = f"note: {shorten(name)} is away{since}; {counts if one.files else nothing}"
        emptied = f"; if you emptied it yourself: gribble doctor --accept {quoted(one.source)}"
        session.notes.aside(said + (emptied if one.emptied else ""))
    for source in session.loaded.config.sources:
        if isinstance(source, MovedSource):
            session.notes.aside(f"note: {source.called} is at {source.at} today")


def aged(session: Session, audits: tuple[RigAudit, ...]) -> tuple[RigAudit, ...]:
    """Audits that say of each file in its place when it was last read whole."""
    index = open_index(session)

    def when(root: str, path: str) -> int:
        place = Path(root, path)
        try:
            return index.proofs.read_at(os.fsencode(place.parent), place.name.encode("utf-8", ANY_NAME))
        except sqlite3.DatabaseError:
            return 0

    try:
        return with_ages(audits, when)
    finally:
        index.close()


def why_source_away(session: Session, source: Source) -> str:
    """Why a source that was here before is not; empty if it is, or nothing was ever known of it."""
    held = holds_files_of(_index_file(session), source.known_at)
    seen = session.loaded.sources
    return why_away(source, seen, held=held) if held or source in seen else ""


def accept_source(session: Session, name: str) -> bool:
    """Take what is at a source's place for it as it is, and forget what was known of it; whether there is one of that
    name."""
    found = [one for one in session.loaded.config.sources if name in (one.name, one.at, shorten(one.at))]
    for source in found:
        index = open_index(session)
        try:
            index.forget(index.folders(os.fsencode(source.known_at)).values(), proofs=True)
        finally:
            index.close()
        session.loaded.sources.note(source)
    return bool(found)


def open_index(session: Session) -> Index:
    """The index, in memory only where there is no configuration to keep it beside."""
    return Index(_index_file(session))


def _index_file(session: Session) -> Path | None:
    memory = session.loaded.memory
    return memory / "index.sqlite" if memory else None


def _note_cost(session: Session, index: Index, surveyor: Surveyor, verbose: bool) -> None:
    if index.note:
        session.notes.aside(f"note: {index.note}")
    if verbose:
        tally = surveyor.tally
        session.notes.aside(
            f"surveyed {count(tally.files, 'file')}: {tally.opened:,} opened, {size(tally.bytes_read)} read"
        )


def _survey_path(path: Path, surveyor: Surveyor, world: World) -> Survey:
    """What a place holds or, where it is in a source that is away, held."""
    for away in world.away:
        if path.is_relative_to(away.at):
            within = path.relative_to(away.at).as_posix()
            held = [one for one in away.holdings if within == "." or lies_below(one.path, within)]
            if held:
                return Survey(away.at, HeldHere(held, root=away.at), ())
    return surveyor.survey(path) if os.path.isdir(path) else surveyor.survey_file(path, everything=True)
