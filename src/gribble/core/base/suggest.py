"""A guess at what a wrong word was meant to be."""

from __future__ import annotations


def suggest(word: str, known: list[str], most: int = 20) -> str:
    """ "; did you mean 'x'?" for the nearest known word, else the known ones if they are at most so many."""
    import difflib  # which only a wrong word has use for

    near = difflib.get_close_matches(word, known, n=1)
    if near:
        return f"; did you mean '{near[0]}'?"
    return f"; known: {', '.join(sorted(known))}" if 0 < len(known) <= most else ""
