"""Settings: whether the emulator's own configuration leads to the right file, and what it should say instead."""

from __future__ import annotations

import contextlib
from collections.abc import Container, Iterable, Iterator
from typing import NamedTuple, TypeAlias

from msgspec import structs

from gribble.core.audit.judging.case import RigCase
from gribble.core.audit.judging.choices import best_liked
from gribble.core.base.kinds import Format
from gribble.core.base.paths import base, fold, join, parent
from gribble.core.files.leads import Frame, Lead, Reading, read_literally, read_path, written
from gribble.core.files.settingsfile import NoSuchKey, SettingError, value_of
from gribble.core.records.facts import (
    Demanded,
    Fact,
    IsFor,
    LeadsOut,
    LeadsTo,
    NotToldHere,
    NoValue,
    NoWayThere,
    RootSpelled,
    SaysNothing,
    SettingsUnread,
)
from gribble.core.records.findings import (
    Demand,
    Finding,
    NeedFinding,
    Proof,
    Remedy,
    RootFinding,
    SettingFinding,
    Value,
    Verdict,
    standing,
)
from gribble.core.records.holding import Holding
from gribble.core.records.place import Fitted
from gribble.core.records.rig_seen import ABSENT, RigSeen, RigVolume, Unread
from gribble.core.records.sheet import Level, Root, Setting
from gribble.core.survey.holdings import Shelf

_Group: TypeAlias = tuple[NeedFinding, ...]


class _Aim(NamedTuple):
    """What a setting is to lead to: to one of several needs (none where it is a folder), which are `called` so, and to
    the place `target`, if there is one."""

    group: _Group
    called: str
    target: str | None


