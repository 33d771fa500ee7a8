"""The world as one command sees it: configuration, catalogue and survey brought together for the audit."""

from __future__ import annotations

import json
from collections.abc import Iterable
from pathlib import Path

import msgspec
from msgspec import Struct

from gribble.core.audit.audit import RigWorld, audit
from gribble.core.audit.findings import RigAudit, Verdict
from gribble.core.catalogue.config import Fitted, fit_sheet
from gribble.core.catalogue.records import Config, Installed, Rig
from gribble.core.catalogue.sheets import Catalogue
from gribble.core.catalogue.tables import suggest
from gribble.core.diagnosis.diagnose import MAX_BYTES
from gribble.core.diagnosis.nearmisses import Searcher, Wanted
from gribble.core.errors import ExitCode, GribbleError
from gribble.core.matching import KnownContents
from gribble.core.placing.volumes import folds_case
from gribble.core.survey.archives.common import ArchiveError
from gribble.core.survey.archives.opening import member_blocks
from gribble.core.survey.survey import Holding, Survey, Surveyor
from gribble.core.survey.walking import Skipped


class Scope(Struct, frozen=True, kw_only=True):
    """What a command is about: rigs and emulators (none named: all), and what differs from the configuration.

    `sources` are further sources; `at` is where the one rig is today; `releases` overrides releases by emulator.
    """

    rigs: tuple[str, ...] = ()
    emulators: tuple[str, ...] = ()
    sources: tuple[str, ...] = ()
    at: str | None = None
    releases: dict[str, str] = {}


class World(Struct, frozen=True, kw_only=True):
    """Everything held, on rigs and in sources, and what was passed over."""

    rigs: tuple[RigWorld, ...]
    sources: tuple[Survey, ...]
    known: KnownContents
    regions: tuple[str, ...]
    passed_over: tuple[Skipped, ...]

    @property
    def source_holdings(self) -> list[Holding]:
        """What the sources hold."""
        return [holding for survey in self.sources for holding in survey.holdings]

    def audit(self, scope: Scope) -> tuple[RigAudit, ...]:
        """The audit of the rigs and emulators in scope; what is wrong or missing is looked for among near misses."""
        audits = audit(self.rigs, self.source_holdings, self.known, self.regions)
        wishes = [wanted for rig, found in zip(self.rigs, audits, strict=True) for wanted in _wishes(rig, found)]
        if wishes:
            near = self.searcher().search(wishes)
            audits = audit(self.rigs, self.source_holdings, self.known, self.regions, near)
        chosen = [_narrow(found, scope) for found in audits if not scope.rigs or found.rig in scope.rigs]
        return tuple(found for found in chosen if found.emulators or found.away or not scope.emulators)

    def searcher(self, more: Iterable[Holding] = ()) -> Searcher:
        """What looks for near misses among everything held here, and `more`."""
        holdings = [*more, *self.source_holdings, *(holding for rig in self.rigs for holding in rig.holdings)]
        return Searcher(holdings, lambda one: bool(self.known.matches(one.size, one.digests)), read_whole)


def read_whole(holding: Holding) -> bytes | None:
    """A holding's content; None where it cannot be read, or is too large to be diagnosed."""
    if holding.size > MAX_BYTES:
        return None
    try:
        if holding.member is not None:
            return b"".join(member_blocks(holding.place, holding.member))
        return holding.place.read_bytes()
    except (OSError, ArchiveError):
        return None


def _wishes(rig: RigWorld, found: RigAudit) -> Iterable[Wanted]:
    """The needs of a rig that are open as far as whole files go, with what lies at their places."""
    for fitted, emulator in zip(rig.emulators, found.emulators, strict=False):
        for finding in emulator.findings:
            wrong = [place for place in finding.places if place.verdict in (Verdict.IMPOSTER, Verdict.MISSING)]
            if not wrong or finding.ignored:
                continue
            imposters = [place.found for place in wrong if place.found and place.verdict is Verdict.IMPOSTER]
            yield Wanted(
                emulator=fitted.emulator,
                need=finding.need,
                unlock=fitted.unlock,
                key_needs={need.id: need for need in fitted.needs},
                suspects=tuple(imposters),
                held=next((place.use for place in wrong if place.use and place.accept), None),
                rig=rig.name,
            )


def _narrow(found: RigAudit, scope: Scope) -> RigAudit:
    if not scope.emulators:
        return found
    kept = tuple(emulator for emulator in found.emulators if emulator.emulator in scope.emulators)
    return msgspec.structs.replace(found, emulators=kept)


class SeenRigs:
    """The roots at which rigs have been seen, so that an absent one is known to be away. Kept in a small file."""

    def __init__(self, path: Path | None) -> None:
        self._path = path
        try:
            self._roots = set(json.loads(path.read_text())) if path else set()
        except (OSError, ValueError, TypeError):
            self._roots = set()

    def __contains__(self, root: str) -> bool:
        return root in self._roots

    def note(self, root: str) -> None:
        """Remember a root that is there now; where that cannot be written, nothing is lost but this memory."""
        if root in self._roots or self._path is None:
            return
        self._roots.add(root)
        work = self._path.with_suffix(".part")
        try:
            self._path.parent.mkdir(parents=True, exist_ok=True)
            work.write_text(json.dumps(sorted(self._roots)))
            work.replace(self._path)
        except OSError:
            return


