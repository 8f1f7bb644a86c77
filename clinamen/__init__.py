"""Clinamen: layered art given depth, moved, proved and exported."""

__version__ = "0.1.0"
