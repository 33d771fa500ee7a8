"""The best selection of wanted sets for a card: what fits under a budget, what is shared counted once.

An integer linear program: one binary variable for a wish, one continuous variable for each thing that wishes share
(parents, BIOS sets, devices, discs), at least as great as that of every wish that needs it (`solver.py`).
"""

from __future__ import annotations

from collections.abc import Iterable, Mapping
from typing import NamedTuple

from msgspec import Struct

from gribble.core.base.threads import left_alone
from gribble.core.records.program import Program, Row


class Wish(Struct, frozen=True, kw_only=True):
    """One wanted set: its worth, and the things (archives, discs) that it needs on the card."""

    set: str
    needs: tuple[str, ...]
    weight: float = 1.0


class Selection(Struct, frozen=True, kw_only=True):
    """What was chosen, in the order of the wishes; `bytes` with what is shared, `gap` how far the worth may be off.

    `gap` is a share of the worth of the best selection, 0 if it is proven that none is worth more.
    """

    chosen: tuple[str, ...]
    left_out: tuple[str, ...]
    bytes: int
    worth: float
    gap: float

    @property
    def optimal(self) -> bool:
        """Whether it is proven that no other selection is worth more."""
        return self.gap == 0.0


def fit_sets(wishes: Iterable[Wish], sizes: Mapping[str, int], budget: int, seconds: float = 10.0) -> Selection:
    """The selection of greatest worth whose things fit into a budget, in bytes; among equals the earlier wishes.

    `sizes` are those of the things, in bytes on the card. `seconds` bounds the search; half
    of it more is spent on finding the earlier wishes.
    """
    wishes = list(wishes)
    possible = [wish for wish in wishes if wish.weight > 0 and sum(sizes[thing] for thing in wish.needs) <= budget]
    card = _Card(possible, sizes, budget)
    best, gap = _solve(card, _Aim([wish.weight for wish in possible], seconds))
    if best and len(best) < len(possible):
        best = _earliest(card, best, seconds)
    names = {wish.set for wish in best}
    return Selection(
        chosen=tuple(wish.set for wish in wishes if wish.set in names),
        left_out=tuple(wish.set for wish in wishes if wish.set not in names),
        bytes=cost(best, sizes),
        worth=sum(wish.weight for wish in best),
        gap=gap,
    )


class _Card(NamedTuple):
    """What could go on a card: wishes, the sizes of their things, and the room; all in bytes."""

    wishes: list[Wish]
    sizes: Mapping[str, int]
    budget: int


class _Aim(NamedTuple):
    """What a selection is to be best by: the values of the wishes, in so many seconds. `least` is the worth that it
    must keep, `decided` are wishes (by number) that are in or out."""

    values: list[float]
    seconds: float
    least: float | None = None
    decided: Mapping[int, bool] = {}


_AT_ONCE = 12
"""How many wishes are decided at once where the earlier ones are to be taken: powers of two tell them apart."""


def _earliest(card: _Card, best: list[Wish], seconds: float) -> list[Wish]:
    """Of all selections as worthy as the best one that which has the earliest wish in which two differ.

    A few wishes at a time, each worth more than all behind it together; what is decided stays. What is best so far
    stands where time runs out.
    """
    wishes, worth = card.wishes, sum(wish.weight for wish in best)
    starts = range(0, len(wishes), _AT_ONCE)
    decided: dict[int, bool] = {}
    for start in starts:
        group = range(start, min(start + _AT_ONCE, len(wishes)))
        values = [0.0] * len(wishes)
        for place, number in enumerate(group):
            values[number] = float(1 << (_AT_ONCE - place))
        found, gap = _solve(card, _Aim(values, seconds / 2 / len(starts), worth, decided))
        if gap or sum(wish.weight for wish in found) < worth - _SLACK:
            break
        best = found
        chosen = {wish.set for wish in found}
        decided |= {number: wishes[number].set in chosen for number in group}
    return best


