"""Freed memory stays where it is needed next, and nothing is searched for circles that are not there."""

from __future__ import annotations

import platform
import subprocess
import sys

import pytest

PROGRAM = """
import os, resource, sys
from gribble.core.base.threads import keep_freed
if sys.argv[1] == "kept":
    keep_freed()
before = resource.getrusage(resource.RUSAGE_SELF).ru_minflt
for _ in range(200):
    several = [os.urandom(100_000) for _ in range(20)]
print(resource.getrusage(resource.RUSAGE_SELF).ru_minflt - before)
"""


@pytest.mark.skipif(platform.libc_ver()[0] != "glibc", reason="another library keeps its memory by itself, or not")
def test_freed_memory_is_not_asked_for_anew() -> None:
    def faults(how: str) -> int:
        done = subprocess.run([sys.executable, "-c", PROGRAM, how], capture_output=True, text=True, check=True)
        return int(done.stdout)

    assert faults("kept") * 4 < faults("given back"), "pages that the system had to clear"


CIRCLE = """
import gc
import gribble.core.base.threads
before = sum(way["collections"] for way in gc.get_stats())
import gribble.cli.main
print(sum(way["collections"] for way in gc.get_stats()) - before)
class Circle:
    def __init__(self): self.other = self
    def __del__(self): print("looked for")
Circle()
"""


def test_circles_are_not_looked_for_at_the_start_nor_at_the_end() -> None:
    done = subprocess.run([sys.executable, "-c", CIRCLE], capture_output=True, text=True, check=True)
    assert done.stdout == "0\n"
