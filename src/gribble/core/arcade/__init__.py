"""Arcade sets: whom a set needs, whether it runs, and if not, why."""
