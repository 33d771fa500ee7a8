"""What an import met."""

from __future__ import annotations

from collections import Counter

import msgspec
from msgspec import Struct

MOST_MISTAKES = 20
"""How many mistakes are told one by one."""


class Tally(Struct):
    """What an import met: records, duplicates dropped, mistakes (the first of them in words), values left over."""

    records: int = 0
    duplicates: int = 0
    faulty: int = 0
    mistakes: list[str] = []
    left_over: Counter[str] = msgspec.field(default_factory=Counter)

    def fault(self, where: str, what: str) -> None:
        """Note one mistake."""
        self.faulty += 1
        if len(self.mistakes) < MOST_MISTAKES:
            self.mistakes.append(f"{where}: {what}")
