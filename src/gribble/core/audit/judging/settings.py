"""Settings: whether the emulator's own configuration leads to the right file, and what it should say instead."""

from __future__ import annotations

from collections.abc import Iterable
from typing import TypeAlias

from gribble.core.audit.judging.case import RigCase
from gribble.core.audit.judging.choices import best_liked
from gribble.core.base.paths import base
from gribble.core.files.leads import Frame, Lead, Reading, read_literally, read_path, written
from gribble.core.files.settingsfile import NoSuchKey, SettingError, value_of
from gribble.core.records.facts import (
    Fact,
    IsFor,
    LeadsOut,
    LeadsTo,
    NotToldHere,
    NoValue,
    NoWayThere,
    SaysNothing,
    SettingsUnread,
)
from gribble.core.records.findings import Finding, Remedy, SettingFinding, Verdict
from gribble.core.records.fitted import Fitted
from gribble.core.records.readings import ABSENT, Unread
from gribble.core.records.sheet import Level, Setting

_Group: TypeAlias = tuple[Finding, ...]


class SettingsAuditor:
    """Audits the settings of one rig's emulators, once their needs are."""

    def __init__(self, case: RigCase) -> None:
        self._rig, self._shelf, self._judge = case.rig, case.shelf, case.judge
        self._files = case.ask.readings.settings
        self._folders = case.shelf.folders

    def audit(self, fitted: Fitted, findings: _Group) -> tuple[SettingFinding, ...]:
        """What is true of each setting of an emulator, gaps that the user accepts left out."""
        by_need = {finding.need.id: finding for finding in findings}
        found = []
        for setting in fitted.setting:
            finding = by_need[setting.need] if setting.need else None
            if finding is None or not finding.ignored:
                found.append(self._find(fitted, setting, finding, findings))
        return tuple(found)

    def _find(self, fitted: Fitted, setting: Setting, finding: Finding | None, findings: _Group) -> SettingFinding:
        subject = finding.need.id if finding else setting.folder or ""
        level = finding.need.level if finding else Level.MUST

        def found(verdict: Verdict, *facts: Fact, value: str = "", wanted: str | None = None) -> SettingFinding:
            return SettingFinding(
                setting=setting,
                file=setting.file,
                level=level,
                subject=subject,
                verdict=verdict,
                remedy=Remedy.NONE if wanted is None else Remedy.POINT,
                facts=facts,
                value=value,
                wanted=wanted or "",
                size=len(data) if isinstance(data, bytes) else 0,
                unexamined=isinstance(data, Unread) and not data.absent,
            )

        data = self._files.get((self._rig.name, setting.file), ABSENT)
        if isinstance(data, Unread):
            verdict = Verdict.MISSING if data.absent else Verdict.UNPROVEN
            start = fitted.title if data.absent else ""
            return found(verdict, SettingsUnread(base(setting.file), data.why, start))
        frame = self._frame(setting, fitted.root.exact_names)
        group = _choice(fitted, finding, findings) if finding else ()
        target = _target(group) if group else fitted.folders[setting.folder or ""]
        aim = finding.need.called if finding else f"the folder {target}"
        try:
            value = value_of(data, setting.format, setting.key)
        except SettingError as error:
            absent = isinstance(error, NoSuchKey)
            should = None if target is None else written(target, "", frame)
            none = NoValue(base(setting.file), str(error), aim, fitted.title if absent else "", should)
            return found(Verdict.MISSING if absent else Verdict.DAMAGED, none)
        reading = self._reading(value, frame)
        if reading.unknown:
            return found(Verdict.UNPROVEN, NotToldHere(value, reading.unknown), value=value)
        if finding is None:
            verdict, fact = self._follow_to_folder(fitted, value, reading.leads, target or "")
        else:
            verdict, fact = self._follow(fitted, finding, group, value, reading.leads)
        if reading.fault:
            fact = LeadsOut(value, reading.fault)
        if not value.strip():
            fact = SaysNothing()
        if verdict in (Verdict.SOUND, Verdict.UNPROVEN):
            return found(verdict, fact, value=value)
        more: list[Fact] = [IsFor(aim)] if finding else []  # of a folder the fact has said it
        wanted = None if target is None else written(target, value, frame)
        if target is not None and wanted is None:
            more.append(NoWayThere(target, fitted.title))
        return found(verdict, fact, *more, value=value, wanted=wanted)

    def _reading(self, value: str, frame: Frame) -> Reading:
        """What a value says; a file that is there under that very name is no variable's."""
        literal = read_literally(value, frame)
        return literal if any(self._shelf.at(lead.path) for lead in literal.leads) else read_path(value, frame)

    def _frame(self, setting: Setting, exact: bool) -> Frame:
        rig = self._rig
        return Frame(
            anchor=rig.seen_as or rig.root,
            root=rig.root,
            file=setting.file,
            folders=self._folders,
            folds_case=rig.folds_case and not exact,
            seen_as=bool(rig.seen_as),
            variables=None if rig.seen_as else rig.variables,
        )

    def _same(self, fitted: Fitted, one: str, other: str) -> bool:
        """Whether two paths are one to the device."""
        return one == other or (not fitted.root.exact_names and self._shelf.key(one) == self._shelf.key(other))

    def _follow_to_folder(self, fitted: Fitted, value: str, ways: Iterable[Lead], folder: str) -> tuple[Verdict, Fact]:
        """Whether a value leads to a folder."""
        paths = [lead.path for lead in ways]
        if any(self._same(fitted, path, folder) for path in paths):
            return Verdict.SOUND, LeadsTo(value, folder, "folder")
        return Verdict.IMPOSTER, LeadsTo(value, paths[0] if paths else "", "other folder", folder)

    def _follow(
        self, fitted: Fitted, finding: Finding, group: _Group, value: str, ways: Iterable[Lead]
    ) -> tuple[Verdict, Fact]:
        """What a value leads to, by the reading that serves best."""
        targets = [place.expected for other in group for place in other.places]
        reasons: list[tuple[Verdict, Fact]] = []
        for lead in ways:
            path = lead.path
            holding = self._shelf.at(path)
            if holding and fitted.root.exact_names and holding.path != path:
                holding = None
            faults = []
            for other in group:
                judgement = self._judge.judge(fitted, other.need, holding) if holding else None
                if holding and judgement and judgement.accepted:
                    proven = bool(other.need.key or judgement.proof != "none")
                    if proven or holding.path in targets:
                        return Verdict.SOUND if proven else Verdict.UNPROVEN, LeadsTo(value, path, "file")
                elif judgement:
                    faults.append(judgement.fault)
            if any(self._same(fitted, path, target) for target in targets):
                return Verdict.SOUND, LeadsTo(value, path, "place", finding.need.called)
            if holding:
                fault = faults[0] if faults else None
                reasons.append((Verdict.IMPOSTER, LeadsTo(value, path, "wrong", fault=fault)))
            elif twin := self._shelf.in_other_case(path):
                reasons.append((Verdict.MISSING, LeadsTo(value, path, "spelled", base(twin.path))))
            else:
                reasons.append((Verdict.MISSING, LeadsTo(value, path, "nothing")))
        return min(reasons, key=lambda pair: pair[0] is Verdict.MISSING, default=(Verdict.IMPOSTER, SaysNothing()))


def _target(group: _Group) -> str | None:
    """Where a value should lead: where the best liked file is or will be. None where there is no file to lead to."""
    for other in group:
        place = other.places[0]
        if not other.spared and (other.in_place or place.met):
            sound = place.found and place.verdict in (Verdict.SOUND, Verdict.UNPROVEN)
            return place.found.path if place.found and sound else place.expected
    for other in group:
        if not other.spared and other.places[0].fixable:
            return other.places[0].expected
    return None


def _choice(fitted: Fitted, finding: Finding, findings: _Group) -> _Group:
    """A need and, where it has a choice, the others of it, the best liked first: any of them will do."""
    if finding.need.choice is None:
        return (finding,)
    return tuple(best_liked((other for other in findings if other.need.choice == finding.need.choice), fitted.liking))