class SettingsAuditor:
    """Audits the settings of one rig's emulators, once their needs are."""

    def __init__(self, case: RigCase) -> None:
        self._rig, self._shelf, self._judge = case.rig, case.shelf, case.judge
        self._files = case.given.readings.settings
        self._folders = case.shelf.folders
        self._said: dict[tuple[str, Format, str], str | SettingError] = {}

    def audit(self, fitted: Fitted, findings: _Group) -> tuple[SettingFinding, ...]:
        """What is true of each setting of an emulator, gaps that the user accepts left out."""
        by_need = {finding.need.id: finding for finding in findings}
        found = []
        for setting in fitted.setting:
            finding = by_need[setting.need] if setting.need else None
            if finding is None or not finding.ignored:
                found.append(self._find(fitted, setting, finding, findings))
        return tuple(found)

    def led_to(self, fitted: Fitted) -> dict[str, tuple[Holding, ...]]:
        """The right files to which settings lead, by need, wherever they are on the rig."""
        found: dict[str, list[Holding]] = {}
        for setting in fitted.setting:
            data = self._files.get((self._rig.name, setting.file))
            if setting.need is None or not isinstance(data, bytes):
                continue
            place = fitted.places[setting.need][0]
            with contextlib.suppress(SettingError):
                value = self._value(data, setting)
                for lead in self._reading(value, self._frame(fitted, setting)).leads:
                    if (holding := self._at(fitted, lead.path)) is None:
                        continue
                    judged = self._judge.judge(place, holding)
                    if judged.accepted and (place.need.key or judged.proof is not Proof.NONE):
                        found.setdefault(setting.need, []).append(holding)
        return {need: tuple(holdings) for need, holdings in found.items()}

    def _value(self, data: bytes, setting: Setting) -> str:
        """What a settings file says, looked up once. Raises SettingError."""
        place = setting.file, setting.format, setting.key
        if place not in self._said:
            try:
                self._said[place] = value_of(data, setting.format, setting.key)
            except SettingError as error:
                self._said[place] = error
        said = self._said[place]
        if isinstance(said, SettingError):
            raise said
        return said

    def _find(self, fitted: Fitted, setting: Setting, finding: NeedFinding | None, findings: _Group) -> SettingFinding:
        data = self._files.get((self._rig.name, setting.file), ABSENT)
        subject = Value(
            setting=setting,
            level=finding.need.level if finding else Level.MUST,
            aim=finding.need.id if finding else setting.folder or "",
            size=len(data) if isinstance(data, bytes) else 0,
        )
        if isinstance(data, Unread):
            return _unread(subject, data, fitted.title)
        frame, aim = self._frame(fitted, setting), _aim(fitted, setting, finding, findings)
        try:
            value = self._value(data, setting)
        except SettingError as error:
            should = None if aim.target is None else written(aim.target, "", frame)
            set_in = fitted.title if isinstance(error, NoSuchKey) else ""
            none = NoValue(base(setting.file), str(error), aim.called, set_in, should)
            return Finding(subject=subject, verdict=Verdict.UNSET if set_in else Verdict.DAMAGED, facts=(none,))
        subject = structs.replace(subject, value=value)
        verdict, fact = self._told(fitted, aim, value, self._reading(value, frame))
        if verdict in (Verdict.SOUND, Verdict.UNPROVEN):
            return Finding(subject=subject, verdict=verdict, facts=(fact,))
        facts = (fact, IsFor(aim.called)) if finding else (fact,)  # of a folder the fact has said it
        if aim.target is None:
            return Finding(subject=subject, verdict=verdict, facts=facts)
        wanted = written(aim.target, value, frame)
        no_way = () if wanted else (NoWayThere(aim.target, fitted.title),)
        subject = structs.replace(subject, wanted=wanted or "")
        return Finding(
            subject=subject,
            verdict=verdict,
            remedy=Remedy.POINT if wanted is not None else Remedy.NONE,
            facts=(*facts, *no_way),
        )

    def _told(self, fitted: Fitted, aim: _Aim, value: str, reading: Reading) -> tuple[Verdict, Fact]:
        """What is true of a value, by what it says."""
        if reading.unknown:
            return Verdict.UNPROVEN, NotToldHere(value, reading.unknown)
        if not value.strip():
            return Verdict.UNSET, SaysNothing()
        if reading.fault:
            return Verdict.WRONG, LeadsOut(value, reading.fault)
        if not aim.group:
            return self._follow_to_folder(fitted, value, reading.leads, aim.target or "")
        return self._follow(fitted, aim, value, reading.leads)

    def _reading(self, value: str, frame: Frame) -> Reading:
        """What a value says; a file that is there under that very name is no variable's."""
        literal = read_literally(value, frame)
        return literal if any(self._shelf.at(lead.path) for lead in literal.leads) else read_path(value, frame)

    def _frame(self, fitted: Fitted, setting: Setting) -> Frame:
        rig, exact = self._rig, fitted.root.exact_names
        return Frame(
            anchor=rig.seen_as or rig.root,
            root=rig.root,
            file=setting.file,
            folders=self._folders,
            folds_case=rig.volume.folds_case and not exact,
            seen_as=bool(rig.seen_as),
            variables=None if rig.seen_as else rig.variables,
            home=join(fitted.installed.at),
            start=fitted.folders[setting.relative_to] if setting.relative_to else None,
            alike=tuple(self._values(fitted, setting)),
        )

    def _values(self, fitted: Fitted, setting: Setting) -> Iterator[str]:
        """What the other settings in the same file say."""
        data = self._files.get((self._rig.name, setting.file))
        if not isinstance(data, bytes):
            return
        for other in fitted.setting:
            if other is not setting and other.file == setting.file and other.relative_to is None:
                with contextlib.suppress(SettingError):
                    yield self._value(data, other)

    def _same(self, fitted: Fitted, one: str, other: str) -> bool:
        """Whether two paths are one to the device."""
        return one == other or (not fitted.root.exact_names and self._shelf.key(one) == self._shelf.key(other))

    def _follow_to_folder(self, fitted: Fitted, value: str, ways: Iterable[Lead], folder: str) -> tuple[Verdict, Fact]:
        """Whether a value leads to a folder."""
        paths = [lead.path for lead in ways]
        if any(self._same(fitted, path, folder) for path in paths):
            return Verdict.SOUND, LeadsTo(value, folder, "folder")
        return Verdict.WRONG, LeadsTo(value, paths[0] if paths else "", "other folder", folder)

    def _follow(self, fitted: Fitted, aim: _Aim, value: str, ways: Iterable[Lead]) -> tuple[Verdict, Fact]:
        """What a value leads to, by the reading that serves best."""
        targets = [place.expected for other in aim.group for place in other.places]
        reasons: list[tuple[bool, Fact]] = []  # with whether nothing is there
        for lead in ways:
            path = lead.path
            holding = self._at(fitted, path)
            proven, fault = self._serves(fitted, aim.group, holding, targets) if holding else (None, None)
            if proven is not None:
                return Verdict.SOUND if proven else Verdict.UNPROVEN, LeadsTo(value, path, "file")
            if any(self._same(fitted, path, target) for target in targets):
                return Verdict.SOUND, LeadsTo(value, path, "place", aim.called)
            if holding:
                reasons.append((False, LeadsTo(value, path, "wrong", fault=fault)))
            elif twin := self._shelf.in_other_case(path):
                reasons.append((True, LeadsTo(value, path, "spelled", base(twin.path))))
            else:
                reasons.append((True, LeadsTo(value, path, "nothing")))
        if not reasons:
            return Verdict.UNSET, SaysNothing()
        return Verdict.WRONG, min(reasons, key=lambda pair: pair[0])[1]

    def _serves(
        self, fitted: Fitted, group: _Group, holding: Holding, targets: Container[str]
    ) -> tuple[bool | None, Fact | None]:
        """Whether a file is proven to be what one of some needs wants, which is None if none takes it, and what is
        wrong with it then. What nothing proves has to lie at a place of theirs."""
        fault: Fact | None = None
        for other in group:
            judgement = self._judge.judge(fitted.places[other.need.id][0], holding)
            if not judgement.accepted:
                fault = fault or judgement.fault
            elif other.need.key or judgement.proof is not Proof.NONE:
                return True, None
            elif holding.path in targets:
                return False, None
        return None, fault

    def _at(self, fitted: Fitted, path: str) -> Holding | None:
        """The file to which a path leads, if the device finds it under that name."""
        holding = self._shelf.at(path)
        return None if holding and fitted.root.exact_names and holding.path != path else holding


