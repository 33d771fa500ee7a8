"""The sets of an arcade emulator: which are wanted, whether they run, and what would put them right."""

from __future__ import annotations

from collections.abc import Iterable

from msgspec import structs

from gribble.core.arcade.cabinet import cabinet_of
from gribble.core.arcade.discs import Discs
from gribble.core.arcade.packing import HowPacked, in_use, pack_sets
from gribble.core.arcade.samples import samples_of
from gribble.core.arcade.sets import asks_others, audit_set, lying_aside, nothing_wanted, wanted_sets
from gribble.core.arcade.wanting import variant_faults
from gribble.core.audit.judging.case import RigCase
from gribble.core.audit.judging.connecting import AwaySources
from gribble.core.records.findings import ArcadeAudit, Aside, SetAudit
from gribble.core.records.holding import Holdings
from gribble.core.records.place import Fitted
from gribble.core.records.set_remedies import SetRemedies


class SetsAuditor:
    """Audits the sets of a rig's arcade emulators; `elsewhere` is what is held on no part of it."""

    def __init__(self, case: RigCase, elsewhere: list[Holdings], away: AwaySources) -> None:
        self._case, self._rig, self._shelf = case, case.rig, case.shelf
        self._elsewhere, self._away = elsewhere, away

    def audit(self, fitted: Fitted) -> ArcadeAudit:
        """The wanted sets, what would put them right, and whether other releases' rosters could say more of them."""
        arcade, ask = self._rig.arcade.get(fitted.emulator), self._case.given.ask
        style = ask.style or fitted.installed.style
        if fitted.arcade is None or arcade is None or arcade.roster is None:
            return ArcadeAudit(note=arcade.note if arcade else "", style=style)
        cabinet = cabinet_of(self._rig, fitted, self._elsewhere)
        headers = list(self._case.given.readings.discs)
        discs = Discs(fitted.arcade, cabinet.folder, self._shelf.loose, headers, self._rig.name)
        samples = samples_of(self._rig, fitted, self._elsewhere)
        wanted = wanted_sets(fitted.installed.wanted, arcade.roster, cabinet, arcade.others, discs.digests)
        here = (self._rig.name, fitted.emulator)
        named, among = self._case.given.sets.get(here), self._case.given.among.get(here)
        asked = [name for name in (wanted if named is None else named) if among is None or name in among]
        sets = tuple(
            self._away.connected_set(audit_set(arcade.roster, name, cabinet, arcade.others, discs, samples))
            for name in asked
        )
        asks = bool(arcade.unread) and asks_others(named or fitted.installed.wanted, arcade.roster, sets, cabinet)
        notes = [*filter(None, [arcade.note]), *variant_faults(arcade.roster, fitted.installed.variants)]
        aside = lying_aside(arcade.roster, cabinet, wanted) if named is None and among is None else Aside()
        found = ArcadeAudit(sets=sets, asks_others=asks, note="; ".join(notes), style=style, aside=aside)
        if not wanted and named is None:
            notes.append(nothing_wanted(arcade.roster, cabinet, discs))
            return structs.replace(found, idle=True, note="; ".join(notes))
        if not ask.packing and style is None:
            return found
        how = HowPacked(style, ask.stubs or fitted.installed.stubs, ask.lean)
        uses = in_use(arcade.roster, {*wanted, *asked}, cabinet) if ask.packing and self._shared_out() else frozenset()
        remedies = pack_sets(arcade.roster, sets, cabinet, how, discs, samples)
        return structs.replace(found, remedies=self._awaited(remedies, sets), uses=uses)

    def _shared_out(self) -> bool:
        """Whether several emulators of the rig have sets, which may have archives in common."""
        return sum(arcade.roster is not None for arcade in self._rig.arcade.values()) > 1

    def _awaited(self, remedies: SetRemedies, sets: Iterable[SetAudit]) -> SetRemedies:
        """The same, where a set waits for a source that is away."""
        awaited = {one.set: words for one in sets if (words := self._away.waiting_for(one))}
        waiting = tuple(
            structs.replace(one, reason=f"not packed in part: the rest is in {awaited[one.set]}, which is away")
            if one.set in awaited
            else one
            for one in remedies.waiting
        )
        return structs.replace(remedies, waiting=waiting)
