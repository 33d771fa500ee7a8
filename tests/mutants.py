"""Small wrong changes of the rooms that judge, plan, guess and place: each has to fail a test. Run by `make mutants`.

A change that survives is one that no test holds: write the test, or say in the list why nobody could tell.
"""

from __future__ import annotations

import os
import shutil
import subprocess
import sys
import tempfile
from collections.abc import Iterable
from pathlib import Path
from typing import NamedTuple

ROOT = Path(__file__).parents[1]


class Mutant(NamedTuple):
    """What is done wrong, where in the source, by which change, and the tests that have to notice."""

    wrong: str
    module: str
    old: str
    new: str
    tests: str


MUTANTS = (
    Mutant("a rival makes no guess doubtful", "core/catalogue/importing/guessing.py", "    if rivals:\n", "    if not best:\n", "core/test_limits.py"),
    Mutant("four points make a guess sure", "core/catalogue/importing/guessing.py", "best.total >= 5", "best.total >= 4", "core/test_limits.py"),
    Mutant("a choice takes what is away before what is here", "core/audit/judging/choices.py", "not finding.fixable, not finding.connectable", "not finding.connectable", "cli/test_away.py"),
    Mutant("a choice takes what cannot work", "core/audit/judging/choices.py", "return (in_vain, not", "return (False, not", "core/test_requires.py"),
    Mutant("FAT32 holds files of 4 GiB", "core/files/volumes.py", "(4 << 30) - 1", "4 << 30", "core/test_limits.py"),
    Mutant("a name may have a unit more", "core/files/volumes.py", "if length > MOST_NAME:", "if length > MOST_NAME + 1:", "core/test_limits.py"),
    Mutant("the directory of a zip has no bound", "core/files/archives/zips.py", "if size > DIRECTORY.bytes:", "if size < 0:", "core/test_limits.py"),
    Mutant("members of a zip may lie in one place", "core/files/archives/zips.py", "if lying > span.size:", "if lying < 0:", "core/test_limits.py"),
    Mutant("an archive may come to any size", "core/base/budget.py", "        if self._bytes < 0:\n", "        if not self._most:\n", "core/test_limits.py"),
    Mutant("a size that differs is the content", "core/survey/matching.py", "if strongest is None or content.size not in (None, size):", "if strongest is None:", "core/test_limits.py"),
    Mutant("a weaker digest is proof enough", "core/base/digests.py", '        if self.sha256:\n            return "sha256"\n', "", "core/test_limits.py"),
    Mutant("an intent is not flushed", "core/placing/journal.py", "        self._append(run, *({\"begin\": step, **msgspec.to_builtins(begin)} for step, begin in begun.items()))", "        self._append(run, *({\"begin\": step, **msgspec.to_builtins(begin)} for step, begin in begun.items()), flush=False)", "core/test_power.py"),
    Mutant("the intent to take a step back is not flushed", "core/placing/journal.py", '        self._append(run, {"turn": step}, drop=True)', '        self._append(run, {"turn": step}, drop=True, flush=False)', "core/test_power.py"),
    Mutant("a step is taken back without an intent", "core/placing/run.py", "            if number not in run.turned:\n                self._journal.turn(run, number)\n", "", "core/test_run.py core/test_power.py"),
    Mutant("what an undo takes away is not kept", "core/placing/back.py", "            self._store.keep(path, spare)\n        except StoreFull:", "            pass\n        except StoreFull:", "core/test_run.py"),
    Mutant("new content is not flushed", "stores/local.py", "            stream.flush()\n            flush_file(stream.fileno())", "            stream.flush()", "core/test_power.py"),
    Mutant("what changed meanwhile is displaced", "core/placing/forward.py", "if step.displaces and self._store.stamp(step.displaces) != self._stamps[number]:", "if step.displaces and not self._stamps:", "cli/test_runs_told.py"),
    Mutant("a journal of another rig is obeyed", "core/placing/journal.py", 'if not run.foreign and head.get("id", seal.rig) != seal.rig:', "if not head:", "cli/test_one_bad.py"),
    Mutant("a plan file takes from anywhere", "core/placing/planfile.py", "if link_among_own(place) or lies_in(place, readable) is None:", "if link_among_own(place):", "cli/test_private.py"),
    Mutant("a step of a plan file needs no proof", "core/placing/planfile.py", "return not isinstance(step, Taking) or isinstance(step, Rename) or bool(step.digests.known())", "return True", "cli/test_private.py"),
    Mutant("an old sketch is believed beside what was read", "core/survey/survey.py", "facts = self._unpacked(file.facts)", "facts = file.facts", "cli/test_worlds.py"),
    Mutant("no key beside a locked dump is tried", "core/diagnosis/nearmisses.py", "return self._opened_beside(holding, wanted) or self._cut(", "return self._cut(", "cli/test_worlds.py"),
    Mutant("only what is installed knows a file", "cli/surveying.py", "files, known = identify_sets(files, others, audits, discs), [*known, *others]", "known = [*known, *others]", "cli/test_worlds.py"),
    Mutant("not found names no namesake", "core/audit/judging/needs.py", "[nowhere, *self._other_content(need)]", "[nowhere]", "cli/test_worlds.py"),
    Mutant("what is plainly no dump is ready", "core/audit/judging/judge.py", "return Judgement(fault=plainly) if plainly else Judgement(accept=fits)", "return Judgement(accept=fits)", "cli/test_worlds.py"),
    Mutant("two captured releases are mixed", "core/answers/capture.py", "return Ranges(f\">={release}\", f\"<{release}\")", "return Ranges()", "cli/test_worlds.py"),
    Mutant("what a plan moves on another rig is lost", "cli/running.py", "if len(going) > 1 else str", "if len(going) > 9 else str", "cli/test_worlds.py"),
    Mutant("a disc is copied though it lies on the rig", "core/arcade/discs.py", "near = sorted(headers, key=lambda pair: nearness(pair[0], rig), reverse=True)", "near = reversed(headers)", "cli/test_worlds.py"),
    Mutant("a path counts whatever rig it is on", "core/records/findings.py", "(self.use.rig, self.use.path) == (rig, path)", "self.use.path == path", "cli/test_worlds.py"),
    Mutant("a set without a file is whole", "core/arcade/match.py", "    if not around.ask_for_something(name):\n", "    if not name:\n", "core/test_packs.py"),
    Mutant("an archive within an archive is the set", "core/arcade/cabinet.py", "if not _is_nested(holding.member):", "if holding.member:", "core/test_packs.py"),
    Mutant("only right content says that a set lies there", "core/arcade/sets.py", "    there = container.named(file.name)\n    return", "    there = None\n    return", "core/test_packs.py"),
    Mutant("an image goes over another set's", "core/arcade/packing.py", "if owner := discs.serves(", "if owner := not discs and discs.serves(", "core/test_packs.py"),
    Mutant("an archive that lacks a sample will do", "core/arcade/discs.py", "if not _lacking(wanted, members)]", "if members]", "cli/test_samples.py"),
    Mutant("titles are told by their letters", "core/base/names.py", "shown.casefold()", "shown", "core/test_packs.py cli/test_cabinets.py"),
)  # fmt: skip


