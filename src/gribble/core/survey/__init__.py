"""Folders to holdings: sources and rigs walked, told by digest where that decides, and remembered."""
