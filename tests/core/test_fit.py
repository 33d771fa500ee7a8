"""The best selection for a card: small ones equal a search through all of them; great ones keep to the budget."""

from __future__ import annotations

import itertools
import random
import sys
import threading
from collections.abc import Callable
from pathlib import Path
from queue import SimpleQueue

import pytest
from hypothesis import given, settings
from hypothesis import strategies as st

from gribble.core.arcade import solver
from gribble.core.arcade.fit import Selection, Wish, cost, fit_sets
from gribble.core.base.amounts import read_bytes
from gribble.core.base.errors import GribbleError
from gribble.core.catalogue.importing.tables import book_rows
from gribble.core.records.program import Program, Solved
from gribble.core.survey.arriving import FolderWatch


def every_selection(wishes: list[Wish]) -> list[tuple[Wish, ...]]:
    return [some for many in range(len(wishes) + 1) for some in itertools.combinations(wishes, many)]


@settings(max_examples=60)
@given(st.data())
def test_small_fits_are_the_best_of_all_selections(data: st.DataObject) -> None:
    count = data.draw(st.integers(0, 7))
    shared = {f"parent{n}": data.draw(st.integers(0, 9)) for n in range(3)}
    sizes = shared | {f"own{n}": data.draw(st.integers(0, 9)) for n in range(count)}
    weight = st.sampled_from([1.0, 1.0, 2.0, 0.5]) if data.draw(st.booleans()) else st.just(1.0)
    wishes = [
        Wish(
            set=f"s{n}",
            needs=(f"own{n}", *data.draw(st.lists(st.sampled_from(sorted(shared)), unique=True, max_size=2))),
            weight=data.draw(weight),
        )
        for n in range(count)
    ]
    budget = data.draw(st.integers(0, 40))
    found = fit_sets(wishes, sizes, budget)
    possible = [some for some in every_selection(wishes) if cost(some, sizes) <= budget]
    most = max(sum(wish.weight for wish in some) for some in possible)
    earliest = max([wish in some for wish in wishes] for some in possible if sum(wish.weight for wish in some) == most)
    chosen = [wish for wish in wishes if wish.set in found.chosen]
    assert found.worth == pytest.approx(most)
    assert [wish in chosen for wish in wishes] == [
        one and wish.weight > 0 for one, wish in zip(earliest, wishes, strict=True)
    ]
    assert found.bytes == cost(chosen, sizes) <= budget
    assert found.optimal
    assert {*found.chosen, *found.left_out} == {wish.set for wish in wishes}


def test_many_sets_with_shared_parents(capfd: pytest.CaptureFixture[str]) -> None:
    chance = random.Random(5)
    sizes = {f"parent{n}": chance.randint(1, 900) for n in range(60)}
    sizes |= {f"own{n}": chance.randint(1, 300) for n in range(240)}
    wishes = [Wish(set=f"s{n}", needs=(f"own{n}", f"parent{n // 4}")) for n in range(240)]
    budget = sum(sizes.values()) // 2
    found = fit_sets(wishes, sizes, budget, seconds=5)
    assert found.gap < 0.001
    assert found.bytes <= budget
    greedy: list[Wish] = []
    for wish in sorted(wishes, key=lambda wish: cost([wish], sizes)):
        if cost([*greedy, wish], sizes) <= budget:
            greedy.append(wish)
    assert len(found.chosen) >= len(greedy)
    assert capfd.readouterr().out == ""  # whatever the solver says to itself


def test_nothing_fits_and_everything_fits() -> None:
    wishes = [Wish(set="a", needs=("a",)), Wish(set="b", needs=("b",), weight=0)]
    assert fit_sets(wishes, {"a": 5, "b": 1}, 4) == Selection(chosen=(), left_out=("a", "b"), bytes=0, worth=0, gap=0.0)
    assert fit_sets(wishes, {"a": 5, "b": 1}, 5).chosen == ("a",)


@pytest.mark.parametrize(
    ("text", "size"),
    [("8GB", 8 * 10**9), ("8GiB", 8 << 30), ("1.5 MB", 1_500_000), ("512", 512), ("512 B", 512), ("2k", 2000)],
)
def test_sizes_are_decimal_or_binary_as_they_say(text: str, size: int) -> None:
    assert read_bytes(text) == size


@pytest.mark.parametrize("text", ["", "GB", "8 XB", "-1GB", "1e9", "8GiBB"])
def test_what_is_no_size(text: str) -> None:
    with pytest.raises(GribbleError, match="is not a size"):
        read_bytes(text)


def test_ctrl_c_does_not_wait_for_the_solver(monkeypatch: pytest.MonkeyPatch) -> None:
    real, solving = solver.solve, list[bool]()

    def solve(program: Program, seconds: float) -> Solved:
        solving.append(threading.current_thread().daemon)
        return real(program, seconds)

    monkeypatch.setattr(solver, "solve", solve)
    fit_sets([Wish(set="a", needs=("a",)), Wish(set="b", needs=("b",))], {"a": 2, "b": 2}, 3)
    assert solving
    assert all(solving), "by a thread for which the program does not wait"


@pytest.mark.parametrize(
    ("module", "use"),
    [
        ("highsbox", lambda _path: fit_sets([Wish(set=one, needs=(one,)) for one in "ab"], {"a": 2, "b": 2}, 3)),
        ("python_calamine", lambda path: list(book_rows(path / "list.xlsx"))),
        ("watchfiles", lambda path: FolderWatch(path, SimpleQueue())),
    ],
)
def test_what_a_system_has_no_package_of_is_refused_in_words(
    monkeypatch: pytest.MonkeyPatch, tmp_path: Path, module: str, use: Callable[[Path], object]
) -> None:
    monkeypatch.setitem(sys.modules, module, None)
    solver._library.cache_clear()
    with pytest.raises(GribbleError, match="needs the Python package") as caught:
        use(tmp_path)
    assert caught.value.fix.endswith(f"pip install {module.replace('_', '-')}")


def test_a_search_without_time_says_that_it_proved_nothing() -> None:
    chance = random.Random(6)
    sizes = {f"own{n}": chance.randint(10**6, 10**7) for n in range(400)}
    wishes = [Wish(set=f"s{n}", needs=(f"own{n}",), weight=chance.random()) for n in range(400)]
    found = fit_sets(wishes, sizes, sum(sizes.values()) // 3, seconds=0.0)
    assert found.bytes <= sum(sizes.values()) // 3
    assert found.chosen
    assert found.gap > 0