def check_scope(config: Config, scope: Scope) -> None:
    """Raise GribbleError where a scope names a rig or emulator that the configuration does not have."""
    emulators = sorted({name for rig in config.rig.values() for name in rig.emulators})
    for words, known, what in (
        (scope.rigs, list(config.rig), "rig"),
        (scope.emulators, emulators, "emulator on your rigs"),
        (tuple(scope.releases), emulators, "emulator on your rigs"),
    ):
        for word in words:
            if word not in known:
                raise GribbleError(f"'{word}' is no {what}{suggest(word, known)}", fix="See gribble.toml.")
    if scope.at is not None and len(scope.rigs or config.rig) != 1:
        raise GribbleError("--at says where one rig is today", fix="Name the rig too: --rig NAME.")


def look(config: Config, catalogue: Catalogue, scope: Scope, surveyor: Surveyor, seen: SeenRigs) -> World:
    """Survey every rig and source. What cannot be read is passed over with a reason. Raises GribbleError."""
    known = KnownContents(catalogue.sheets.values())
    passed: list[Skipped] = []
    roots = {name: Path(rig_root(name, rig, scope)) for name, rig in config.rig.items()}
    folders = frozenset(Path(source) for source in (*config.sources, *scope.sources))
    for name, root in roots.items():
        if root in folders:
            raise GribbleError(
                f"{root} is a source and rig {name} at once, but sources are never written",
                fix="Take it out of the sources; a rig's files are found anyway.",
            )
    rigs = [
        _look_at_rig(name, roots[name], rig, _fitted(rig, catalogue, scope), folders, surveyor, seen, passed)
        for name, rig in config.rig.items()
    ]
    sources = list(_look_at_sources((*config.sources, *scope.sources), set(roots.values()), surveyor, passed))
    return World(
        rigs=tuple(rigs), sources=tuple(sources), known=known, regions=config.regions, passed_over=tuple(passed)
    )


def rig_root(name: str, rig: Rig, scope: Scope) -> str:
    """Where a rig's root is today."""
    here = scope.at is not None and (not scope.rigs or name in scope.rigs)
    return scope.at if here and scope.at is not None else rig.at


def _fitted(rig: Rig, catalogue: Catalogue, scope: Scope) -> tuple[Fitted, ...]:
    return tuple(
        fit_sheet(catalogue.sheets[name], _as_release(installed, scope.releases.get(name)))
        for name, installed in rig.emulators.items()
        if name in catalogue.sheets
    )


def _as_release(installed: Installed, release: str | None) -> Installed:
    return msgspec.structs.replace(installed, release=release) if release else installed


def _look_at_rig(
    name: str,
    root: Path,
    rig: Rig,
    fitted: tuple[Fitted, ...],
    sources: frozenset[Path],
    surveyor: Surveyor,
    seen: SeenRigs,
    passed: list[Skipped],
) -> RigWorld:
    if root.exists() and not root.is_dir():
        raise GribbleError(f"rig {name}: {root} is a file, not a folder", fix=f"Correct rig.{name}.at in gribble.toml.")
    if not root.exists():
        away = ""
        if str(root) in seen:
            away = f"{root} is not there now"
        elif not root.parent.is_dir():
            away = f"{root.parent} is not there: plug it in, or make the folder"
        return RigWorld(name=name, root=str(root), emulators=fitted, away=away, new=not away)
    try:
        survey = surveyor.survey(root, rig=name, leave_out=sources)
    except GribbleError as error:
        raise GribbleError(f"rig {name}: {error.what}", fix=error.fix, code=ExitCode.FAILED) from error
    seen.note(str(root))
    passed += [msgspec.structs.replace(skipped, path=f"{name}: {skipped.path}") for skipped in survey.skipped]
    return RigWorld(
        name=name,
        root=str(root),
        emulators=fitted,
        holdings=survey.holdings,
        hidden={skipped.path: skipped.why for skipped in survey.skipped},
        folds_case=folds_case(rig.volume, root),
    )


def in_place(survey: Survey) -> list[Skipped]:
    """What a survey passed over, by absolute paths."""
    return [msgspec.structs.replace(skipped, path=str(Path(survey.root, skipped.path))) for skipped in survey.skipped]


def _look_at_sources(
    folders: Iterable[str], rigs: set[Path], surveyor: Surveyor, passed: list[Skipped]
) -> Iterable[Survey]:
    for folder in dict.fromkeys(folders):
        path = Path(folder)
        try:
            survey = surveyor.survey_file(path) if path.is_file() else surveyor.survey(path, leave_out=frozenset(rigs))
        except GribbleError as error:
            passed.append(Skipped(folder, f"this source is left out: {error.what}"))
            continue
        passed += in_place(survey)
        yield survey