def _unread(subject: Value, file: Unread, title: str) -> SettingFinding:
    """A setting in a file that cannot be read, or is not there before the emulator (of that title) was started."""
    fact = SettingsUnread(base(subject.setting.file), file.why, title if file.absent else "")
    return Finding(
        subject=subject,
        verdict=Verdict.UNSET if file.absent else Verdict.UNPROVEN,
        facts=(fact,),
        standing=standing(unexamined=not file.absent),
    )


def _aim(fitted: Fitted, setting: Setting, finding: NeedFinding | None, findings: _Group) -> _Aim:
    if finding is None:
        folder = fitted.folders[setting.folder or ""]
        return _Aim((), f"the folder {folder}", folder)
    group = _choice(fitted, finding, findings)
    return _Aim(group, finding.need.called, _target(group))


def _target(group: _Group) -> str | None:
    """Where a value should lead: where the best liked file is or will be. None if there is no file to lead to."""
    for other in group:
        place = other.places[0]
        if not other.spared and (other.in_place or place.met):
            sound = place.found and place.verdict in (Verdict.SOUND, Verdict.UNPROVEN)
            return place.found.path if place.found and sound else place.expected
    fixable = (other.places[0] for other in group if not other.spared and other.places[0].fixable)
    return next((place.expected for place in fixable), None)


def _choice(fitted: Fitted, finding: NeedFinding, findings: _Group) -> _Group:
    """A need and, where it has a choice, the others of it, the best liked first: any of them will do."""
    if finding.need.choice is None:
        return (finding,)
    return tuple(best_liked((other for other in findings if other.need.choice == finding.need.choice), fitted.liking))


def check_root(fitted: Fitted, rig: RigSeen, shelf: Shelf) -> tuple[RootFinding, ...]:
    """What is true of each demand; what cannot be seen from here is unproven and said."""
    exact = _spelled(fitted, shelf) if fitted.root.exact_names else ()
    return (*_demands(fitted.root, rig), *exact)


def _demands(root: Root, rig: RigSeen) -> Iterator[RootFinding]:
    there = rig.volume
    if root.volume:
        wanted = " or ".join(root.volume)
        wrong = Verdict.WRONG if there.kind else Verdict.UNPROVEN
        verdict = Verdict.SOUND if there.kind in root.volume else wrong
        yield Finding(
            subject=Demand("volume"),
            verdict=verdict,
            facts=(Demanded("volume", wanted, there.kind, rig.name, str(verdict)),),
        )
    if root.label is not None:
        verdict = _label_verdict(root.label, there, exact=root.exact_names)
        fact = Demanded("label", root.label, there.label, rig.name, str(verdict))
        yield Finding(subject=Demand("label"), verdict=verdict, facts=(fact,))


def _label_verdict(wanted: str, volume: RigVolume, *, exact: bool) -> Verdict:
    """Whether a volume has a label. FAT keeps labels in capitals, and an `exact` device may insist all the same."""
    if volume.label == wanted:
        return Verdict.SOUND
    if not volume.label:
        return Verdict.UNPROVEN
    if exact or fold(volume.label) != fold(wanted):
        return Verdict.WRONG
    return {"fat32": Verdict.SOUND, "": Verdict.UNPROVEN}.get(volume.kind, Verdict.WRONG)


def _spelled(fitted: Fitted, shelf: Shelf) -> Iterator[RootFinding]:
    """The folders and files without which nothing runs, where the device does not find them as they are spelled."""
    wanted = [fitted.folders[fitted.arcade.folder]] if fitted.arcade else []
    for path in dict.fromkeys((*wanted, *(parent(one.file) for one in fitted.setting))):
        if (there := shelf.spelled(path)) != path:
            yield Finding(subject=Demand("names"), verdict=Verdict.WRONG, facts=(RootSpelled(there, path),))
