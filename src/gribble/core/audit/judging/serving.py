"""Which files of a rig serve a need where they lie, so that they are never moved, and who wants which place."""

from __future__ import annotations

from gribble.core.audit.judging.case import RigCase
from gribble.core.audit.judging.claims import are_apart, called, chosen_between, is_same, places_of
from gribble.core.audit.judging.judge import best_liked
from gribble.core.base.paths import join
from gribble.core.records.findings import Proof
from gribble.core.records.fitted import Fitted
from gribble.core.records.holding import Holding
from gribble.core.records.sheet import Need


class Serving:
    """What the needs of one rig's emulators have and want; it is made before any of them is audited."""

    def __init__(self, case: RigCase) -> None:
        self._rig, self._shelf, self._judge = case.rig, case.shelf, case.judge
        self._paths: set[str] = set()
        self._sound: dict[str, list[tuple[Fitted, Need]]] = {}
        self._right: dict[str, list[tuple[Fitted, Need]]] = {}  # of any name: one of them serves, any would
        self._claims: dict[str, list[tuple[Fitted, Need]]] = {}
        self._accepted_places: dict[str, list[tuple[Fitted, Need]]] = {}
        """The places, as the shelf compares them, at which needs look, with those."""
        self._folders = {path for fitted in case.rig.emulators for path in fitted.folders.values()}
        self._files = {self._shelf.key(one.file) for fitted in case.rig.emulators for one in fitted.setting}
        for fitted in case.rig.emulators:
            for need in fitted.needs:
                self._note(fitted, need)

    def _note(self, fitted: Fitted, need: Need) -> None:
        for part, folder, names in places_of(fitted.folders, need):
            for name in names:
                self._accepted_places.setdefault(self._shelf.key(join(folder, name)), []).append((fitted, part))
            if not need.any_name and need.id not in fitted.ignore:
                self._claims.setdefault(self._shelf.key(join(folder, names[0])), []).append((fitted, part))
            serving = self._shelf.folder(folder) if need.any_name else self._shelf.at_names(folder, names)
            judged = ((holding, self._judge.judge(fitted, part, holding)) for holding in serving)
            right = [pair for pair in judged if pair[1].accepted]
            for holding, _ in right if need.any_name else ():
                self._right.setdefault(holding.path, []).append((fitted, part))
            if need.any_name and right and not need.requires:  # else only the audit can tell which is used
                right = [best_liked(part.accept, right)]
            for holding, judgement in right:
                self._paths.add(holding.path)
                if judgement.proof is not Proof.NONE or need.changes:
                    self._sound.setdefault(holding.path, []).append((fitted, part))

    @property
    def owners(self) -> dict[str, tuple[str, ...]]:
        """The files that are sound for a need where they lie, with the needs in words."""
        return {path: tuple(called(*one) for one in owners) for path, owners in self._sound.items()}

    def movable(self, holding: Holding) -> bool:
        """Whether a holding may be moved to where it is wanted: loose on this rig, and serving nobody, not even a
        link."""
        if holding.rig != self._rig.name or holding.member is not None or holding.fixed:
            return False
        return holding.path not in self._paths and not self._shelf.leans(holding.path)

    def another(self, holding: Holding, fitted: Fitted, need: Need) -> bool:
        """Whether a file is sound for another need where it lies, be it as one of several."""
        owners = (*self._sound.get(holding.path, ()), *self._right.get(holding.path, ()))
        return any(not is_same(one, (fitted, need)) for one in owners)

    def looks_at(self, path: str) -> bool:
        """Whether a need or a setting looks at a place."""
        key = self._shelf.key(path)
        return key in self._accepted_places or key in self._files

    def concerns(self, holding: Holding, fitted: Fitted, need: Need, folder: str) -> bool:
        """Whether a file in a need's `folder` is another's business: it serves one that is no alternative, lies where
        one looks, or in another of the emulators' folders, or is a settings file."""
        key = self._shelf.key(holding.path)
        others = [*self._sound.get(holding.path, ()), *self._accepted_places.get(key, ())]
        if any(not is_same(one, (fitted, need)) and not chosen_between(fitted, need, *one) for one in others):
            return True
        inner = (self._shelf.key(one) for one in self._folders if len(one) > len(folder))
        return key in self._files or any(key.startswith(f"{one}/") for one in inner)

    def contested(self, place: str) -> bool:
        """Whether several needs want a place."""
        return len(self._claims.get(self._shelf.key(place), ())) > 1

    def rivals(self, fitted: Fitted, need: Need, place: str, use: Holding | None) -> tuple[str, ...]:
        """The other needs that want a place, or have what they want there, and that `use` would not serve; without one,
        those with which a need has no content in common."""
        claims = [*self._claims.get(self._shelf.key(place), ()), *self._sound.get(place, ())]
        found: dict[str, None] = {}
        for other, theirs in claims:
            if is_same((other, theirs), (fitted, need)) or chosen_between(fitted, need, other, theirs):
                continue
            serves = self._judge.judge(other, theirs, use).accepted if use else not are_apart(need, theirs)
            if not serves:
                found[called(other, theirs)] = None
        return tuple(found)