def passes(copy: Path, names: Iterable[str]) -> bool:
    """Whether some tests pass on a copy of the tree."""
    tests = [f"tests/{name}" for name in names]
    words = [sys.executable, "-m", "pytest", "-q", "-x", "-p", "no:cacheprovider", *tests]
    env = {**os.environ, "PYTHONPATH": f"{copy}/src:{copy}", "PYTHONDONTWRITEBYTECODE": "1"}
    return subprocess.run(words, cwd=copy, env=env, capture_output=True, check=False).returncode == 0


def survives(mutant: Mutant, copy: Path) -> bool:
    """Whether the tests pass with a change."""
    path = copy / "src/gribble" / mutant.module
    text = path.read_text()
    path.write_text(text.replace(mutant.old, mutant.new))
    try:
        return passes(copy, mutant.tests.split())
    finally:
        path.write_text(text)


def say(line: str) -> None:
    """A line, at once."""
    sys.stdout.write(f"{line}\n")
    sys.stdout.flush()


def main() -> int:
    """Try each change on a copy of the tree; the exit status is how many survive."""
    with tempfile.TemporaryDirectory() as folder:
        copy = Path(folder)
        for name in ("src", "tests", "docs"):
            shutil.copytree(ROOT / name, copy / name, ignore=shutil.ignore_patterns("__pycache__"))
        for name in ("pyproject.toml", "README.md", "CONTRIBUTING.md"):
            shutil.copy(ROOT / name, copy)
        if not passes(copy, sorted({name for mutant in MUTANTS for name in mutant.tests.split()})):
            raise SystemExit("the tests fail on the tree as it is")
        left = []
        for mutant in MUTANTS:
            survived = survives(mutant, copy)
            left += [mutant] * survived
            say(f"{'survives' if survived else 'is noticed'}  {mutant.wrong}")
    say(f"{len(MUTANTS) - len(left)} of {len(MUTANTS)} are noticed")
    return len(left)


if __name__ == "__main__":
    sys.exit(main())
