"""Verdicts and remedies from plain values: no disk, no clock, no printing."""