_SLACK = 1e-6
"""Two worths closer than this are equal."""


def cost(wishes: Iterable[Wish], sizes: Mapping[str, int]) -> int:
    """What some wishes take on the card together, in bytes."""
    return sum(sizes[thing] for thing in {thing for wish in wishes for thing in wish.needs})


def _solve(card: _Card, aim: _Aim) -> tuple[list[Wish], float]:
    """The best selection, and the gap."""
    from gribble.core.arcade import solver  # with what lets it call a library, which only this question has a use for

    wishes, sizes, budget = card
    if not wishes or cost(wishes, sizes) <= budget:
        return wishes, 0.0
    program = _program(card, aim)
    found = left_alone(lambda: solver.solve(program, aim.seconds))
    chosen = zip(wishes, found.columns, strict=False)  # those of the wishes stand first
    best = _trimmed([wish for wish, value in chosen if value > 0.5], sizes, budget)
    if not aim.decided:
        best = _filled(best, wishes, sizes, budget)
    names = {wish.set for wish in best}
    worth = sum(value for wish, value in zip(wishes, aim.values, strict=True) if wish.set in names)
    bound = min(found.bound, sum(aim.values))
    whole = all(value == int(value) for value in aim.values)
    missing = (int(bound + _SLACK) if whole else bound) - worth  # whole worths: no selection lies between two
    return best, 0.0 if missing <= _SLACK else missing / (worth + missing)


def _program(card: _Card, aim: _Aim) -> Program:
    """A column for each wish, and one for each thing that several share."""
    wishes, sizes, budget = card
    users = _users(wishes)
    shared = {thing: len(wishes) + n for n, thing in enumerate(t for t, group in users.items() if len(group) > 1)}
    scale = max(float(budget), 1.0)  # in units of the budget, so that the numbers are of one order
    costs = dict.fromkeys(range(len(wishes) + len(shared)), 0.0)
    for thing, group in users.items():
        costs[shared.get(thing, group[0])] += sizes[thing] / scale
    rows = [Row(costs, most=budget / scale)]
    for thing, column in shared.items():  # a wish at most as great as each thing that it shares
        rows += [Row({number: 1.0, column: -1.0}, most=0.0) for number in users[thing]]
    if aim.least is not None:
        rows.append(Row({n: wish.weight for n, wish in enumerate(wishes)}, least=aim.least - _SLACK))
    free = (0.0, 1.0)
    decided = {number: (float(taken), float(taken)) for number, taken in aim.decided.items()}
    return Program(
        worths=[*aim.values, *([0.0] * len(shared))],
        bounds=[decided.get(number, free) for number in range(len(wishes))] + [free] * len(shared),
        rows=rows,
        whole=len(wishes),
    )


def _users(wishes: Iterable[Wish]) -> dict[str, list[int]]:
    """The numbers of the wishes that need each thing."""
    users: dict[str, list[int]] = {}
    for number, wish in enumerate(wishes):
        for thing in wish.needs:
            users.setdefault(thing, []).append(number)
    return users


def _trimmed(best: list[Wish], sizes: Mapping[str, int], budget: int) -> list[Wish]:
    """A solver works to a tolerance; what is over the budget by it loses its least worthy wish."""
    best = list(best)
    while cost(best, sizes) > budget:
        best.remove(min(best, key=lambda wish: wish.weight))
    return best


def _filled(best: list[Wish], wishes: list[Wish], sizes: Mapping[str, int], budget: int) -> list[Wish]:
    """Where the search was cut short, what still fits is added, in the order of the wishes."""
    there = {thing for wish in best for thing in wish.needs}
    chosen, used = {wish.set for wish in best}, cost(best, sizes)
    for wish in wishes:
        more = sum(sizes[thing] for thing in wish.needs if thing not in there)
        if wish.set not in chosen and used + more <= budget:
            chosen.add(wish.set)
            there.update(wish.needs)
            used += more
    return [wish for wish in wishes if wish.set in chosen]
